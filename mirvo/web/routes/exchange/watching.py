"""Work that takes a while, watched from its own page: how far it is, and a way to stop it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from fastapi.responses import RedirectResponse, Response

from mirvo.core.errors import MirvoError
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.jobs import Report, Task
from mirvo.web.forms import Filled
from mirvo.web.reader import Reader


def at_work(studio: Studio, name: str) -> bool:
    """Whether work of a name is being done, or was and nobody has seen what it came to."""
    task = studio.background.task(name)
    return task is not None and not task.seen


def stop(studio: Studio, *names: str) -> None:
    """Stop work of these names, whichever is being done."""
    for name in names:
        studio.background.forget(name)


def watched(reader: Reader, name: str, work: Callable[[Report], Any] | None) -> Task | Response:
    """The work of a name once it is done; while it is not, the page that shows how far it is.

    work : begun where none of that name is at work or waits to be seen; None only watches.

    Raises
    ------
    BadInput : something else is being done.
    """
    background = reader.studio.background
    task = background.task(name)
    if (task is None or task.seen) and work is not None:
        task = background.begin(name, work)
    if task is None:
        raise LookupError(name)
    if not task.wait(0 if reader.wants_part else background.patience_s):
        return reader.page("exchange/working.html", {"task": task})
    if reader.wants_part:
        # The page that watched it goes on to what it came to.
        return Response(headers={"HX-Redirect": reader.request.url.path})
    task.seen = True
    return task


def taken(studio: Studio, name: str, work: Callable[[Report], object], page: str) -> Response:
    """Begin to take in; on to the page that watches it. Raises what turned it back at once."""
    task = studio.background.begin(name, work, keeps=True)
    if task.wait(studio.background.patience_s) and task.error is not None:
        studio.background.forget(name)
        raise task.error
    return RedirectResponse(page, 303)


def ended(
    task: Task | Response, then: str | None, reader: Reader, page: Callable[..., Response]
) -> Response:
    """What is shown of work that was watched: how far it is, what it came to, what went wrong."""
    if isinstance(task, Response):
        return task
    if task.keeps or task.stopped:
        reader.studio.background.forget(task.name)
    if task.stopped:
        return RedirectResponse("/exchange", 303)
    if task.error is not None and not isinstance(task.error, MirvoError):
        raise task.error
    if task.error is None and then is not None:
        return RedirectResponse(then, 303)
    errors = {} if task.error is None else {"exchange": str(task.error)}
    return page(reader, Filled(errors=errors, status=422 if errors else 200))
