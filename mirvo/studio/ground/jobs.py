"""Long work done beside the pages: how far it has come, and a way to stop it."""

from __future__ import annotations

from collections.abc import Callable
from threading import Event, Lock, Thread
from typing import Any

from mirvo.core.errors import BadInput

# What is being done, and how much of it is done (0 to 1).
Report = Callable[[str, float], None]
# Most work is done before anybody wants to see a bar.
PATIENCE_S = 1.5
STOPS_WITHIN_S = 60.0


def unwatched(stage: str, share: float) -> None:
    """For work nobody watches."""


class Stopped(Exception):
    """The work was stopped by hand; it has kept nothing."""


class Task:
    """One piece of work in a thread of its own.

    stage, share : as it reported last. result : what it came to. error : what ended it instead.
    stopped : by hand. seen : whether what it came to was shown. keeps : whether it changes the
    records.
    """

    def __init__(self, name: str, work: Callable[[Report], Any], keeps: bool) -> None:
        self.name, self.stage, self.share, self.keeps = name, "", 0.0, keeps
        self.result: Any = None
        self.error: Exception | None = None
        self.stopped = self.seen = False
        self._stopping, self._done = Event(), Event()
        Thread(target=self._run, args=(work,), name=name, daemon=True).start()

    def _run(self, work: Callable[[Report], Any]) -> None:
        try:
            self.result = work(self._report)
        except Stopped:
            self.stopped = True
        except Exception as error:  # told to whoever asks what became of it
            self.error = error
        finally:
            self._done.set()

    def _report(self, stage: str, share: float) -> None:
        if self._stopping.is_set():
            raise Stopped
        self.stage, self.share = stage, share

    @property
    def done(self) -> bool:
        return self._done.is_set()

    def wait(self, seconds: float) -> bool:
        """Whether it is done, or is within so many seconds."""
        return self._done.wait(seconds)

    def stop(self) -> None:
        """Ask it to stop at its next report; back when it has."""
        self._stopping.set()
        self._done.wait(STOPS_WITHIN_S)


class Background:
    """The long work of one studio, a piece at a time, by name.

    patience_s : how long a page waits for it before it shows how far it is.
    """

    def __init__(self) -> None:
        self.patience_s = PATIENCE_S
        self._lock = Lock()
        self._tasks: dict[str, Task] = {}

    def begin(self, name: str, work: Callable[[Report], Any], keeps: bool = False) -> Task:
        """Begin it; what was done before under its name is forgotten.

        Raises
        ------
        BadInput : something else is being done.
        """
        with self._lock:
            busy = next((task for task in self._tasks.values() if not task.done), None)
            if busy is not None:
                raise BadInput("work", f"{busy.name} is not done yet; wait for it, or stop it")
            self._tasks[name] = Task(name, work, keeps)
            return self._tasks[name]

    def task(self, name: str) -> Task | None:
        """The work of a name, at work or done; None where there is none."""
        return self._tasks.get(name)

    def forget(self, name: str) -> None:
        """Stop the work of a name and let go of what it came to."""
        task = self._tasks.get(name)
        if task is not None:
            task.stop()
            self._tasks.pop(name, None)

    def close(self) -> None:
        """Stop everything."""
        for name in list(self._tasks):
            self.forget(name)
