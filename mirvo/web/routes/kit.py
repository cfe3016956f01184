"""Kit: the card to print, the calendar for other programs, backup, the compost heap."""

from fastapi import Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response, StreamingResponse

from mirvo.formats.calendar import calendar_file
from mirvo.formats.card import card_pdf, card_svg
from mirvo.studio.backups import backup_is_due, backup_pieces
from mirvo.studio.calendar import calendar_of, drop_secret, entries_of, new_secret
from mirvo.studio.compost import heap
from mirvo.web.forms import fields_of
from mirvo.web.pages import page, routes, studio_of

subscribed = routes()
router = routes(prefix="/kit")


@router.get("")
def show(request: Request) -> HTMLResponse:
    studio = studio_of(request)
    context = {
        "base": str(request.base_url),
        "entries": entries_of(studio)[:8],
        "heap": heap(studio),
        "backup_due": backup_is_due(studio),
    }
    return page(request, "kit/kit.html", context)


@router.get("/card.pdf")
def pdf() -> Response:
    return _file(card_pdf(), "application/pdf", "mirvo-card.pdf")


@router.get("/card.svg")
def svg() -> Response:
    return Response(card_svg(), media_type="image/svg+xml")


@router.get("/backup.zip")
def backup(request: Request) -> Response:
    studio = studio_of(request)
    name = f"mirvo-{studio.today.isoformat()}.zip"
    header = {"Content-Disposition": f'attachment; filename="{name}"', "Cache-Control": "no-store"}
    return StreamingResponse(backup_pieces(studio), media_type="application/zip", headers=header)


@router.get("/calendar.ics")
def calendar(request: Request) -> Response:
    studio = studio_of(request)
    content = calendar_file(studio.yard().name, entries_of(studio), studio.now)
    return _file(content, "text/calendar", "mirvo.ics")


@router.post("/calendar")
async def subscription(request: Request) -> Response:
    fields = fields_of(await request.form())
    studio = studio_of(request)
    if "stop" in fields:
        drop_secret(studio)
    else:
        new_secret(studio)
    return RedirectResponse("/kit#calendar", 303)


@subscribed.get("/calendar/{secret}.ics")
def subscribed_calendar(request: Request, secret: str) -> Response:
    return Response(calendar_of(studio_of(request), secret), media_type="text/calendar")


def _file(content: bytes, media_type: str, name: str) -> Response:
    header = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Response(content, media_type=media_type, headers=header)
