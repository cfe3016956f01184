"""Help on the root desk: proposals as they come, traces and snaps, and stopping them."""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import JSONResponse, Response

from mirvo.studio.measuring import assist as use
from mirvo.web.access import Role, only
from mirvo.web.form_models import SentModel
from mirvo.web.reader import StudioDep
from mirvo.web.routes.jobs import job_begun

router = APIRouter(prefix="/photos/{photo_id}/assist", dependencies=only(Role.HELPER))


class Question(SentModel):
    """What is asked about a photo: its marks, and the points it is about."""

    marks: Any = None
    tip: Any = None
    path: Any = None
    width: Any = None
    rough: Any = None


@router.post("/propose")
def propose(studio: StudioDep, photo_id: int, sent: Question) -> JSONResponse:
    desk = f"/photos/{photo_id}/desk"
    job = studio.jobs.begin(
        "Looking for roots",
        use.prepare_proposals(studio, photo_id, sent.marks),
        page=desk,
        back=desk,
        as_json=_as_json,
    )
    return job_begun(job)


@router.post("/trunk")
def trunk(studio: StudioDep, photo_id: int, sent: Question) -> JSONResponse:
    return JSONResponse(use.trunk(studio, photo_id, sent.marks).model_dump(mode="json"))


@router.post("/trace")
def trace(studio: StudioDep, photo_id: int, sent: Question) -> JSONResponse:
    found = use.trace(studio, photo_id, sent.marks, sent.tip)
    return JSONResponse(found.model_dump(mode="json"))


@router.post("/width")
def width(studio: StudioDep, photo_id: int, sent: Question) -> JSONResponse:
    found = use.width(studio, photo_id, sent.marks, sent.path)
    return JSONResponse(found.model_dump(mode="json"))


@router.post("/flanks")
def flanks(studio: StudioDep, photo_id: int, sent: Question) -> JSONResponse:
    return JSONResponse({"width": use.flanks(studio, photo_id, sent.width, sent.path)})


@router.post("/outline")
def outline(studio: StudioDep, photo_id: int, sent: Question) -> JSONResponse:
    return JSONResponse(use.outline(studio, photo_id, sent.rough).model_dump(mode="json"))


@router.post("/edge")
def edge(studio: StudioDep, photo_id: int, sent: Question) -> JSONResponse:
    return JSONResponse({"edge": use.edge(studio, photo_id, sent.rough)})


@router.post("/ready")
def make_ready(studio: StudioDep, photo_id: int, sent: Question) -> Response:
    use.make_ready(studio, photo_id, sent.marks)
    return Response(status_code=204)


def _as_json(offers: list[use.Offer]) -> list[dict[str, Any]]:
    return [{**one.root.model_dump(mode="json"), "doubtful": one.doubtful} for one in offers]
