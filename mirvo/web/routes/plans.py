"""Plans: those made, kept under a name, taken up again, and side by side."""

from typing import Any

from fastapi import Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from starlette.concurrency import run_in_threadpool

from mirvo.core.errors import BadInput
from mirvo.records.models import Plan
from mirvo.studio import plans as use
from mirvo.studio.trees import get_tree
from mirvo.web.drawings.three_paths import draw_three_paths
from mirvo.web.forms import fields_of
from mirvo.web.pages import page, routes, studio_of

router = routes()
MOST_BESIDE = 4
MOST_LABEL = 9


@router.get("/trees/{tree_id}/plans")
def show_plans(request: Request, tree_id: int) -> HTMLResponse:
    return _page(request, tree_id, {})


@router.post("/plans/{plan_id}/name")
async def name_plan(request: Request, plan_id: int) -> Response:
    name = str(fields_of(await request.form()).get("name", ""))
    studio = studio_of(request)
    try:
        plan = await run_in_threadpool(use.name_plan, studio, plan_id, name)
    except BadInput as error:
        tree_id = await run_in_threadpool(use.tree_of_plan, studio, plan_id)
        return await run_in_threadpool(_page, request, tree_id, {plan_id: error.message}, 422)
    return RedirectResponse(f"/trees/{plan.tree_id}/plans", 303)


@router.post("/plans/{plan_id}/take-up")
def take_up(request: Request, plan_id: int) -> Response:
    plan = use.take_up(studio_of(request), plan_id)
    return RedirectResponse(f"/trees/{plan.tree_id}/path", 303)


def _page(
    request: Request, tree_id: int, complaints: dict[int, str], status: int = 200
) -> HTMLResponse:
    studio = studio_of(request)
    tree, school = get_tree(studio, tree_id), studio.yard().school
    made = use.plans_of(studio, tree_id)
    asked = [int(one) for one in request.query_params.getlist("plan") if one.isdigit()]
    named = [plan.id for plan in made if plan.name]
    newest = [plan.id for plan in made[:1]]
    beside = asked or list(dict.fromkeys([*newest, *named]))
    shown = [plan for plan in made if plan.id in beside][:MOST_BESIDE]
    columns = _columns(shown, school)
    drawing = None
    if columns:
        cases = [plan.case for _, plan, _ in columns]
        first = min(int(case["today"][:4]) for case in cases)
        last = max(int(case["today"][:4]) + case["horizon_years"] for case in cases)
        rows = [(name[:MOST_LABEL], path) for name, _, path in columns]
        drawing = draw_three_paths(rows, first, last - first, None)
    context = {
        "tree": tree,
        "plans": made,
        "shown": [plan.id for plan in shown],
        "columns": columns,
        "school": school,
        "beside": drawing,
        "complaints": complaints,
    }
    return page(request, "plans/plans.html", context, status)


def _columns(shown: list[Plan], school: str) -> list[tuple[str, Plan, dict[str, Any]]]:
    """What stands side by side: the three paths of one plan, or one path of several."""
    if len(shown) == 1:
        return [(path["school"], shown[0], path) for path in shown[0].result["paths"]]
    return [
        (
            plan.name or f"plan {chr(ord('a') + number)}",
            plan,
            use.path_of_school(plan.result, school),
        )
        for number, plan in enumerate(shown)
    ]
