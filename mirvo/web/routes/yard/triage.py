"""Is it time? The signs seen on a tree, kept as they are ticked, and the advice beside them."""

from typing import Annotated

from fastapi import APIRouter, Form
from fastapi.responses import RedirectResponse, Response

from mirvo.core.typed_values import read_number
from mirvo.studio.tree_queries import load_tree
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
    usual = read_number(form.usual_watering_days)
    if usual is not None:
        say_usual_watering(studio, tree_id, usual)
    if not reader.wants_part:
        return RedirectResponse(f"/trees/{tree_id}/time", 303)
    # What is shown rests on what was just kept, so it is read anew.
    with studio.reading() as db:
        return _page(PageReader(reader.request, studio, db), tree_id, [], form.days_between)


def _page(reader: PageReader, tree_id: int, seen: list[str], days: str) -> Response:
    given = read_number(days)
    stands, looked, verdict = is_it_time(reader.db, reader.today, tree_id, seen, given)
    tree = load_tree(reader.db, tree_id)
    context = {
        "tree": tree,
        "seen": {name: name in looked.signs for name in SEEN_TODAY},
        "days": days,
        "days_wrong": bool(days) and given is None,
        "stands": stands,
        "standing": stands.standing,
        "looked": looked,
        "verdict": verdict,
    }
    template = "yard/_verdict.html" if reader.wants_part else "yard/triage.html"
    return reader.page(template, context)
