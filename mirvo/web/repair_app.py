"""What is served when the records cannot be opened: the page Repair, on this computer alone."""

from __future__ import annotations

from collections.abc import Awaitable, Callable
from datetime import datetime
from pathlib import Path
from typing import Annotated

from fastapi import FastAPI, Form, Request, UploadFile
from fastapi.exceptions import RequestValidationError
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from starlette.staticfiles import StaticFiles

from mirvo.core.errors import BadInput, MirvoError
from mirvo.records.models import Yard
from mirvo.studio.yard.repair import copies_of_records, log_lines, stage_copy
from mirvo.studio.yard.restoring import drop_waiting, stage_backup, waiting_backup
from mirvo.web.access import is_this_computer
from mirvo.web.app import STATIC, STATIC_AT
from mirvo.web.guards import HEADERS, own_hosts, refuse_foreign
from mirvo.web.preferences import preferences_of
from mirvo.web.templating import environment

REPAIR = "/repair"
Answering = Callable[[Request], Awaitable[Response]]


def create_repair_app(folder: Path, reason: str, clock: Callable[[], datetime]) -> FastAPI:
    """The page Repair on a data folder whose records cannot be opened. reason : why they cannot."""
    app = FastAPI(title="Mirvo", docs_url=None, redoc_url=None, openapi_url=None)
    names = own_hosts(())

    @app.middleware("http")
    async def guarded(request: Request, answer: Answering) -> Response:
        refused = refuse_foreign(request, names)
        if refused is None and not is_this_computer(request):
            refused = Response("Mirvo answers on its own computer alone.", 403)
        found = refused or await answer(request)
        found.headers.update(HEADERS)
        return found

    app.mount(STATIC_AT, StaticFiles(directory=STATIC), name="static")

    @app.post(f"{REPAIR}/copy")
    def put_copy_back(request: Request, name: Annotated[str, Form()] = "") -> Response:
        return _done(request, lambda: stage_copy(folder, name))

    @app.post("/kit/restore")
    def put_backup_back(request: Request, backup: UploadFile) -> Response:
        return _done(request, lambda: stage_backup(folder, backup.file, clock()))

    @app.post("/kit/restore/drop")
    def leave_it(request: Request) -> Response:
        return _done(request, lambda: drop_waiting(folder))

    def _done(request: Request, work: Callable[[], object]) -> Response:
        try:
            work()
        except MirvoError as error:
            return _page(request, error)
        return RedirectResponse(f"{REPAIR}#backup", 303)

    def _page(request: Request, error: MirvoError | None = None) -> Response:
        context = {
            "reason": reason,
            "copies": copies_of_records(folder),
            "waiting": waiting_backup(folder),
            "log": log_lines(folder),
            "folder": folder,
            "error": error,
            "of_entry": None,
            "records_open": False,
            "problems": [],
            "signed_in": None,
            "tour": None,
            "laid": None,
            # What every page needs; there are no places to go to.
            "yard": Yard(name="Mirvo"),
            "studio_key": "",
            "place": REPAIR,
            "looks_on": True,
            "owns": True,
            "preferences": preferences_of(request),
        }
        status = 200 if error is None else 422
        return HTMLResponse(environment().get_template("yard/repair.html").render(context), status)

    @app.exception_handler(RequestValidationError)
    def nothing_chosen(request: Request, _: Exception) -> Response:
        return _page(request, BadInput("backup", "Choose the file of a backup first."))

    @app.get("/{place:path}")
    def show(request: Request, place: str) -> Response:
        """Wherever one wants to go, this comes first."""
        return _page(request) if f"/{place}" == REPAIR else RedirectResponse(REPAIR, 303)

    return app
