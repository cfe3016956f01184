"""Bench: what wants doing now, moving a tree to another week, buds seen on the round."""

from datetime import date
from typing import Annotated

from fastapi import APIRouter, Form
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from mirvo.core.forms import FormModel
from mirvo.studio.yard.backups import backup_is_due
from mirvo.studio.yard.bench import bench, move_tree
from mirvo.studio.yard.trees import see_buds
from mirvo.web.reader import Reader, StudioDep

router = APIRouter()


class WeekForm(FormModel):
    """The week a tree is moved to; None lets the bench choose."""

    week: date | None = None


class BudsForm(FormModel):
    """What the buds look like; from_tree : sent from the tree's page."""

    stage: str = ""
    from_tree: str = ""


@router.get("/")
def show_bench(reader: Reader) -> HTMLResponse:
    context = {
        "bench": bench(reader.db, reader.today),
        "backup_due": backup_is_due(reader.db, reader.studio.now),
    }
    return reader.page("yard/bench.html", context)


@router.post("/trees/{tree_id}/week")
def move(studio: StudioDep, tree_id: int, form: Annotated[WeekForm, Form()]) -> Response:
    move_tree(studio, tree_id, form.week)
    return RedirectResponse("/", 303)


@router.post("/trees/{tree_id}/buds")
def buds(studio: StudioDep, tree_id: int, form: Annotated[BudsForm, Form()]) -> Response:
    see_buds(studio, tree_id, form.stage)
    # The round is walked from the Bench; a tree's page is gone on with.
    return RedirectResponse(f"/trees/{tree_id}" if form.from_tree else "/", 303)
