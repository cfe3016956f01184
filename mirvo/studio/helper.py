"""One process beside the server for heavy looking at photos: it can be watched and stopped."""

from __future__ import annotations

import json
import multiprocessing
import queue
import threading
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import lru_cache, partial
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

from mirvo.core.errors import BadInput

READY_PHOTOS = 2
STOPPED = "The work on the photo was stopped."
NOT_BEGUN = "The help could not be started"
Report = Callable[[str, float], None]


@dataclass(frozen=True)
class Task:
    """What is asked about one photo.

    what : ready, propose, trace, width, flanks, outline or edge.
    """

    what: str
    photo: Path
    info: tuple[int, int, float | None]
    marks: dict[str, Any]
    corners: list[list[float]] | None
    detail: dict[str, Any]


class Helper:
    """Starts its process when first asked; one task at a time, in the order they come."""

    def __init__(self) -> None:
        self._turn = threading.Lock()
        self._process: multiprocessing.process.BaseProcess | None = None
        self._line: Connection | None = None

    def ask(self, task: Task) -> Iterator[dict[str, Any]]:
        """Messages about a task: `stage` with `share` done, at last `result` or `problem`.

        Whoever stops listening in the middle holds nobody up: the talk with the process
        goes on in a thread of its own until the task is done or stopped.
        """
        told: queue.SimpleQueue[dict[str, Any]] = queue.SimpleQueue()
        threading.Thread(target=self._talk, args=(task, told.put), daemon=True).start()
        said: dict[str, Any] = {"stage": ""}
        while "stage" in said:
            said = told.get()
            yield said

    def begin(self, task: Task) -> None:
        """Have a task done whose answer nobody waits for."""
        threading.Thread(target=self._talk, args=(task, lambda _: None), daemon=True).start()

    def _talk(self, task: Task, tell: Callable[[dict[str, Any]], None]) -> None:
        with self._turn:
            said: dict[str, Any] = {"stage": ""}
            try:
                line = self._ready()
                line.send(task)
                while "stage" in said:
                    said = line.recv()
                    tell(said)
            except (EOFError, OSError):
                tell({"problem": {"field": "", "message": STOPPED}})
            except Exception as error:  # whoever waits must hear of it, whatever it is
                tell({"problem": {"field": "", "message": f"{NOT_BEGUN}: {error}"}})

    def answer(self, task: Task) -> Any:
        """The result of a task alone. Raises BadInput with what went wrong."""
        *_, last = self.ask(task)
        if "problem" in last:
            raise BadInput(last["problem"]["field"], last["problem"]["message"])
        return last["result"]

    def stop(self) -> None:
        """Break off whatever is being done; the next task starts a new process."""
        process = self._process
        if process is not None and process.is_alive():
            process.terminate()
            process.join(5)

    def _ready(self) -> Connection:
        if self._process is None or self._line is None or not self._process.is_alive():
            context = multiprocessing.get_context("spawn")
            self._line, theirs = context.Pipe()
            self._process = context.Process(target=_work, args=(theirs,), daemon=True)
            self._process.start()
            theirs.close()
        return self._line


def _work(line: Connection) -> None:
    """The process itself: keeps the last photos set up, so that a second question is quick."""
    ready: dict[str, Any] = {}
    while True:
        try:
            task: Task = line.recv()
        except (EOFError, KeyboardInterrupt):
            return
        try:
            line.send({"result": _do(task, ready, partial(_report, line))})
        except BadInput as error:
            line.send({"problem": {"field": error.field, "message": error.message}})
        except Exception as error:
            line.send(
                {"problem": {"field": "", "message": f"This could not be worked out: {error}"}}
            )


def _report(line: Connection, stage: str, share: float) -> None:
    line.send({"stage": stage, "share": share})


def _do(task: Task, ready: dict[str, Any], report: Report) -> Any:
    import numpy as np

    if task.what in ("outline", "edge"):
        return _snap(task)
    if task.what == "flanks":
        return _flanks(task)
    assistant = _assistant(task, ready, report)
    if task.what == "ready":
        return None
    if task.what == "trace":
        taken = [np.array(path) for path in task.detail["taken"]]
        return assistant.trace(tuple(task.detail["tip"]), taken)
    if task.what == "width":
        return assistant.width_of(np.array(task.detail["path"]))
    report("Following the roots", 0.7)
    return [one.as_offer() for one in assistant.propose()]


def _snap(task: Task) -> Any:
    """A rough outline or edge drawn onto the picture's own."""
    import numpy as np

    from mirvo.core.vision.contour import snap_line
    from mirvo.core.vision.outline import set_outline

    picture, rough = _picture(task.photo), np.array(task.detail["rough"])
    if task.what == "edge":
        return np.round(snap_line(picture, rough), 1).tolist()
    found = set_outline(picture, rough)
    return {
        "outline": np.round(found.points, 1).tolist(),
        "outline_sd_px": round(found.sd_px, 1),
        "follows": found.follows,
    }


def _flanks(task: Task) -> Any:
    """The ends of a width drawn onto the root's own flanks."""
    import numpy as np

    from mirvo.core.vision.flanks import set_to_flanks

    width, path = (np.array(task.detail[name]) for name in ("width", "path"))
    found = set_to_flanks(_picture(task.photo), width, path, task.detail["click_sd_px"])
    return np.round(found.points, 1).tolist()


@lru_cache(maxsize=1)
def _picture(photo: Path) -> Any:
    """The photo last asked about stays decoded: widths are set one after the other."""
    from mirvo.records.photos import colour_of

    return colour_of(photo.read_bytes())


def _assistant(task: Task, ready: dict[str, Any], report: Report) -> Any:
    import numpy as np

    from mirvo.core.measure.marks import read_marks
    from mirvo.core.measure.plane_map import PhotoInfo
    from mirvo.core.vision.assist import assistant

    basis = {name: task.marks.get(name) for name in ("calibration", "trunk", "trunks", "front")}
    key = json.dumps([str(task.photo), basis], sort_keys=True)
    if key not in ready:
        while len(ready) >= READY_PHOTOS:
            del ready[next(iter(ready))]
        report("Reading the photo", 0.1)
        picture = _picture(task.photo)
        report("Learning bark from soil", 0.3)
        corners = None if task.corners is None else np.array(task.corners)
        marks = read_marks({**task.marks, "roots": []}, task.info[:2])
        ready[key] = assistant(marks, PhotoInfo(*task.info), picture, corners)
    return ready[key]
