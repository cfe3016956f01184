"""Path: target, what is fixed by hand, the three paths and their steps."""

from collections.abc import Callable
from typing import Any

from fastapi import Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from starlette.concurrency import run_in_threadpool

from mirvo.core.almanac import rules
from mirvo.core.errors import BadInput
from mirvo.core.season import year_window
from mirvo.studio import path as use
from mirvo.studio import plans, target
from mirvo.studio.materials import step_materials
from mirvo.studio.sheet import Sheet, sheet_of
from mirvo.web.drawings.target import Wish, draw_target
from mirvo.web.drawings.three_paths import draw_three_paths
from mirvo.web.drawings.years import path_chart
from mirvo.web.forms import fields_of, read_form
from mirvo.web.pages import page, routes, studio_of

router = routes()
SCHOOLS = ("gentle", "steady", "bold")


@router.get("/trees/{tree_id}/path")
def show_path(request: Request, tree_id: int, school: str = "") -> HTMLResponse:
    return _page(request, tree_id, school, None, {})


@router.post("/trees/{tree_id}/target")
async def set_target(request: Request, tree_id: int) -> Response:
    fields = fields_of(await request.form())
    form, errors = read_form(target.TargetForm, fields)
    if form is not None:
        try:
            await run_in_threadpool(target.set_target, studio_of(request), tree_id, form)
            return _back(tree_id, str(fields.get("school", "")))
        except BadInput as error:
            errors = {error.field: error.message}
    return await run_in_threadpool(_page, request, tree_id, "", fields, errors, 422)


@router.post("/trees/{tree_id}/holds")
async def hold(request: Request, tree_id: int) -> Response:
    fields = fields_of(await request.form())
    studio, year = studio_of(request), str(fields.get("hold_year", ""))

    def work() -> None:
        if not year.isdigit():
            raise BadInput("hold_year", "Please give a year, such as 2029.")
        if "release" in fields:
            target.release_year(studio, tree_id, int(year))
        else:
            allow = str(fields.get("allow", "none"))
            target.hold_year(studio, tree_id, int(year), str(fields.get("why", "")), allow)

    return await _change(request, tree_id, work)


@router.post("/trees/{tree_id}/containers")
async def containers(request: Request, tree_id: int) -> Response:
    names = [str(name) for name in (await request.form()).getlist("container")]
    studio = studio_of(request)
    return await _change(request, tree_id, lambda: target.choose_containers(studio, tree_id, names))


@router.post("/trees/{tree_id}/gaps")
async def gaps(request: Request, tree_id: int) -> Response:
    form = await request.form()
    methods = {key: str(value) for key, value in form.items() if "-" in key}
    studio = studio_of(request)
    return await _change(
        request, tree_id, lambda: target.choose_gap_methods(studio, tree_id, methods)
    )


@router.post("/trees/{tree_id}/returns")
async def returns(request: Request, tree_id: int) -> Response:
    fields = {key: str(value) for key, value in (await request.form()).items()}
    studio = studio_of(request)

    def work() -> None:
        if not all(value.isdigit() or value == "" for value in fields.values()):
            raise BadInput("returns", "Please give whole years, or nothing.")
        years = {key: int(value) if value else None for key, value in fields.items()}
        target.expect_back(studio, tree_id, years)

    return await _change(request, tree_id, work)


@router.get("/trees/{tree_id}/path/forward")
def forward(request: Request, tree_id: int, school: str = "") -> HTMLResponse:
    studio = studio_of(request)
    view = use.path_view(studio, tree_id)
    chosen = _chosen(request, school)
    levers = plans.levers_of(studio, tree_id, chosen) if view.result else []
    context = {"tree": view.tree, "view": view, "levers": levers, "chosen": chosen}
    part = "HX-Request" in request.headers
    return page(request, "path/_forward.html" if part else "path/forward.html", context)


async def _change(request: Request, tree_id: int, work: Callable[[], None]) -> Response:
    """Do something to the target, then show the path; a complaint stands at its form."""
    try:
        await run_in_threadpool(work)
    except BadInput as error:
        errors = {error.field: error.message}
        return await run_in_threadpool(_page, request, tree_id, "", None, errors, 422)
    return _back(tree_id, "")


def _back(tree_id: int, school: str) -> RedirectResponse:
    query = f"?school={school}" if school in SCHOOLS else ""
    return RedirectResponse(f"/trees/{tree_id}/path{query}", 303)


def _chosen(request: Request, school: str) -> str:
    return school if school in SCHOOLS else studio_of(request).yard().school


def _page(
    request: Request,
    tree_id: int,
    school: str,
    fields: dict[str, Any] | None,
    errors: dict[str, str],
    status: int = 200,
) -> HTMLResponse:
    studio = studio_of(request)
    view = use.path_view(studio, tree_id, compute=not errors)
    sheet = sheet_of(studio, tree_id)
    chosen = _chosen(request, school)
    path = None if view.result is None else plans.path_of_school(view.result, chosen)
    default = target.default_target(sheet.tree, sheet.measurement)
    shown = _fields(view, default) if fields is None else fields
    context = {
        "view": view,
        "tree": view.tree,
        "sheet": sheet,
        "path": path,
        "chosen": chosen,
        "default": default,
        "fields": shown,
        "errors": errors,
        "cuts": {cut.label: cut for cut in view.cuts},
        "needs": {} if path is None else _needs(request, sheet, path),
        "windows": {} if path is None else _windows(sheet, path),
        "known": list(rules().containers),
        "allow_of": target.allow_of,
        "done": plans.planned_and_done(studio, tree_id),
        "drawing_of_target": draw_target(sheet, path, _wish(shown, default)),
        "three": None if view.result is None else _three(view),
        "chart": None if path is None or view.case is None else path_chart(sheet, path),
    }
    return page(request, "path/path.html", context, status)


def _three(view: use.PathView) -> Any:
    """The drawing of the three paths."""
    if view.result is None or view.case is None:
        return None
    rows = [(path["school"], path) for path in view.result["paths"]]
    first = int(view.case["today"][:4])
    wished = view.case["target"]["year"]
    return draw_three_paths(rows, first, view.case["horizon_years"], wished)


def _needs(request: Request, sheet: Sheet, path: dict[str, Any]) -> dict[int, Any]:
    """What each planned session uses up, by year."""
    if sheet.target is None or sheet.measurement is None or sheet.measurement.figures is None:
        return {}
    trunk = sheet.measurement.figures["trunk_diameter_mm"]["value"]
    last = sheet.sessions[0] if sheet.sessions else None
    yard, wished = studio_of(request).yard(), sheet.target
    return {
        step["year"]: step_materials(yard, sheet.tree, trunk, last, wished, step)
        for step in path["steps"]
    }


def _windows(sheet: Sheet, path: dict[str, Any]) -> dict[int, Any]:
    """The window of each planned year: start, end and best day."""
    return {
        step["year"]: year_window(sheet.species, sheet.last_frost, step["year"])
        for step in path["steps"]
    }


def _wish(fields: dict[str, Any], default: target.DefaultTarget) -> Wish:
    """What the drawing shows: the fields as far as they are numbers."""

    def number(name: str, instead: float, low: float, high: float) -> float:
        try:
            value = float(str(fields.get(name, "")).replace(",", "."))
        except ValueError:
            return instead
        return value if low <= value <= high else instead

    return Wish(
        number("spread_ratio", default.spread_ratio, 1.05, 10),
        number("pot_depth_mm", default.pot_depth_mm, 31, 500),
    )


def _fields(view: use.PathView, default: target.DefaultTarget) -> dict[str, Any]:
    kept = view.target
    if kept is None:
        return {
            "spread_ratio": f"{default.spread_ratio:.2f}",
            "basis": "flare",
            "largest_gap_deg": f"{default.largest_gap_deg:.0f}",
            "pot_depth_mm": f"{default.pot_depth_mm:.0f}",
        }
    values = {name: getattr(kept, name) for name in target.TargetForm.model_fields}
    return {
        name: f"{value:g}" if isinstance(value, float) else str(value)
        for name, value in values.items()
        if value is not None
    }
