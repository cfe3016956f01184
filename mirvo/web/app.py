"""The application factory: reads as a table of contents."""

from __future__ import annotations

from pathlib import Path

from fastapi import FastAPI, Request
from fastapi.responses import HTMLResponse, JSONResponse, Response
from starlette.exceptions import HTTPException
from starlette.staticfiles import StaticFiles

from mirvo.core.errors import BadInput, Conflict, MirvoError, NotFound
from mirvo.studio.context import Studio
from mirvo.web import pages
from mirvo.web.routes import (
    almanac,
    assist,
    bench,
    care,
    compost,
    desk,
    eye,
    find,
    kit,
    materials,
    path,
    photos,
    plans,
    practice,
    session,
    species,
    timing,
    trees,
    visits,
    years,
)

PARTS = (
    *(bench, trees, photos, desk, assist, session, visits, care, timing, materials),
    *(years, path, plans, practice, almanac, species, eye, kit, compost, find),
)
STATIC = Path(__file__).parent / "static"
STATUS: tuple[tuple[type[MirvoError], int], ...] = (
    (NotFound, 404),
    (Conflict, 409),
    (BadInput, 422),
    (MirvoError, 400),
)
POLICY = (
    "default-src 'self'; img-src 'self' blob: data:; style-src 'self'; script-src 'self'; "
    "object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)
MOST_BODY = 400 * 1024 * 1024


def create_app(studio: Studio) -> FastAPI:
    """The web application on one opened data folder."""
    app = FastAPI(title="Mirvo", docs_url=None, redoc_url=None, openapi_url=None)
    app.state.studio = studio
    configure_guards(app)
    configure_errors(app)
    configure_static(app)
    configure_routes(app)
    return app


def configure_routes(app: FastAPI) -> None:
    for part in PARTS:
        app.include_router(part.router)
    app.include_router(kit.subscribed)


def configure_static(app: FastAPI) -> None:
    app.mount("/static", StaticFiles(directory=STATIC), name="static")


def configure_guards(app: FastAPI) -> None:
    @app.middleware("http")
    async def guard(request: Request, call_next):  # type: ignore[no-untyped-def]
        refused = _refuse(request)
        response: Response = refused if refused is not None else await call_next(request)
        response.headers["Content-Security-Policy"] = POLICY
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "same-origin"
        if request.url.path.startswith("/static") and "v=" in request.url.query:
            response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
        return response


def _refuse(request: Request) -> Response | None:
    """Writing from another site's page, or with a body beyond all use, is turned away."""
    if request.method in ("GET", "HEAD", "OPTIONS"):
        return None
    if request.headers.get("sec-fetch-site", "same-origin") not in ("same-origin", "none"):
        return Response("Requests from other sites are not taken.", 403)
    length = request.headers.get("content-length", "0")
    if length.isdigit() and int(length) > MOST_BODY:
        return Response("Too much at once: send at most 400 MB.", 413)
    return None


def configure_errors(app: FastAPI) -> None:
    app.add_exception_handler(MirvoError, _said_no)
    app.add_exception_handler(HTTPException, _not_there)
    app.add_exception_handler(OverflowError, _beyond_all_numbers)


def status_of(error: MirvoError) -> int:
    """HTTP status of an error of the one family."""
    return next(status for kind, status in STATUS if isinstance(error, kind))


def _said_no(request: Request, error: Exception) -> Response:
    if not isinstance(error, MirvoError):
        raise error
    message = error.message if isinstance(error, BadInput) else str(error)
    field = error.field if isinstance(error, BadInput) else ""
    return _answer(request, status_of(error), message, field)


def _not_there(request: Request, error: Exception) -> Response:
    status = error.status_code if isinstance(error, HTTPException) else 500
    message = "There is no such page." if status == 404 else "This cannot be done here."
    return _answer(request, status, message, "")


def _beyond_all_numbers(request: Request, _: Exception) -> Response:
    """A number in the address too large for any record."""
    return _answer(request, 404, "There is no such page.", "")


def _answer(request: Request, status: int, message: str, field: str) -> Response:
    if "application/json" in request.headers.get("accept", ""):
        return JSONResponse({"field": field, "message": message}, status)
    page = pages.render(request, "problem.html", {"message": message})
    return HTMLResponse(page, status)
