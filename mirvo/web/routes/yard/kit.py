"""Kit: the card to print, the calendar for other programs, backup, the compost heap."""

from collections.abc import Iterator
from typing import Annotated

from fastapi import APIRouter, Form, UploadFile
from fastapi.responses import (
    JSONResponse,
    RedirectResponse,
    Response,
    StreamingResponse,
)
from pydantic import Field

from mirvo.core.errors import BadInput
from mirvo.core.lengths import LENGTH, MM
from mirvo.formats.calendar import calendar_file
from mirvo.formats.card import card_pdf, card_svg
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.people import people_of
from mirvo.studio.ground.set_aside import deleted
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.measuring.card_print import put_card_line
from mirvo.studio.yard.backups import backup_is_due, backup_pieces, mark_backed_up
from mirvo.studio.yard.calendar import calendar_of, drop_secret, entries_of, new_secret
from mirvo.studio.yard.compost import heap
from mirvo.studio.yard.restoring import drop_waiting, stage_backup, waiting_backup
from mirvo.web.access import Role, only
from mirvo.web.form_models import FormModel
from mirvo.web.forms import Filled, fields_from, shown_again_on
from mirvo.web.preferences import LOOKS, UNITS, Preferences, keep_preferences
from mirvo.web.reader import PageReader, Reader, StudioDep
from mirvo.web.routes.yard.sharing import address_of
from mirvo.web.templating import asset

router = APIRouter(dependencies=only(Role.HELPER))
# The calendar file has them all; here one sees what it is about.
SHOWN = 8
# The ground of the stylesheet, for the frame a device puts round the page.
CHALK = "#F6F3EC"


class SubscriptionForm(FormModel):
    """stop : the address is to go; else a new one is wanted."""

    stop: str = ""


class CardForm(FormModel):
    """What the check line on the studio's own print measures; empty while unknown."""

    card_line_mm: Annotated[float, LENGTH, Field(ge=50, le=150, allow_inf_nan=False)] | None = None


def kit_page(reader: PageReader, filled: Filled) -> Response:
    context = {
        "fields": filled.fields or fields_from(yard_of(reader.db), ("card_line_mm",)),
        "errors": filled.errors,
        "base": f"{address_of(reader.request)}/",
        "entries": entries_of(reader.db, reader.today, SHOWN),
        "heap": heap(reader.db) if reader.owns else [],
        "deleted": deleted(reader.db) if reader.owns else [],
        "people": people_of(reader.db) if reader.owns else [],
        "waiting": waiting_backup(reader.studio.folder),
        # Where a server listens for other devices too.
        "answers_at": getattr(reader.request.app.state, "address", ""),
        # Only a server that was told where keeps one.
        "copies": getattr(reader.request.app.state, "copies", None),
        "backup_due": backup_is_due(reader.db, reader.studio.now),
    }
    return reader.page("yard/kit.html", context, filled.status)


@router.get("/kit")
def show(reader: Reader) -> Response:
    return kit_page(reader, Filled())


@router.post("/kit/card", dependencies=only(Role.OWNER))
@shown_again_on(kit_page)
def measure_card(studio: StudioDep, form: Annotated[CardForm, Form()]) -> Response:
    put_card_line(studio, form.card_line_mm)
    return RedirectResponse("/kit#card-line", 303)


class PreferencesForm(FormModel):
    """How one browser shows pages; what is not offered is as if nothing had been said."""

    look: str = ""
    units: str = MM
    camera: bool = False


@router.post("/kit/preferences")
def choose(form: Annotated[PreferencesForm, Form()]) -> Response:
    answer = RedirectResponse("/kit#preferences", 303)
    chosen = Preferences(
        form.look if form.look in LOOKS else "",
        form.units if form.units in UNITS else MM,
        form.camera,
    )
    keep_preferences(answer, chosen)
    return answer


@router.get("/manifest.webmanifest", dependencies=only(Role.GUEST))
def manifest(reader: Reader) -> Response:
    """What a device needs to know to keep Mirvo among its programs."""
    name = yard_of(reader.db).name
    icons = [
        {"src": asset("mark.svg"), "type": "image/svg+xml", "sizes": "any"},
        {"src": asset("mark-192.png"), "type": "image/png", "sizes": "192x192"},
        {"src": asset("mark-512.png"), "type": "image/png", "sizes": "512x512"},
    ]
    content = {
        "name": f"Mirvo, {name}",
        "short_name": "Mirvo",
        "start_url": "/",
        "scope": "/",
        "display": "standalone",
        "background_color": CHALK,
        "theme_color": CHALK,
        "icons": icons,
    }
    return JSONResponse(content, media_type="application/manifest+json")


@router.get("/kit/card.pdf")
def pdf() -> Response:
    return _file(card_pdf(), "application/pdf", "mirvo-card.pdf")


@router.get("/kit/card.svg")
def svg() -> Response:
    return Response(card_svg(), media_type="image/svg+xml")


@router.post("/kit/backup.zip", dependencies=only(Role.OWNER))
def backup(studio: StudioDep) -> Response:
    """The whole studio; once it has been handed over whole, it counts as made."""
    # A browser must not hand out yesterday's backup from its own store.
    header = {**_named(f"mirvo-{studio.today.isoformat()}.zip"), "Cache-Control": "no-store"}
    return StreamingResponse(_whole(studio), media_type="application/zip", headers=header)


def _whole(studio: Studio) -> Iterator[bytes]:
    # Only after the last piece: a broken download is no backup.
    yield from backup_pieces(studio)
    mark_backed_up(studio)


class RestoreForm(FormModel):
    """A backup to be put back."""

    backup: UploadFile | None = None


@router.post("/kit/restore", dependencies=only(Role.OWNER))
@shown_again_on(kit_page)
def put_back(
    studio: StudioDep, form: Annotated[RestoreForm, Form(media_type="multipart/form-data")]
) -> Response:
    """A backup is checked, and waits for the next start."""
    if form.backup is None or not form.backup.filename:
        raise BadInput("backup", "Choose the file of a backup first.")
    stage_backup(studio.folder, form.backup.file, studio.now)
    return RedirectResponse("/kit#backup", 303)


@router.post("/kit/restore/drop", dependencies=only(Role.OWNER))
def leave_it(studio: StudioDep) -> Response:
    drop_waiting(studio.folder)
    return RedirectResponse("/kit#backup", 303)


@router.get("/kit/calendar.ics", dependencies=only(Role.OWNER))
def calendar(reader: Reader) -> Response:
    entries = entries_of(reader.db, reader.today)
    content = calendar_file(yard_of(reader.db).name, entries, reader.studio.now)
    return _file(content, "text/calendar", "mirvo.ics")


@router.post("/kit/calendar", dependencies=only(Role.OWNER))
def subscription(studio: StudioDep, form: Annotated[SubscriptionForm, Form()]) -> Response:
    if form.stop:
        drop_secret(studio)
    else:
        new_secret(studio)
    return RedirectResponse("/kit#calendar", 303)


@router.get("/calendar/{secret}.ics", dependencies=only(Role.ANYONE))
def subscribed_calendar(reader: Reader, secret: str) -> Response:
    content = calendar_of(reader.db, reader.studio, secret)
    return Response(content, media_type="text/calendar")


def _file(content: bytes, media_type: str, name: str) -> Response:
    return Response(content, media_type=media_type, headers=_named(name))


def _named(name: str) -> dict[str, str]:
    return {"Content-Disposition": f'attachment; filename="{name}"'}
