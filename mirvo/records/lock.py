"""One Mirvo at a time on a data folder: who serves it or puts it aside holds its lock."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from filelock import FileLock, Timeout

from mirvo.core.errors import BadInput, Conflict

NAME = "in-use.lock"


@contextmanager
def held(folder: Path) -> Iterator[None]:
    """Hold a data folder; the system lets go of it when the process ends, however that is.

    Raises
    ------
    Conflict : another Mirvo holds it. BadInput : nothing can be written there.
    """
    lock = FileLock(folder / NAME)
    try:
        folder.mkdir(parents=True, exist_ok=True)
        lock.acquire(timeout=0)
    except Timeout:
        raise Conflict(str(folder), "another Mirvo is at work on it; stop that one first") from None
    except OSError as error:
        raise BadInput(str(folder), f"cannot be written to: {error.strerror}") from None
    try:
        yield
    finally:
        lock.release()
