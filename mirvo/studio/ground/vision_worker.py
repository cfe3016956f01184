"""One process beside the server for heavy looking at photos: it can be watched and stopped."""

from __future__ import annotations

import multiprocessing
import threading
from collections.abc import Callable
from concurrent.futures import CancelledError
from typing import Any, ParamSpec, TypeVar

from pebble import ProcessExpired, ProcessFuture, ProcessPool

from mirvo.core.errors import BadInput, MirvoError
from mirvo.studio.ground.jobs import FAILED, Report, Stopped, unwatched
from mirvo.studio.ground.progress import WORDS, share_board

# Often enough for a bar that moves, seldom enough to cost nothing.
POLL_S = 0.1
CLOSE_S = 5.0
STOPPED = "The work on the photo was stopped."
# Each that waits holds a thread; the rest of them are for pages.
MOST_WAITING = 12
FULL = "Mirvo has as much to look at as it can take; ask again in a moment."
P = ParamSpec("P")
T = TypeVar("T")


class VisionWorker:
    """Starts its process when first asked; one task at a time, in the order they come."""

    def __init__(self) -> None:
        self._starting = threading.Lock()
        self._pool: ProcessPool | None = None
        self._waiting: set[ProcessFuture[Any]] = set()
        context = multiprocessing.get_context("spawn")
        self._words: Any = context.Array("c", WORDS)  # typeshed knows no bytes in it
        self._part: Any = context.Value("d", 0.0)

    def answer(self, task: Callable[P, T], *args: P.args, **named: P.kwargs) -> T:
        """The result of a task. Raises BadInput with what went wrong."""
        return self.watched(unwatched, task, *args, **named)

    def watched(self, report: Report, task: Callable[P, T], *args: P.args, **named: P.kwargs) -> T:
        """The result of a task; `report` hears how far it is, and may stop it.

        Raises
        ------
        BadInput, NotFound : why there is none; too much waits already. Stopped : by `report`.
        """
        if len(self._waiting) >= MOST_WAITING:
            raise BadInput("", FULL)
        future = self._schedule(task, *args, **named)
        try:
            return self._result(future, report)
        except Stopped:
            future.cancel()  # type: ignore[no-untyped-call]
            raise
        except MirvoError:
            raise
        except (CancelledError, ProcessExpired):
            raise BadInput("", STOPPED) from None
        except Exception as error:  # whoever waits must hear of it, whatever it is
            raise BadInput("", f"{FAILED}: {error}") from error

    def _result(self, future: ProcessFuture[T], report: Report) -> T:
        while True:
            try:
                return future.result(timeout=POLL_S)
            except TimeoutError:
                if future.done():
                    raise
                # Until its turn comes the board tells of another task.
                report(*(self._stage() if future.running() else ("", 0.0)))

    def begin(self, task: Callable[P, Any], *args: P.args, **named: P.kwargs) -> None:
        """Have a task done whose answer nobody waits for."""
        self._schedule(task, *args, **named)

    def stop(self) -> None:
        """Break off whatever is being done or waits; the next task starts afresh."""
        for future in list(self._waiting):
            future.cancel()  # type: ignore[no-untyped-call]

    def close(self) -> None:
        """Stop for good."""
        self.stop()
        if self._pool is not None:
            self._pool.stop()  # type: ignore[no-untyped-call]
            self._pool.join(CLOSE_S)

    def _schedule(self, task: Callable[..., T], *args: Any, **named: Any) -> ProcessFuture[T]:
        with self._starting:
            if self._pool is None:
                self._pool = ProcessPool(
                    max_workers=1,
                    context=multiprocessing.get_context("spawn"),
                    initializer=share_board,
                    initargs=(self._words, self._part),
                )
        # Outside the lock: it only guards the start of the process.
        future = self._pool.schedule(task, args=args, kwargs=named)
        self._waiting.add(future)
        future.add_done_callback(self._waiting.discard)
        return future

    def _stage(self) -> tuple[str, float]:
        with self._words.get_lock():
            return self._words.value.decode(errors="ignore"), self._part.value
