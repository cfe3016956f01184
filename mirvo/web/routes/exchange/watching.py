"""Exchange files and tables are looked at and taken in as jobs, one at a time."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from fastapi.responses import RedirectResponse, Response

from mirvo.core.errors import MirvoError
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.jobs import Job, Report
from mirvo.web.forms import Filled
from mirvo.web.reader import Reader

EXCHANGE = "/exchange"


def at_work(studio: Studio, name: str) -> bool:
    """Whether work of a name is being done, or was and nobody has seen what it came to."""
    job = studio.jobs.named(name)
    return job is not None and not job.seen


def watched(reader: Reader, name: str, work: Callable[[Report], Any] | None) -> Job | Response:
    """The job of a name once it is done; while it is not, on to the page that shows how far it is.

    work : begun where none of that name is at work or waits to be seen; None only watches.

    Raises
    ------
    BadInput : something else is being done.
    """
    jobs, page = reader.studio.jobs, reader.request.url.path
    job = jobs.named(name)
    if (job is None or job.seen) and work is not None:
        job = jobs.begin(name, work, alone=True, page=page, back=EXCHANGE)
    if job is None:
        raise LookupError(name)
    if not job.wait(jobs.patience_s):
        return RedirectResponse(f"/jobs/{job.key}", 303)
    job.seen = True
    return job


def taken(studio: Studio, name: str, work: Callable[[Report], object], page: str) -> Response:
    """Begin to take in; on to the page that watches it. Raises what turned it back at once."""
    job = studio.jobs.begin(name, work, keeps=True, alone=True, page=page, back=EXCHANGE)
    if job.wait(studio.jobs.patience_s) and job.error is not None:
        studio.jobs.forget(name)
        raise job.error
    return RedirectResponse(page, 303)


def ended(
    job: Job | Response, then: str | None, reader: Reader, page: Callable[..., Response]
) -> Response:
    """What is shown of work that was watched: how far it is, what it came to, what went wrong."""
    if isinstance(job, Response):
        return job
    if job.keeps or job.stopped:
        reader.studio.jobs.forget(job.name)
    if job.stopped:
        return RedirectResponse(EXCHANGE, 303)
    if job.error is not None and not isinstance(job.error, MirvoError):
        raise job.error
    if job.error is None and then is not None:
        return RedirectResponse(then, 303)
    errors = {} if job.error is None else {"exchange": str(job.error)}
    return page(reader, Filled(errors=errors, status=422 if errors else 200))
