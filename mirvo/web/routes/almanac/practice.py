"""Practice profile: the studio's answers, presets, and what one tree has otherwise."""

from typing import Annotated

from fastapi import APIRouter, Form
from fastapi.responses import RedirectResponse, Response

from mirvo.core.almanac.practice import questions
from mirvo.studio.almanac.practice_effects import effects_of
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.standing import practice as use
from mirvo.studio.standing.species import species_of_tree
from mirvo.studio.standing.standing import standing_of
from mirvo.studio.standing.tree_list import list_trees
from mirvo.studio.standing.tree_queries import load_tree
from mirvo.web.access import Role, only
from mirvo.web.form_models import OpenForm
from mirvo.web.forms import Filled, shown_again_on
from mirvo.web.paging import page_of
from mirvo.web.reader import Reader, StudioDep

router = APIRouter(dependencies=only(Role.HELPER))
TREES = 60


class AnswersForm(OpenForm):
    """Answers by the key of their question; or a preset that answers all of them."""

    preset: str = ""


def practice_page(reader: Reader, filled: Filled, page: str = "") -> Response:
    """The studio's answers, and what they come to for every tree."""
    yard = yard_of(reader.db)
    # Those with a practice of their own first: they are what one looks for here.
    rows = sorted(list_trees(reader.db, reader.today), key=lambda row: not row.tree.practice)
    shown = page_of(rows, page, TREES)
    context = {
        "questions": questions(),
        "held": use.practice_for(yard),
        "shown": shown,
        "trees": [(row.tree, effects_of(yard, row.stands)) for row in shown.lines],
        "errors": filled.errors,
    }
    return reader.page("almanac/practice.html", context, filled.status)


def tree_practice_page(reader: Reader, filled: Filled, tree_id: int) -> Response:
    """What one tree has otherwise than the studio."""
    yard, tree = yard_of(reader.db), load_tree(reader.db, tree_id)
    context = {
        "tree": tree,
        "species": species_of_tree(yard, tree),
        "questions": questions(),
        "studio_held": use.practice_for(yard),
        "own": use.own_answers(reader.db, tree_id),
        "effects": effects_of(yard, standing_of(reader.db, tree_id, reader.today)),
        "errors": filled.errors,
    }
    return reader.page("almanac/tree_practice.html", context, filled.status)


@router.get("/almanac/practice")
def show(reader: Reader, page: str = "") -> Response:
    return practice_page(reader, Filled(), page)


@router.post("/almanac/practice", dependencies=only(Role.OWNER))
@shown_again_on(practice_page)
def save(studio: StudioDep, form: Annotated[AnswersForm, Form()]) -> Response:
    # A preset's button sends the answers too; the button is what was meant.
    if form.preset:
        use.take_preset(studio, form.preset)
    else:
        use.save_practice(studio, use.answers_from(form.by_name))
    return RedirectResponse("/almanac/practice", 303)


@router.get("/trees/{tree_id}/practice")
def show_tree(reader: Reader, tree_id: int) -> Response:
    return tree_practice_page(reader, Filled(), tree_id)


@router.post("/trees/{tree_id}/practice", dependencies=only(Role.OWNER))
@shown_again_on(tree_practice_page)
def save_tree(studio: StudioDep, tree_id: int, form: Annotated[AnswersForm, Form()]) -> Response:
    use.save_tree_practice(studio, tree_id, form.by_name)
    return RedirectResponse(f"/trees/{tree_id}/practice", 303)
