"""The application factory: reads as a table of contents."""

from __future__ import annotations

import ipaddress
from collections.abc import Collection, Mapping
from errno import EACCES, ENOSPC, EPERM, EROFS
from pathlib import Path
from urllib.parse import urlsplit

from fastapi import Depends, FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, Response
from sqlalchemy.exc import OperationalError
from starlette.concurrency import run_in_threadpool
from starlette.exceptions import HTTPException
from starlette.staticfiles import StaticFiles
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from mirvo.core.complaints import sentence
from mirvo.core.errors import BadInput, Conflict, Damaged, MirvoError, NotFound
from mirvo.core.forms import read_whole
from mirvo.studio.context import Studio
from mirvo.studio.path.replanner import Replanner
from mirvo.web.api import create_api
from mirvo.web.door import admit
from mirvo.web.forms import complaints_of, show_again, wants_json
from mirvo.web.reader import open_reader, plans_settled
from mirvo.web.routes.almanac import almanac, practice, species
from mirvo.web.routes.bench_session import session
from mirvo.web.routes.exchange import club, dossier, exchange, tables
from mirvo.web.routes.measuring import assist, desk, eye_check, years
from mirvo.web.routes.path import path, plans
from mirvo.web.routes.photos import photos
from mirvo.web.routes.records import aftercare, root_sessions
from mirvo.web.routes.shelf import labels, materials, pots, soil
from mirvo.web.routes.yard import (
    bench,
    compost,
    family,
    find,
    former,
    kit,
    people,
    sharing,
    trees,
    triage,
)

# Pages that say how trees stand, and those that do not.
PARTS = (
    *(bench, trees, triage, kit, compost, sharing, family),
    *(session, root_sessions, aftercare),
    *(path, plans, materials, pots, soil, labels, exchange, tables, club, dossier),
)
OTHER_PARTS = (
    *(photos, desk, assist, years, eye_check),
    *(almanac, species, practice),
    *(find, former, people),
)
STATIC = Path(__file__).parent / "static"
STATUS: tuple[tuple[type[MirvoError], int], ...] = (
    (NotFound, 404),
    (Conflict, 409),
    (Damaged, 409),
    (BadInput, 422),
    # Last, because all the others are of its kind.
    (MirvoError, 400),
)
POLICY = (
    "default-src 'self'; img-src 'self' blob: data:; style-src 'self'; script-src 'self'; "
    "object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)
HEADERS = {
    "Content-Security-Policy": POLICY,
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
}
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
# A session's photos from a good camera, and then some.
MAX_BODY = 400 * 1024 * 1024
TOO_MUCH = "Too much at once: send at most 400 MB."
WORKER = "/static/js/worker.js"
# Names that no one outside the home network can have lead anywhere; others are named here.
HOME = (".local", ".lan", ".home.arpa")


def create_app(studio: Studio, names: Collection[str] = ()) -> FastAPI:
    """The web application on one opened data folder. names : of this computer that are its own,
    beside addresses and names of the home."""
    app = FastAPI(title="Mirvo", docs_url=None, redoc_url=None, openapi_url=None)
    app.state.studio = studio
    studio.replanner = Replanner(studio)
    app.add_middleware(BoundedBodies)
    configure_guards(app, names)
    configure_errors(app)
    configure_static(app)
    configure_api(app, studio)
    configure_routes(app)
    return app


def configure_routes(app: FastAPI) -> None:
    for part in PARTS:
        app.include_router(part.router, dependencies=[Depends(plans_settled)])
    for part in OTHER_PARTS:
        app.include_router(part.router)


def configure_api(app: FastAPI, studio: Studio) -> None:
    """The interface for programs; it has errors and a description of its own."""
    app.mount("/api/v1", create_api(studio), name="api")


def configure_static(app: FastAPI) -> None:
    app.mount("/static", StaticFiles(directory=STATIC), name="static")


def configure_guards(app: FastAPI, names: Collection[str]) -> None:
    @app.middleware("http")
    async def guard(request: Request, call_next):  # type: ignore[no-untyped-def]
        refused = _refuse(request, names) or await run_in_threadpool(admit, request)
        response: Response = refused if refused is not None else await call_next(request)
        response.headers.update(HEADERS)
        # Its address changes with its content, so it may be kept for a year.
        if request.url.path.startswith("/static") and "v=" in request.url.query:
            response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
        if request.url.path == WORKER:
            # It lies among the scripts and keeps pages all over the site.
            response.headers["Service-Worker-Allowed"] = "/"
        return response


class BoundedBodies:
    """Bodies sent piece by piece, without a length, are bounded as they come in."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        taken = 0

        async def counted() -> Message:
            nonlocal taken
            message = await receive()
            taken += len(message.get("body", b""))
            if taken > MAX_BODY:
                raise HTTPException(413, TOO_MUCH)
            return message

        await self.app(scope, counted if scope["type"] == "http" else receive, send)


def _refuse(request: Request, names: Collection[str]) -> Response | None:
    """A foreign name for this computer, writing from another site's page, or a body beyond all
    use is turned away."""
    host = request.headers.get("host", "")
    if not _is_own(host, names):
        return Response("Mirvo does not answer under this name.", 421)
    if request.method in ("GET", "HEAD", "OPTIONS"):
        return None
    # Browsers say from which site a request comes; a form on another site must not write here.
    site = request.headers.get("sec-fetch-site", "same-origin")
    origin = request.headers.get("origin")
    if site not in ("same-origin", "none") or (
        origin is not None and urlsplit(origin).netloc != host
    ):
        return Response("Mirvo does not accept requests from other sites.", 403)
    length = read_whole(request.headers.get("content-length", "0"))
    if length is None or length > MAX_BODY:
        return Response(TOO_MUCH, 413)
    return None


def _is_own(host: str, names: Collection[str]) -> bool:
    """Whether a request's host can only mean this computer: an address, or a name of the home.

    A page of another site can have its own name lead here, and would then read all there is.
    """
    try:
        name = urlsplit(f"//{host}").hostname or ""
    except ValueError:
        return False
    if name in names or "." not in name or name.endswith(HOME):
        return bool(name)
    try:
        ipaddress.ip_address(name)
    except ValueError:
        return False
    return True


def configure_errors(app: FastAPI) -> None:
    app.add_exception_handler(MirvoError, _refused)
    app.add_exception_handler(RequestValidationError, _refused)
    app.add_exception_handler(HTTPException, _not_there)
    app.add_exception_handler(OverflowError, _beyond_all_numbers)
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
    if isinstance(error, BadInput):
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
        answer = _answer(request, 500, BROKEN, "")
    except Exception:  # what broke the page may break this one too
        answer = Response(BROKEN, 500, media_type="text/plain")
    # The guards do not see what was made outside of them.
    answer.headers.update(HEADERS)
    return answer


def _beyond_all_numbers(request: Request, _: Exception) -> Response:
    """A number in the address too large for any record."""
    return _answer(request, 404, NO_PAGE, "")


def _too_deep(request: Request, _: Exception) -> Response:
    return _answer(request, 422, "What was sent is nested far too deep to be read.", "")


def _answer(
    request: Request, status: int, message: str, field: str, beside: Mapping[str, str] | None = None
) -> Response:
    if wants_json(request):
        return JSONResponse({"field": field, "message": message, **(beside or {})}, status)
    # A page of its own: the reader of the request that failed may be the reason.
    with open_reader(request) as reader:
        return reader.page("problem.html", {"message": message}, status)
