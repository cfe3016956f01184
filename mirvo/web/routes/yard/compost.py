"""The compost heap: laying something on it, and putting it back."""

from fastapi import APIRouter
from fastapi.responses import RedirectResponse, Response

from mirvo.studio.ground.set_aside import put_back as put_entry
from mirvo.studio.yard.compost import lay_on_heap, put_back
from mirvo.web.access import Role, only
from mirvo.web.reader import StudioDep

router = APIRouter(prefix="/compost", dependencies=only(Role.OWNER))
LISTS = {
    "tree": "/trees",
    "photo": "/trees/{0}/photos",
    "session": "/trees/{0}/sessions",
    "pot": "/shelf",
    "figures": "/trees/{0}/years",
}
# A tree put back is shown itself; photos and sessions in their list.
BACK = {**LISTS, "tree": "/trees/{0}"}


@router.post("/entries/{number}/back")
def put_entry_back(studio: StudioDep, number: int) -> Response:
    """Of a soil recipe, a graft and the like."""
    put_entry(studio, number)
    return RedirectResponse("/kit#compost", 303)


@router.post("/{kind}/{number}")
def lay(studio: StudioDep, kind: str, number: int) -> Response:
    laid = lay_on_heap(studio, kind, number)
    return RedirectResponse(f"{LISTS[kind].format(laid.tree_id)}?laid={kind}-{number}", 303)


@router.post("/{kind}/{number}/back")
def back(studio: StudioDep, kind: str, number: int) -> Response:
    laid = put_back(studio, kind, number)
    return RedirectResponse(BACK[kind].format(laid.tree_id), 303)
