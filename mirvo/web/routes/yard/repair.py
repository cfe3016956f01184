"""Repair: a page that opens whatever the data hold. Each of its parts may fail alone."""

from __future__ import annotations

import logging
from collections.abc import Callable
from typing import Annotated, Any

from fastapi import APIRouter, Form, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from mirvo.core.errors import MirvoError
from mirvo.studio.ground.set_aside import beyond_limits, leave_out, put_back
from mirvo.studio.standing.tree_list import left_out
from mirvo.studio.yard import repair as use
from mirvo.studio.yard.backups import days_since_backup
from mirvo.studio.yard.checkup import Checkup, check_folder
from mirvo.studio.yard.restoring import waiting_backup
from mirvo.web.access import Role, only
from mirvo.web.form_models import FormModel
from mirvo.web.reader import StudioDep, open_reader

router = APIRouter(dependencies=only(Role.OWNER))
REPAIR = "/repair"
log = logging.getLogger(__name__)


class RightValueForm(FormModel):
    """The right value for one that was set aside."""

    value: str = ""


class CopyForm(FormModel):
    """The copy of the records that is to be put back."""

    name: str = ""


def _page(
    request: Request,
    checkup: Checkup | None = None,
    error: MirvoError | None = None,
    of_entry: int | None = None,
) -> Response:
    problems: list[str] = []

    def part(read: Callable[[], Any], nothing: Any) -> Any:
        try:
            return read()
        except Exception as wrong:  # what is broken elsewhere must not break this page
            log.exception("a part of the repair page cannot be shown")
            problems.append(f"{type(wrong).__name__}: {wrong}"[:300])
            return nothing

    with open_reader(request) as reader:
        studio, db = reader.studio, reader.db
        context = {
            "aside": part(lambda: beyond_limits(db), []),
            "wrong": part(lambda: use.still_beyond_limits(studio), []),
            "left_out": part(lambda: left_out(db, reader.today), []),
            "copies": part(lambda: use.copies_of_records(studio.folder), []),
            "waiting": part(lambda: waiting_backup(studio.folder), None),
            "days": part(lambda: days_since_backup(db, studio.now), None),
            "log": part(lambda: use.log_lines(studio.folder), []),
            "folder": studio.folder,
            "checkup": checkup,
            "error": error,
            "of_entry": of_entry,
            "problems": problems,
            "records_open": True,
            "reason": "",
        }
        status = 200 if error is None else 422
        return HTMLResponse(reader.render_alone("yard/repair.html", context), status)


@router.get(REPAIR)
def show_repair(request: Request) -> Response:
    return _page(request)


@router.post(f"{REPAIR}/check")
def check(request: Request, studio: StudioDep) -> Response:
    """Compare records and files; on a large studio this takes a while."""
    return _page(request, check_folder(studio))


@router.post(f"{REPAIR}/copy")
def put_copy_back(
    request: Request, studio: StudioDep, form: Annotated[CopyForm, Form()]
) -> Response:
    try:
        use.stage_copy(studio.folder, form.name)
    except MirvoError as error:
        return _page(request, error=error)
    return RedirectResponse(f"{REPAIR}#backup", 303)


@router.post(f"{REPAIR}/aside/{{number}}/back")
def put_entry_back(
    request: Request, studio: StudioDep, number: int, form: Annotated[RightValueForm, Form()]
) -> Response:
    try:
        put_back(studio, number, form.value)
    except MirvoError as error:
        return _page(request, error=error, of_entry=number)
    return RedirectResponse(f"{REPAIR}#aside", 303)


@router.post(f"{REPAIR}/aside/{{number}}/leave")
def leave_entry_out(studio: StudioDep, number: int) -> Response:
    leave_out(studio, number)
    return RedirectResponse(f"{REPAIR}#aside", 303)
