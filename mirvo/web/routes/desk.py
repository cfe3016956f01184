"""Root desk: the page, and keeping marks with the figures they give."""

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, JSONResponse
from starlette.concurrency import run_in_threadpool

from mirvo.core.errors import BadInput
from mirvo.studio import desk as use
from mirvo.studio.trees import get_tree
from mirvo.web.drawings.wheel import draw_wheel
from mirvo.web.pages import page, render, studio_of

router = APIRouter()


@router.get("/photos/{photo_id}/desk")
def show_desk(request: Request, photo_id: int) -> HTMLResponse:
    studio = studio_of(request)
    state = use.open_desk(studio, photo_id)
    tree = get_tree(studio, state.photo.tree_id)
    context = {**_panel_context(state), "tree": tree, "state": state}
    return page(request, "desk/desk.html", context)


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
    state = use.save_marks(studio_of(request), photo_id, sent.get("marks"), sent["revision"])
    return JSONResponse(
        {
            "revision": state.revision,
            "problem": state.problem,
            "missing": state.missing,
            "panel": render(request, "desk/_figures.html", _panel_context(state)),
        }
    )


def _panel_context(state: use.DeskState) -> dict[str, Any]:
    figures = state.figures
    return {
        "figures": figures,
        "missing": state.missing,
        "problem": state.problem,
        "wheel": None if figures is None else draw_wheel(figures, 330.0),
        "marks": state.marks,
    }
