"""Eye check: practice on a photo whose truth is known."""

from dataclasses import asdict
from typing import Any

from fastapi import APIRouter
from fastapi.responses import FileResponse, JSONResponse, RedirectResponse, Response

from mirvo.studio.measuring import eye_check as use
from mirvo.web.access import Role, only
from mirvo.web.form_models import SentModel
from mirvo.web.reader import Reader, StudioDep

router = APIRouter(prefix="/eye-checks", dependencies=only(Role.HELPER))


class SentRound(SentModel):
    """One round of clicks, px, in the order they were asked for."""

    points: Any = None


@router.get("")
def show(reader: Reader) -> Response:
    checks = use.finished_checks(reader.db)
    return reader.page("measuring/eye_checks.html", {"checks": checks})


@router.post("")
def begin(studio: StudioDep) -> Response:
    return RedirectResponse(f"/eye-checks/{use.begin_check(studio)}", 303)


@router.get("/{check_id}")
def show_check(reader: Reader, check_id: int) -> Response:
    check = use.load_check(reader.db, check_id)
    # The truth of a check that is done is shown, so nothing is asked any more.
    asked = [] if check.result else [asdict(place) for place in use.asked_places(check)]
    context = {"check": check, "asked": asked, "size": use.SIZE}
    return reader.page("measuring/eye_check.html", context)


@router.get("/{check_id}/photo.jpg")
def picture(reader: Reader, check_id: int) -> FileResponse:
    return FileResponse(use.picture(reader.studio, use.load_check(reader.db, check_id)))


@router.put("/{check_id}/round")
def save_round(studio: StudioDep, check_id: int, sent: SentRound) -> JSONResponse:
    check = use.save_round(studio, check_id, sent.points)
    return JSONResponse({"done": check.result is not None})
