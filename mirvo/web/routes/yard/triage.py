"""Is it time? The signs seen on a tree, kept as they are ticked, and the advice beside them."""

from typing import Annotated

from fastapi import APIRouter, Form
from fastapi.responses import RedirectResponse, Response

from mirvo.core.errors import BadInput
from mirvo.core.typed_values import read_number
from mirvo.studio.ground.context import Studio
from mirvo.studio.standing.tree_queries import load_tree
from mirvo.studio.yard.triage import SEEN_TODAY, is_it_time, keep_signs, say_usual_watering
from mirvo.web.access import Role, only
from mirvo.web.form_models import OpenForm
from mirvo.web.reader import PageReader, Reader

router = APIRouter(dependencies=only(Role.HELPER))


class SignsForm(OpenForm):
    """The signs ticked, each under its own name; days_between : between waterings now.

    usual_watering_days : between them as a rule, where it is typed here.
    """

    days_between: str = ""
    usual_watering_days: str = ""


@router.get("/trees/{tree_id}/time", dependencies=only(Role.GUEST))
def show(reader: Reader, tree_id: int) -> Response:
    sent = reader.request.query_params
    seen = [name for name in SEEN_TODAY if name in sent]
    return _page(reader, tree_id, seen, sent.get("days_between", ""))


@router.post("/trees/{tree_id}/signs")
def keep(reader: Reader, tree_id: int, form: Annotated[SignsForm, Form()]) -> Response:
    studio = reader.studio
    keep_signs(studio, tree_id, [name for name in SEEN_TODAY if name in form.by_name])
    wrong = _keep_usual_watering(studio, tree_id, form.usual_watering_days)
    if not reader.wants_part and not wrong:
        return RedirectResponse(f"/trees/{tree_id}/time", 303)
    # What is shown rests on what was just kept, so it is read anew.
    with studio.reading() as db:
        fresh = PageReader(reader.request, studio, db)
        return _page(fresh, tree_id, [], form.days_between, wrong)


def _keep_usual_watering(studio: Studio, tree_id: int, typed: str) -> str:
    """Keep it where it was typed; what is wrong with it, the ticks being kept all the same."""
    if not typed.strip():
        return ""
    days = read_number(typed)
    if days is None:
        return f"“{typed.strip()[:20]}” is not a number."
    try:
        say_usual_watering(studio, tree_id, days)
    except BadInput as error:
        return error.message
    return ""


def _page(
    reader: PageReader, tree_id: int, seen: list[str], days: str, usual_wrong: str = ""
) -> Response:
    given = read_number(days)
    stands, looked, verdict = is_it_time(reader.db, reader.today, tree_id, seen, given)
    tree = load_tree(reader.db, tree_id)
    context = {
        "tree": tree,
        "seen": {name: name in looked.signs for name in SEEN_TODAY},
        "days": days,
        "days_wrong": bool(days) and given is None,
        "usual_wrong": usual_wrong,
        "stands": stands,
        "standing": stands.standing,
        "looked": looked,
        "verdict": verdict,
    }
    template = "yard/_verdict.html" if reader.wants_part else "yard/triage.html"
    return reader.page(template, context)
