"""Visits: a root session at the bench, its taps and photos handed over, and its closing."""

import uuid
from typing import Any

from fastapi import Body, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import UploadFile

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.rootwork import KINDS, kind_by_key
from mirvo.core.rootwork.bench import bares_roots
from mirvo.studio import visits as use
from mirvo.studio.closing import close_visit, unfinished
from mirvo.studio.context import Studio
from mirvo.studio.deciding import deciding
from mirvo.studio.plans import newest_step
from mirvo.studio.taps import keep_photo, keep_taps
from mirvo.studio.trees import get_tree
from mirvo.web.drawings.ball import draw_ball
from mirvo.web.drawings.supply import draw_supply
from mirvo.web.drawings.wheel import draw_cuts
from mirvo.web.forms import fields_of
from mirvo.web.pages import page, render, routes, studio_of

router = routes()
WHEEL_PX = 380.0
Sent = Body(...)


@router.get("/trees/{tree_id}/visits/new")
def choose_kind(request: Request, tree_id: int) -> Response:
    studio = studio_of(request)
    running = use.open_visit(studio, tree_id)
    if running is not None:
        return RedirectResponse(f"/visits/{running.id}", 303)
    context = {
        "tree": get_tree(studio, tree_id),
        "kinds": KINDS,
        "step": newest_step(studio, tree_id, studio.today.year),
    }
    return page(request, "visit/begin.html", context)


@router.post("/trees/{tree_id}/visits")
async def begin(request: Request, tree_id: int) -> Response:
    fields = fields_of(await request.form())
    visit = use.begin(studio_of(request), tree_id, fields.get("kind", "routine"))
    return RedirectResponse(f"/visits/{visit.id}", 303)


@router.get("/visits/{visit_id}")
def show(request: Request, visit_id: int) -> Response:
    studio = studio_of(request)
    view = use.visit_view(studio, visit_id)
    if view.visit.session_id is not None:
        return RedirectResponse(f"/sessions/{view.visit.session_id}", 303)
    return page(request, "visit/visit.html", _context(studio, view))


@router.post("/visits/{visit_id}/taps")
def take_taps(request: Request, visit_id: int, sent: dict[str, Any] = Sent) -> JSONResponse:
    studio = studio_of(request)
    handed = keep_taps(studio, visit_id, sent.get("taps"))
    context = _context(studio, use.visit_view(studio, visit_id))
    parts = {name: render(request, f"visit/_{name}.html", context) for name in context["parts"]}
    return JSONResponse({"kept": handed.kept, "refused": handed.refused, "parts": parts})


@router.post("/visits/{visit_id}/photos")
async def take_photo(request: Request, visit_id: int) -> JSONResponse:
    async with request.form(max_files=1) as sent:
        photo, name, step = (sent.get(key) for key in ("photo", "id", "step"))
        if not isinstance(photo, UploadFile):
            raise BadInput("photo", "choose a photo first")
        content = await photo.read()
        kept = await run_in_threadpool(
            keep_photo,
            studio_of(request),
            visit_id,
            str(name),
            str(step),
            photo.filename or "photo.jpg",
            content,
        )
    return JSONResponse({"photo": kept.id})


@router.post("/visits/{visit_id}/steps")
async def keep_step(request: Request, visit_id: int) -> Response:
    """A step sent as a plain form, where no script runs."""
    sent = await request.form()
    studio = studio_of(request)
    view = await run_in_threadpool(use.visit_view, studio, visit_id)
    step = next((one for one in view.steps if one.key == sent.get("step")), None)
    if step is None:
        raise BadInput("step", "this session has no such step")
    taps = [{"id": uuid.uuid4().hex, **tap} for tap in _taps_of_form(step, sent)]
    handed = await run_in_threadpool(keep_taps, studio, visit_id, taps)
    if handed.refused:
        raise BadInput(handed.refused[0]["field"], handed.refused[0]["message"])
    return RedirectResponse(f"/visits/{visit_id}#{step.key}", 303)


@router.post("/visits/{visit_id}/close")
def close(request: Request, visit_id: int) -> Response:
    studio = studio_of(request)
    try:
        session = close_visit(studio, visit_id)
    except NotFound:
        raise
    except BadInput as error:
        context = _context(studio, use.visit_view(studio, visit_id))
        return page(request, "visit/visit.html", {**context, "refused": error}, 422)
    return RedirectResponse(f"/sessions/{session.id}", 303)


@router.post("/visits/{visit_id}/leave")
def leave(request: Request, visit_id: int) -> Response:
    tree_id = use.leave(studio_of(request), visit_id)
    return RedirectResponse(f"/trees/{tree_id}", 303)


def _taps_of_form(step: Any, sent: Any) -> list[dict[str, Any]]:
    taps: list[dict[str, Any]] = []
    for field in step.fields:
        value: Any = sent.get(field.key)
        if field.kind == "toggle":
            value = value is not None
        if field.kind == "hours":
            value = [int(hour) for hour in sent.getlist(field.key) if str(hour).isdigit()]
        taps.append({"field": field.key, "value": value})
    for name in sent:
        if name.startswith("root:") and sent[name]:
            label = name.removeprefix("root:")
            keep = float(sent.get(f"keep:{label}") or 50) / 100
            decision = {"action": sent[name], "part": 1 - keep, "why": sent.get(f"why:{label}", "")}
            taps.append({"field": name, "value": decision})
    taps.append({"field": f"done:{step.key}", "value": sent.get(f"done:{step.key}") is not None})
    return taps


def _context(studio: Studio, view: use.VisitView) -> dict[str, Any]:
    told = deciding(studio, view)
    decides = any(step.key == "decide" for step in view.steps)
    cuts = {label: one.cost for label, one in told.decided.items() if one.cost > 0}
    hours = view.old_soil_hours
    wheel = None
    if told.before is not None and told.after is not None:
        wheel = draw_cuts(told.before, told.after, cuts, WHEEL_PX, hours)
    return {
        "view": view,
        "refused": None,
        "visit": view.visit,
        "tree": view.tree,
        "kind": kind_by_key(view.visit.kind),
        "told": told,
        "cuts": cuts,
        "wheel": wheel,
        "ball": draw_ball(view.answers, WHEEL_PX),
        "supply": draw_supply(told.cases, told.stems, cuts),
        "decides": decides,
        "bares": bares_roots(view.visit.kind),
        "left": unfinished(view, told),
        "before_left": (view.last.details or {}).get("unfinished", []) if view.last else [],
        "step_planned": newest_step(studio, view.tree.id, view.visit.begun_at.year),
        "parts": ("decide", "reckoning", "closing") if decides else ("reckoning", "closing"),
    }
