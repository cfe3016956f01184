"""One process beside the server for heavy looking at photos: it can be watched and stopped."""

from __future__ import annotations

import multiprocessing
import threading
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import CancelledError
from dataclasses import dataclass
from typing import Any, Generic, ParamSpec, TypeVar

from pebble import ProcessExpired, ProcessFuture, ProcessPool

from mirvo.core.errors import BadInput, NotFound
from mirvo.studio.ground.progress import WORDS, share_board

# Often enough for a bar that moves, seldom enough to cost nothing.
POLL_S = 0.1
CLOSE_S = 5.0
STOPPED = "The work on the photo was stopped."
FAILED = "This could not be worked out"
# Each that waits holds a thread; the rest of them are for pages.
MOST_WAITING = 12
FULL = "Mirvo has as much to look at as it can take; ask again in a moment."
P = ParamSpec("P")
T = TypeVar("T")


@dataclass(frozen=True)
class Stage:
    """What is being done, and how much of it is done, 0 to 1."""

    stage: str
    share: float


@dataclass(frozen=True)
class Answer(Generic[T]):
    """What a task came to."""

    result: T


@dataclass(frozen=True)
class Refusal:
    """Why a task came to nothing."""

    field: str
    message: str


def outcome(coming: Iterable[Stage | Answer[T] | Refusal]) -> T:
    """What a task came to, its messages passed over. Raises BadInput with why there is none."""
    for message in coming:
        if isinstance(message, Answer):
            return message.result
        if isinstance(message, Refusal):
            raise BadInput(message.field, message.message)
    raise AssertionError("a task ends with an answer or a refusal")


class VisionWorker:
    """Starts its process when first asked; one task at a time, in the order they come."""

    def __init__(self) -> None:
        self._starting = threading.Lock()
        self._pool: ProcessPool | None = None
        self._waiting: set[ProcessFuture[Any]] = set()
        context = multiprocessing.get_context("spawn")
        self._words: Any = context.Array("c", WORDS)  # typeshed knows no bytes in it
        self._part: Any = context.Value("d", 0.0)

    def ask(
        self, task: Callable[P, T], *args: P.args, **named: P.kwargs
    ) -> Iterator[Stage | Answer[T] | Refusal]:
        """How a task comes along, at last its answer or why there is none.

        Nobody is held up by a listener who stops in the middle: the task is done all the same.
        Where too much waits already it is not begun, and the answer says so at once.
        """
        if len(self._waiting) >= MOST_WAITING:
            yield Refusal("", FULL)
            return
        future, last = self._schedule(task, *args, **named), Stage("", 0.0)
        while True:
            try:
                yield Answer(future.result(timeout=POLL_S))
                return
            except TimeoutError:
                now = self._stage()
                if future.running() and now != last:
                    last = now
                    yield now
            except (BadInput, NotFound) as error:
                yield Refusal(error.field, error.message)
                return
            except (CancelledError, ProcessExpired):
                yield Refusal("", STOPPED)
                return
            except Exception as error:  # whoever waits must hear of it, whatever it is
                yield Refusal("", f"{FAILED}: {error}")
                return

    def answer(self, task: Callable[P, T], *args: P.args, **named: P.kwargs) -> T:
        """The result of a task alone. Raises BadInput with what went wrong."""
        return outcome(self.ask(task, *args, **named))

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

    def _schedule(self, task: Callable[..., Any], *args: Any, **named: Any) -> ProcessFuture[Any]:
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

    def _stage(self) -> Stage:
        with self._words.get_lock():
            return Stage(self._words.value.decode(errors="ignore"), self._part.value)
