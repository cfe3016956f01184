"""A root session at the bench: its entries and photos handed over, and its closing."""

import uuid
from dataclasses import asdict
from typing import Annotated, Any

from fastapi import APIRouter, Form, UploadFile
from fastapi.responses import JSONResponse, RedirectResponse, Response

from mirvo.core.errors import BadInput
from mirvo.core.rootwork import KINDS, kind_by_key
from mirvo.core.rootwork.bench import Step, bares_roots
from mirvo.core.rootwork.cuts import HALF
from mirvo.studio.bench_session import session as use
from mirvo.studio.bench_session.closing import close_session, unfinished
from mirvo.studio.bench_session.cut_review import cut_review
from mirvo.studio.bench_session.entries import keep_photo, save_entries
from mirvo.studio.bench_session.proposal import proposed
from mirvo.studio.path.shelf_pots import pot_numbers
from mirvo.studio.shelf.pots import pot_choices
from mirvo.studio.shelf.soil import recipe_choices
from mirvo.studio.standing.kept_plans import planned_step
from mirvo.studio.standing.tree_queries import load_tree
from mirvo.studio.standing.weather import warnings_before_work
from mirvo.web.access import Role, only
from mirvo.web.drawings.ball import draw_ball
from mirvo.web.drawings.supply import draw_supply
from mirvo.web.drawings.wheel import draw_cuts
from mirvo.web.form_models import FormModel, OpenForm, SentModel
from mirvo.web.forms import Filled, shown_again_on
from mirvo.web.reader import Context, PageReader, Reader, StudioDep

# One entry of the bench as a browser sends it.
SentEntry = dict[str, Any]
router = APIRouter(dependencies=only(Role.HELPER))
WHEEL_PX = 380.0


class KindForm(FormModel):
    """Which kind of session is begun."""

    kind: str = "routine"


class SentEntries(SentModel):
    """What was entered in the browser since it last handed something over.

    sent_at : what its clock says.
    """

    entries: Any = None
    sent_at: str | None = None


class PhotoForm(FormModel):
    """A photo of a step, named by the browser."""

    id: str = ""
    step: str = ""
    photo: UploadFile | None = None


class StepForm(OpenForm):
    """A step sent as a plain form, where no script runs; its fields bear their own keys."""

    step: str = ""


@router.get("/trees/{tree_id}/bench-sessions/new")
def choose_kind(reader: Reader, tree_id: int, kind: str = "") -> Response:
    running = use.running_session(reader.db, tree_id)
    # A tree lies on one bench only.
    if running is not None:
        return RedirectResponse(f"/bench-sessions/{running.id}", 303)
    context = {
        "tree": load_tree(reader.db, tree_id),
        "kinds": KINDS,
        "asked": kind,
        "step": planned_step(reader.db, tree_id, reader.today),
    }
    return reader.page("bench_session/begin.html", context)


@router.post("/trees/{tree_id}/bench-sessions")
def begin(studio: StudioDep, tree_id: int, form: Annotated[KindForm, Form()]) -> Response:
    bench = use.begin(studio, tree_id, form.kind)
    return RedirectResponse(f"/bench-sessions/{bench.id}", 303)


def session_page(reader: Reader, filled: Filled, bench_id: int) -> Response:
    """A session at the bench; a complaint says why it could not be closed."""
    context = _context(reader, bench_id)
    refused = next(iter(filled.errors.items()), None)
    return reader.page("bench_session/session.html", {**context, "refused": refused}, filled.status)


@router.get("/bench-sessions/{bench_id}")
def show(reader: Reader, bench_id: int) -> Response:
    # A link kept in the browser outlives the session; its record is what is meant.
    recorded = use.load_bench_session(reader.db, bench_id).session_id
    if recorded is not None:
        return RedirectResponse(f"/sessions/{recorded}", 303)
    return session_page(reader, Filled(), bench_id)


@router.post("/bench-sessions/{bench_id}/entries")
def take_entries(reader: Reader, bench_id: int, sent: SentEntries) -> JSONResponse:
    saved = save_entries(reader.studio, bench_id, sent.entries, sent.sent_at)
    # What is shown rests on what was just kept, so it is read anew.
    with reader.studio.reading() as db:
        fresh = PageReader(reader.request, reader.studio, db)
        context = _context(fresh, bench_id)
        parts = {
            name: fresh.render(f"bench_session/_{name}.html", context) for name in context["parts"]
        }
        # What was found changes what the steps say.
        for step in context["state"].steps:
            said = fresh.render("bench_session/_lines.html", {**context, "step": step})
            parts[f"lines-{step.key}"] = said
    refused = [asdict(entry) for entry in saved.refused]
    return JSONResponse({"kept": saved.kept, "refused": refused, "parts": parts})


@router.post("/bench-sessions/{bench_id}/photos")
def take_photo(
    studio: StudioDep,
    bench_id: int,
    form: Annotated[PhotoForm, Form(media_type="multipart/form-data")],
) -> JSONResponse:
    if form.photo is None:
        raise BadInput("photo", "choose a photo first")
    content, name = form.photo.file.read(), form.photo.filename or "photo.jpg"
    kept = keep_photo(studio, bench_id, form.id, form.step, name, content)
    return JSONResponse({"photo": kept.id})


@router.post("/bench-sessions/{bench_id}/steps")
def keep_step(reader: Reader, bench_id: int, form: Annotated[StepForm, Form()]) -> Response:
    """A step sent as a plain form, where no script runs."""
    steps = use.bench_state(reader.db, bench_id).steps
    step = next((known for known in steps if known.key == form.step), None)
    if step is None:
        raise BadInput("step", "this session has no such step")
    entries = [{"id": uuid.uuid4().hex, **entry} for entry in _entries(step, form.by_name)]
    saved = save_entries(reader.studio, bench_id, entries)
    if saved.refused:
        raise BadInput(saved.refused[0].field, saved.refused[0].message)
    return RedirectResponse(f"/bench-sessions/{bench_id}#{step.key}", 303)


@router.post("/bench-sessions/{bench_id}/close")
@shown_again_on(session_page)
def close(studio: StudioDep, bench_id: int) -> Response:
    closed = close_session(studio, bench_id)
    return RedirectResponse(f"/sessions/{closed.id}", 303)


@router.post("/bench-sessions/{bench_id}/leave", dependencies=only(Role.OWNER))
def leave(studio: StudioDep, bench_id: int) -> Response:
    return RedirectResponse(f"/trees/{use.leave(studio, bench_id)}", 303)


def _entries(step: Step, sent: dict[str, str]) -> list[SentEntry]:
    entries: list[SentEntry] = []
    for field in step.fields:
        value: Any = sent.get(field.key)
        if field.kind == "toggle":
            # A form sends nothing at all for a box left empty.
            value = value is not None
        if field.kind == "hours":
            value = [hour for hour in range(1, 13) if f"{field.key}-{hour}" in sent]
        entries.append({"field": field.key, "value": value})
    for name, action in sent.items():
        if name.startswith("root:") and action:
            label = name.removeprefix("root:")
            keep = _percent(sent.get(f"keep:{label}")) / 100
            why = sent.get(f"why:{label}", "")
            decision = {"action": action, "part": 1 - keep, "why": why}
            entries.append({"field": name, "value": decision})
    entries.append({"field": f"done:{step.key}", "value": f"done:{step.key}" in sent})
    return entries


def _percent(sent: str | None) -> float:
    """How much of a root stays, %; half of it where nothing was filled in. Raises BadInput."""
    try:
        return float((sent or "").replace(",", ".") or 100 * HALF)
    except ValueError:
        raise BadInput("keep", f"'{sent}' is not a number of percent") from None


def _context(reader: PageReader, bench_id: int) -> Context:
    state = use.bench_state(reader.db, bench_id)
    review = cut_review(reader.db, reader.studio, state)
    decides = any(step.key == "decide" for step in state.steps)
    cuts = {label: decision.cost for label, decision in review.decided.items() if decision.cost > 0}
    # Without a measurement there is nothing to draw, and the rest of the page works.
    wheel = None
    if review.before is not None and review.after is not None:
        hours = state.old_soil_hours
        wheel = draw_cuts(review.before, review.after, cuts, WHEEL_PX, hours)
    return {
        "state": state,
        "refused": None,
        "bench": state.bench,
        "tree": state.tree,
        "kind": kind_by_key(state.bench.kind),
        "review": review,
        "cuts": cuts,
        "half": HALF,
        "wheel": wheel,
        "weather": warnings_before_work(reader.db, state.tree, review.stands.species, state.day)
        if bares_roots(state.bench.kind)
        else [],
        "layering": review.stands.layering if state.bench.kind == "layer" else None,
        "ball": draw_ball(state.answers, WHEEL_PX),
        "supply": draw_supply(review.cases, review.stems, cuts),
        "decides": decides,
        "bares": bares_roots(state.bench.kind),
        "left": unfinished(state, review),
        "proposed": proposed(state.planned, state.tree, pot_numbers(reader.db, state.tree.id)),
        "before_left": state.last.unfinished if state.last else (),
        "step_planned": state.planned,
        "pots": pot_choices(reader.db, state.tree),
        "recipes": recipe_choices(reader.db),
        "parts": ("standing", *(("decide",) if decides else ()), "share", "closing"),
    }
