"""What is answered when something cannot be done: its status, and words that say what is safe."""

from __future__ import annotations

from collections.abc import Mapping
from errno import EACCES, ENOSPC, EPERM, EROFS

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import HTMLResponse, JSONResponse, Response
from sqlalchemy.exc import OperationalError
from starlette.concurrency import run_in_threadpool
from starlette.exceptions import HTTPException

from mirvo.core.complaints import sentence
from mirvo.core.errors import BadInput, Conflict, Damaged, MirvoError, NotFound
from mirvo.web.forms import complaints_of, show_again, wants_json
from mirvo.web.guards import HEADERS, TOO_MUCH
from mirvo.web.reader import open_reader

STATUS: tuple[tuple[type[MirvoError], int], ...] = (
    (NotFound, 404),
    (Conflict, 409),
    (Damaged, 409),
    (BadInput, 422),
    (MirvoError, 400),
)
BROKEN = (
    "Something went wrong in Mirvo. What was saved before is safe; what you sent just now may not "
    "be kept. Go back, and look whether it is there."
)
NOT_KEPT = "What was saved before is safe; nothing of what you sent just now was kept."
# Why nothing could be written, and what to do about it.
FULL = "Mirvo's disk is full.", "Make room on it, then send it again."
READ_ONLY = "Mirvo's data folder cannot be written to.", "See who may write there."
BUSY = "Mirvo's records are busy with something long.", "Send it again in a moment."
NO_PAGE = "There is no such page."


def configure_errors(app: FastAPI) -> None:
    app.add_exception_handler(MirvoError, _refused)
    app.add_exception_handler(RequestValidationError, _refused)
    app.add_exception_handler(HTTPException, _not_there)
    app.add_exception_handler(RecursionError, _too_deep)
    app.add_exception_handler(OperationalError, _not_written)
    app.add_exception_handler(OSError, _not_written)
    app.add_exception_handler(Exception, _broken)


def status_of(error: Exception) -> int:
    """HTTP status of an error of the one family."""
    return next((status for kind, status in STATUS if isinstance(error, kind)), 422)


async def _refused(request: Request, error: Exception) -> Response:
    """A form turned back is shown again; anything else is answered with its first sentence."""
    found = error.errors() if isinstance(error, RequestValidationError) else []
    # An address that is no number leads nowhere; it is no form to be put right.
    if any(wrong["loc"][0] == "path" for wrong in found):
        return await run_in_threadpool(_answer, request, 404, NO_PAGE, "")
    if not isinstance(error, (NotFound, Damaged)):
        again = await show_again(request, error)
        if again is not None:
            return again
    if found:
        # One sentence can be read and acted on; the first is the topmost of the form.
        [(field, message), *_] = complaints_of(error).items()
        if found[0]["loc"][0] == "body" and not _is_form(request):
            message = sentence(found[0])
        return await run_in_threadpool(_answer, request, 422, message, field)
    if isinstance(error, MirvoError):
        args = status_of(error), error.message, error.field
        return await run_in_threadpool(_answer, request, *args)
    return await run_in_threadpool(_answer, request, status_of(error), str(error), "")


def _not_written(request: Request, error: Exception) -> Response:
    """A disk that is full or may not be written, and records that are busy, are said as such."""
    said = str(error)
    number = error.errno if isinstance(error, OSError) else None
    if number == ENOSPC or "disk is full" in said:
        return _unwritten(request, 507, *FULL)
    if number in (EROFS, EACCES, EPERM) or "readonly database" in said:
        return _unwritten(request, 507, *READ_ONLY)
    if "is locked" in said:
        return _unwritten(request, 503, *BUSY)
    # None of these: to be logged, as what nobody foresaw.
    raise error


def _unwritten(request: Request, status: int, reason: str, advice: str) -> Response:
    """The reason stands apart too: a page that holds on to what it sent has lost nothing."""
    return _answer(request, status, f"{reason} {NOT_KEPT} {advice}", "", {"reason": reason})


def _is_form(request: Request) -> bool:
    return "json" not in request.headers.get("content-type", "")


def _not_there(request: Request, error: Exception) -> Response:
    status = error.status_code if isinstance(error, HTTPException) else 500
    words = {404: NO_PAGE, 413: TOO_MUCH}.get(status, "This cannot be done here.")
    return _answer(request, status, words, "")


def _broken(request: Request, _: Exception) -> Response:
    """An error nobody foresaw. It is logged; whoever meets it is told what is safe."""
    try:
        answer = _answer(request, 500, BROKEN, "", broken=True)
    except Exception:  # what broke the page may break this one too
        answer = Response(BROKEN, 500, media_type="text/plain")
    # The guards do not see what was made outside of them.
    answer.headers.update(HEADERS)
    return answer


def _too_deep(request: Request, _: Exception) -> Response:
    return _answer(request, 422, "What was sent is nested far too deep to be read.", "")


def _answer(
    request: Request,
    status: int,
    message: str,
    field: str,
    beside: Mapping[str, str] | None = None,
    broken: bool = False,
) -> Response:
    if wants_json(request):
        return JSONResponse({"field": field, "message": message, **(beside or {})}, status)
    # A page of its own: the reader of the request that failed may be the reason.
    with open_reader(request) as reader:
        return HTMLResponse(
            reader.render_alone("problem.html", {"message": message, "broken": broken}), status
        )
