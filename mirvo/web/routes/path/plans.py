"""Plans: those made, kept under a name, taken up again, and side by side."""

from dataclasses import dataclass
from string import ascii_lowercase
from typing import Annotated

from fastapi import APIRouter, Form
from fastapi.responses import RedirectResponse, Response

from mirvo.core.plan.case import Case
from mirvo.core.plan.records import PlannedPath
from mirvo.core.typed_values import read_whole
from mirvo.records.models import Plan
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.path import plans as use
from mirvo.studio.standing.tree_queries import load_tree
from mirvo.web.access import Role, only
from mirvo.web.drawings.scene import Scene
from mirvo.web.drawings.three_paths import PHONE_PX, WIDTH_PX, draw_three_paths
from mirvo.web.form_models import FormModel
from mirvo.web.forms import Filled, shown_again_on
from mirvo.web.reader import Reader, StudioDep

router = APIRouter(dependencies=only(Role.HELPER))
MAX_BESIDE = 4
MAX_NAME = 9


@dataclass(frozen=True)
class Column:
    """One path as it stands side by side with others."""

    name: str
    plan: Plan
    case: Case
    path: PlannedPath


class NameForm(FormModel):
    """The name a plan is kept under; an empty one lets it go again."""

    name: str = ""


def plans_page(reader: Reader, filled: Filled, tree_id: int = 0, plan_id: int = 0) -> Response:
    """The plans of a tree; a complaint stands at the plan it belongs to."""
    if plan_id:
        tree_id = use.load_plan(reader.db, plan_id).tree_id
    school, made = yard_of(reader.db).school, use.plans_of(reader.db, tree_id)
    sent = reader.request.query_params.getlist("plan")
    # Anything else in the address is not a plan.
    asked = [number for number in map(read_whole, sent) if number is not None]
    named = [plan.id for plan in made if plan.name]
    newest = [plan.id for plan in made[:1]]
    # Unasked, the newest stands beside those kept under a name.
    beside = asked or list(dict.fromkeys([*newest, *named]))
    shown = [plan for plan in made if plan.id in beside][:MAX_BESIDE]
    columns = _columns(shown, school)
    drawn: list[Scene] = []
    if columns:
        first = min(column.case.today.year for column in columns)
        last = max(column.case.today.year + column.case.horizon for column in columns)
        rows = [(column.name[:MAX_NAME], column.path) for column in columns]
        drawn = [
            draw_three_paths(rows, first, last - first, None, width)
            for width in (WIDTH_PX, PHONE_PX)
        ]
    context = {
        "tree": load_tree(reader.db, tree_id),
        "plans": made,
        "shown": [plan.id for plan in shown],
        "columns": columns,
        "school": school,
        "beside": drawn,
        "complaints": {plan_id: next(iter(filled.errors.values()))} if filled.errors else {},
    }
    return reader.page("path/plans.html", context, filled.status)


@router.get("/trees/{tree_id}/plans")
def show_plans(reader: Reader, tree_id: int) -> Response:
    return plans_page(reader, Filled(), tree_id)


@router.post("/plans/{plan_id}/name")
@shown_again_on(plans_page)
def name_plan(studio: StudioDep, plan_id: int, form: Annotated[NameForm, Form()]) -> Response:
    plan = use.name_plan(studio, plan_id, form.name)
    return RedirectResponse(f"/trees/{plan.tree_id}/plans", 303)


@router.post("/plans/{plan_id}/take-up")
def take_up(studio: StudioDep, plan_id: int) -> Response:
    plan = use.take_up(studio, plan_id)
    return RedirectResponse(f"/trees/{plan.tree_id}/path", 303)


def _columns(shown: list[Plan], school: str) -> list[Column]:
    """What stands side by side: the three paths of one plan, or one path of several."""
    readable = [
        (plan, plan.case, plan.result) for plan in shown if plan.case and plan.result is not None
    ]
    if len(readable) == 1:
        [(plan, case, result)] = readable
        return [Column(path.school, plan, case, path) for path in result.paths]
    return [
        Column(plan.name or f"plan {ascii_lowercase[number]}", plan, case, result.path_of(school))
        for number, (plan, case, result) in enumerate(readable)
    ]
