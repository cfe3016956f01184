"""Path: target, what is fixed by hand, the three paths and their steps."""

from typing import Annotated, Any

from fastapi import APIRouter, Form
from fastapi.responses import RedirectResponse, Response
from pydantic import Field

from mirvo.core.almanac import rules
from mirvo.core.almanac.loader import SCHOOLS
from mirvo.core.errors import BadInput
from mirvo.core.lengths import MM
from mirvo.core.limits.targets import TargetFields
from mirvo.core.plan.default_target import DefaultTarget, default_target
from mirvo.core.plan.records import PlannedPath
from mirvo.core.typed_values import read_whole
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.path import path as use
from mirvo.studio.path import plans, shelf_pots, target
from mirvo.studio.shelf.materials import step_materials
from mirvo.studio.yard.sheet import Sheet, sheet_of
from mirvo.web.access import Role, only
from mirvo.web.drawings.filmstrip import draw_filmstrip
from mirvo.web.drawings.scene import Scene
from mirvo.web.drawings.target import Wish, draw_target
from mirvo.web.drawings.three_paths import PHONE_PX, WIDTH_PX, draw_three_paths
from mirvo.web.drawings.tradeoff import draw_tradeoff
from mirvo.web.drawings.years import path_chart
from mirvo.web.form_models import UNITS_FIELD, FormModel, OpenForm
from mirvo.web.forms import Fields, Filled, fields_from, shown_again_on
from mirvo.web.reader import UNSETTLED, PageReader, Reader, StudioDep

router = APIRouter(dependencies=only(Role.HELPER))


class SchoolForm(FormModel):
    """Which of the three paths is shown."""

    school: str = ""


class TargetForm(TargetFields, FormModel):
    """A target's form, and the school whose path is shown beside it."""

    school: str = ""


class ContainersForm(OpenForm):
    """Containers that are ticked; fields named `depth:` and a container give its inner depth."""

    container: list[str] = Field(default=[])


class HoldForm(FormModel):
    """A year fixed by hand; release : it is left to the plan again."""

    hold_year: int
    allow: str = "none"
    why: str = ""
    release: str = ""


def path_page(
    reader: Reader,
    filled: Filled,
    tree_id: int,
    school: str = "",
    planned: str = "",
    arriving: str = "",
) -> Response:
    """The path of a tree; a complaint stands at the form it belongs to.

    planned : it was planned just now, so the page must not ask for it again by itself.
    arriving : the year of the trade-off whose steps are shown instead of the planned ones.
    """
    view = use.path_view(reader.db, tree_id, reader.today)
    sheet = sheet_of(reader.db, tree_id, reader.today)
    chosen = _chosen(reader, school)
    path = None if view.result is None else view.result.path_of(chosen)
    other = use.way_arriving(reader.db, tree_id, chosen, arriving)
    shown_path = other or path
    measured = None if sheet.base is None else sheet.base.record
    default = (
        use.first_target(reader.db, view.tree, reader.today)
        if view.target is None
        else default_target(measured, view.tree.design)
    )
    # Other forms of the page come back here too; only the target's fields are the target's.
    target_sent = "spread_ratio" in filled.fields
    shown = filled.fields if target_sent else _fields(view, default)
    context = {
        "view": view,
        "tree": view.tree,
        "sheet": sheet,
        "path": path,
        "shown": shown_path,
        "chosen": chosen,
        "planned": planned,
        "planning": view.stale and reader.studio.plans(tree_id),
        "coming": {path.school: path for path in reader.studio.ready_paths(tree_id)},
        "schools": SCHOOLS,
        "default": default,
        "fields": shown,
        "errors": filled.errors,
        "cuts": {cut.label: cut for cut in view.cuts},
        "holds": target.holds_of(reader.db, tree_id),
        "needs": {} if shown_path is None else _needs(reader, sheet, shown_path),
        "windows": {} if shown_path is None else _windows(sheet, shown_path),
        "known": list(rules().containers),
        "free_pots": shelf_pots.free_pots(reader.db, tree_id) if view.target else [],
        "pots_for_tree": {
            one.pot_id: one.kind for one in shelf_pots.pots_of_target(reader.db, tree_id)
        },
        "done": plans.planned_and_done(reader.db, tree_id),
        "drawing_of_target": draw_target(sheet, path, _wish(shown, default)),
        "three": _three(view),
        "three_on_phone": _three(view, PHONE_PX),
        "film": None if shown_path is None else draw_filmstrip(sheet, shown_path),
        "tradeoff": None if path is None else _curve(path, shown_path, tree_id),
        "chart": None if shown_path is None or not view.case else path_chart(sheet, shown_path),
    }
    return reader.page("path/path.html", context, filled.status)


@router.get("/trees/{tree_id}/path", dependencies=only(Role.GUEST))
def show_path(
    reader: Reader, tree_id: int, school: str = "", planned: str = "", arriving: str = ""
) -> Response:
    return path_page(reader, Filled(), tree_id, school, planned, arriving)


@router.post("/trees/{tree_id}/path")
def plan(studio: StudioDep, tree_id: int, form: Annotated[SchoolForm, Form()]) -> Response:
    """Plan anew where the records have changed."""
    return _planned(studio, tree_id, form.school)


@router.post("/trees/{tree_id}/target")
@shown_again_on(path_page)
def set_target(studio: StudioDep, tree_id: int, form: Annotated[TargetForm, Form()]) -> Response:
    # The school only chooses what is shown; it is no part of a target.
    fields = TargetFields.model_validate(form.model_dump(exclude={"school"}))
    target.set_target(studio, tree_id, fields)
    return _kept(studio, tree_id, form.school)


@router.post("/trees/{tree_id}/holds")
@shown_again_on(path_page)
def hold(studio: StudioDep, tree_id: int, form: Annotated[HoldForm, Form()]) -> Response:
    if form.release:
        target.release_year(studio, tree_id, form.hold_year)
    else:
        target.hold_year(studio, tree_id, form.hold_year, form.why, form.allow)
    return _kept(studio, tree_id)


@router.post("/trees/{tree_id}/containers")
@shown_again_on(path_page)
def containers(
    studio: StudioDep, tree_id: int, form: Annotated[ContainersForm, Form()]
) -> Response:
    depths = {
        name.removeprefix("depth:"): depth
        for name, depth in form.by_name.items()
        if name.startswith("depth:")
    }
    # Where containers are only taken up from a proposal, nothing is said of depths.
    bare = form.by_name.get(UNITS_FIELD, MM)
    target.choose_containers(studio, tree_id, form.container, depths or None, bare)
    return _kept(studio, tree_id)


@router.post("/trees/{tree_id}/target-pots")
@shown_again_on(path_page)
def target_pots(studio: StudioDep, tree_id: int, form: Annotated[OpenForm, Form()]) -> Response:
    """Pots of the shelf that the path may use, each field named by the pot's number."""
    kinds: dict[int, str] = {}
    for field, kind in form.by_name.items():
        number = read_whole(field)
        if number is not None and kind:
            kinds[number] = kind
    shelf_pots.choose_pots(studio, tree_id, kinds, bool(form.by_name.get("only_shelf")))
    return _kept(studio, tree_id)


@router.post("/trees/{tree_id}/gaps")
@shown_again_on(path_page)
def gaps(studio: StudioDep, tree_id: int, form: Annotated[OpenForm, Form()]) -> Response:
    methods = {}
    for between, method in form.by_name.items():
        first, dash, second = between.partition("-")
        if dash:
            methods[first, second] = method
    target.choose_gap_methods(studio, tree_id, methods)
    return _kept(studio, tree_id)


@router.post("/trees/{tree_id}/regrowth")
@shown_again_on(path_page)
def regrowth(studio: StudioDep, tree_id: int, form: Annotated[OpenForm, Form()]) -> Response:
    """Roots that grow back; those left empty stay away."""
    years: dict[str, int | None] = {}
    for label, said in form.by_name.items():
        # Here and not in the form: its fields bear the letters of the roots.
        years[label] = read_whole(said)
        if said and years[label] is None:
            raise BadInput("regrowth", "Please give whole years, or nothing.")
    target.set_regrowth(studio, tree_id, years)
    return _kept(studio, tree_id)


@router.post("/trees/{tree_id}/path/forward")
def forward(reader: Reader, tree_id: int, form: Annotated[SchoolForm, Form()]) -> Response:
    """What would bring a path forward, worked out when it is asked for."""
    view, chosen = use.path_view(reader.db, tree_id, reader.today), _chosen(reader, form.school)
    levers = plans.work_out_levers(reader.studio, tree_id, chosen) if view.result else ()
    context = {"tree": view.tree, "view": view, "levers": levers, "chosen": chosen}
    template = "path/_forward.html" if reader.wants_part else "path/forward.html"
    return reader.page(template, context)


def _planned(studio: Studio, tree_id: int, school: str = "") -> RedirectResponse:
    """Plan anew where something changed, then show the path."""
    use.plan_path(studio, tree_id)
    return _shown(tree_id, "planned", school)


def _kept(studio: Studio, tree_id: int, school: str = "") -> RedirectResponse:
    """Show the path at once; its plan is being made and comes when it is there."""
    return (
        _shown(tree_id, UNSETTLED, school)
        if studio.plans(tree_id)
        else _planned(studio, tree_id, school)
    )


def _shown(tree_id: int, how: str, school: str) -> RedirectResponse:
    # The path that was looked at stays in view.
    query = f"&school={school}" if school in SCHOOLS else ""
    return RedirectResponse(f"/trees/{tree_id}/path?{how}=1{query}", 303)


def _chosen(reader: PageReader, school: str) -> str:
    return school if school in SCHOOLS else yard_of(reader.db).school


def _curve(path: PlannedPath, shown: PlannedPath | None, tree_id: int) -> Scene | None:
    year = None if shown is None else shown.reached_year
    return draw_tradeoff(path, f"/trees/{tree_id}/path", year)


def _three(view: use.PathView, width: float = WIDTH_PX) -> Scene | None:
    """The drawing of the three paths."""
    if view.result is None or view.case is None:
        return None
    rows = view.result.told_apart()
    case = view.case
    return draw_three_paths(rows, case.today.year, case.horizon, case.target.year, width)


def _needs(reader: PageReader, sheet: Sheet, path: PlannedPath) -> dict[int, Any]:
    """What each planned session uses up, by year."""
    # A plan outlives its target and measurement; what it needs cannot be told without them.
    if sheet.target is None or sheet.base is None:
        return {}
    trunk = sheet.base.record.trunk_diameter_mm.value
    yard, wished = yard_of(reader.db), sheet.target
    return {
        step.year: step_materials(yard, sheet.tree, trunk, sheet.sessions, wished, step)
        for step in path.steps
    }


def _windows(sheet: Sheet, path: PlannedPath) -> dict[int, Any]:
    """The window of each planned year."""
    return {step.year: sheet.stands.window_in(step.year) for step in path.steps}


def _wish(fields: Fields, default: DefaultTarget) -> Wish:
    """What the drawing shows: the fields as far as they are numbers within the target's limits."""
    limits = rules().target.limits

    def number(name: str, instead: float, within: tuple[float, float]) -> float:
        try:
            value = float(str(fields.get(name, "")).replace(",", "."))
        except ValueError:
            return instead
        return value if within[0] <= value <= within[1] else instead

    return Wish(
        number("spread_ratio", default.spread_ratio, limits.spread_ratio),
        number("pot_depth_mm", default.pot_depth_mm, limits.pot_depth_mm),
    )


def _fields(view: use.PathView, default: DefaultTarget) -> Fields:
    if view.target is not None:
        return fields_from(view.target, tuple(TargetFields.model_fields))
    return {
        # A default is filled in, so that one tap sets it.
        "spread_ratio": f"{default.spread_ratio:.2f}",
        "basis": default.basis,
        "largest_gap_deg": f"{default.largest_gap_deg:.0f}",
        "pot_depth_mm": f"{default.pot_depth_mm:.0f}",
    }
