"""The compost heap: laying a tree, photo or session on it, and putting it back."""

from fastapi import Request
from fastapi.responses import RedirectResponse, Response

from mirvo.studio.compost import lay_on_heap, put_back
from mirvo.web.pages import routes, studio_of

router = routes(prefix="/compost")
LISTS = {"tree": "/trees", "photo": "/trees/{0}/photos", "session": "/trees/{0}/sessions"}
BACK = {**LISTS, "tree": "/trees/{0}"}


@router.post("/{kind}/{number}")
def lay(request: Request, kind: str, number: int) -> Response:
    laid = lay_on_heap(studio_of(request), kind, number)
    return RedirectResponse(f"{LISTS[kind].format(laid.tree_id)}?laid={kind}-{number}", 303)


@router.post("/{kind}/{number}/back")
def back(request: Request, kind: str, number: int) -> Response:
    laid = put_back(studio_of(request), kind, number)
    return RedirectResponse(BACK[kind].format(laid.tree_id), 303)
