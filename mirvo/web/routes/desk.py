"""Root desk: the page, and keeping marks with the figures they give."""

from typing import Any

from fastapi import Request
from fastapi.responses import HTMLResponse, JSONResponse
from starlette.concurrency import run_in_threadpool

from mirvo.core.errors import BadInput
from mirvo.studio import desk as use
from mirvo.studio.context import Studio
from mirvo.studio.marked import view_of
from mirvo.studio.photo_sets import letters_elsewhere, photos_of_set
from mirvo.studio.side_views import root_plane_of_day, views_of_day
from mirvo.studio.trees import get_tree
from mirvo.web.drawings.wheel import draw_wheel
from mirvo.web.pages import page, render, routes, studio_of

router = routes()


@router.get("/photos/{photo_id}/desk")
def show_desk(request: Request, photo_id: int) -> HTMLResponse:
    studio = studio_of(request)
    state = use.open_desk(studio, photo_id)
    tree = get_tree(studio, state.photo.tree_id)
    context = {**_panel_context(studio, state), "tree": tree, "state": state}
    return page(request, "desk/desk.html", context)


@router.get("/photos/{photo_id}/marks")
def show_marks(request: Request, photo_id: int) -> JSONResponse:
    state = use.open_desk(studio_of(request), photo_id)
    return JSONResponse({"revision": state.revision, "marks": state.marks})


@router.put("/photos/{photo_id}/marks")
async def save_marks(request: Request, photo_id: int) -> JSONResponse:
    try:
        sent = await request.json()
    except ValueError:
        raise BadInput("marks", "this is not JSON") from None
    if not isinstance(sent, dict) or not isinstance(sent.get("revision"), int):
        raise BadInput("revision", "the number of the last known revision is missing")
    return await run_in_threadpool(_save, request, photo_id, sent)


def _save(request: Request, photo_id: int, sent: dict[str, Any]) -> JSONResponse:
    studio = studio_of(request)
    state = use.save_marks(studio, photo_id, sent.get("marks"), sent["revision"])
    context = _panel_context(studio, state)
    return JSONResponse(
        {
            "revision": state.revision,
            "problem": state.problem,
            "missing": state.missing,
            "elsewhere": context["elsewhere"],
            "panel": render(request, context["panel"], context),
        }
    )


def _panel_context(studio: Studio, state: use.DeskState) -> dict[str, Any]:
    side = view_of(state.photo) == "side"
    return {
        "panel": "desk/_side_figures.html" if side else "desk/_figures.html",
        "figures": state.figures,
        "missing": state.missing,
        "problem": state.problem,
        "marks": state.marks,
        **(_side_context(studio, state) if side else _top_context(studio, state)),
    }


def _top_context(studio: Studio, state: use.DeskState) -> dict[str, Any]:
    wheel = None if state.figures is None else draw_wheel(state.figures, 330.0)
    members = photos_of_set(studio, state.photo)
    return {
        "wheel": wheel,
        "view": "top",
        "elsewhere": letters_elsewhere(members, state.photo),
        "members": members if state.marks.get("set") else [],
        "here": state.photo.id,
    }


def _side_context(studio: Studio, state: use.DeskState) -> dict[str, Any]:
    photo = state.photo
    plane = root_plane_of_day(studio, photo.tree_id, photo.taken_on)
    return {
        "view": "side",
        "elsewhere": [],
        "plane": plane,
        "views": views_of_day(studio, photo.tree_id, photo.taken_on),
        "here": photo.id,
    }
