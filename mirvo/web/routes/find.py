"""Jumping to any tree or place by a few letters."""

from fastapi import Request
from fastapi.responses import RedirectResponse, Response

from mirvo.studio.trees import tree_names
from mirvo.web.pages import page, routes, studio_of
from mirvo.web.places import find, known_places, known_tree

router = routes()


@router.get("/find")
def jump(request: Request, q: str = "") -> Response:
    """While letters are typed a list of what they may mean; sent off, the first of it."""
    trees = [known_tree(*told) for told in tree_names(studio_of(request))]
    found = find(q, known_places(), trees)
    if request.headers.get("hx-request") == "true":
        return page(request, "find/_found.html", {"found": found, "q": q})
    if found:
        return RedirectResponse(found[0].address, 303)
    return page(request, "find/none.html", {"q": q}, 404)
