"""Bench: what wants doing now, moving a tree to another week, buds seen on the round."""

from datetime import timedelta
from typing import Annotated

from fastapi import APIRouter, Form
from fastapi.responses import RedirectResponse, Response
from pydantic import Field

from mirvo.core.limits.base import PlannedDay
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.records.aftercare import by_week
from mirvo.studio.shelf.materials import season_list
from mirvo.studio.standing.tree_list import TreeRow, left_out
from mirvo.studio.standing.weather import frost_by_week
from mirvo.studio.yard.backups import backup_is_due
from mirvo.studio.yard.bench import YEAR_DAYS, bench, care_of_lanes, move_tree
from mirvo.studio.yard.trees import see_buds
from mirvo.web.access import Role, only
from mirvo.web.drawings.scene import Scene
from mirvo.web.drawings.year import draw_head, draw_lane, draw_small_wheel, planned, resting
from mirvo.web.form_models import FormModel
from mirvo.web.paging import page_of
from mirvo.web.reader import Reader, StudioDep

router = APIRouter(dependencies=only(Role.HELPER))
# More lanes, or things of one day, than these are no picture of a year.
LANES, CARE_SHOWN = 24, 30


class WeekForm(FormModel):
    """The week a tree is moved to, by a day of it or how many days away that is; neither lets
    the bench choose."""

    week: PlannedDay | None = None
    days: Annotated[int, Field(ge=0, le=YEAR_DAYS)] | None = None


class BudsForm(FormModel):
    """What the buds look like; from_tree : sent from the tree's page."""

    stage: str = ""
    from_tree: str = ""


@router.get("/")
def show_bench(reader: Reader, page: str = "") -> Response:
    yard, today = yard_of(reader.db), reader.today
    found = bench(reader.db, today)
    shown = page_of(found.lanes, page, LANES)
    rows = [*(lane.row for lane in shown.lines), *(one.row for one in found.answering)]
    care = care_of_lanes(reader.db, today, shown.lines)
    lanes = {
        lane.row.tree.id: draw_lane(lane, care[lane.row.tree.id], today) for lane in shown.lines
    }
    context = {
        "bench": found,
        "shown": shown,
        "care_weeks": by_week(found.care[:CARE_SHOWN], today),
        "care_shown": CARE_SHOWN,
        "head": draw_head(today, frost_by_week(yard), yard.last_frost, found),
        "lanes": lanes,
        "wheels": {row.tree.id: row.once(_wheel) for row in rows if row.measured},
        "planned": planned,
        "resting": resting,
        "season": season_list(reader.db, today),
        "left_out": left_out(reader.db, today),
        "backup_due": backup_is_due(reader.db, reader.studio.now),
    }
    return reader.page("yard/bench.html", context)


def _wheel(row: TreeRow) -> Scene | None:
    return None if row.measured is None else draw_small_wheel(row.tree.id, row.measured)


@router.post("/trees/{tree_id}/week")
def move(studio: StudioDep, tree_id: int, form: Annotated[WeekForm, Form()]) -> Response:
    away = None if form.days is None else studio.today + timedelta(days=form.days)
    move_tree(studio, tree_id, form.week or away)
    return RedirectResponse("/", 303)


@router.post("/trees/{tree_id}/buds")
def buds(studio: StudioDep, tree_id: int, form: Annotated[BudsForm, Form()]) -> Response:
    see_buds(studio, tree_id, form.stage)
    # The round is walked from the Bench; a tree's page is gone on with.
    return RedirectResponse(f"/trees/{tree_id}" if form.from_tree else "/", 303)
