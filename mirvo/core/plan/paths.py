"""Three paths to a target, each with its steps, reasons, bindings and outlook."""

from __future__ import annotations

from mirvo.core.almanac.loader import SCHOOLS
from mirvo.core.plan.case import Case, Gap
from mirvo.core.plan.forward import binding, levers
from mirvo.core.plan.label_setting import Unsettled
from mirvo.core.plan.layering import Layered, lay, wants_layer
from mirvo.core.plan.outcomes import Outcomes, outcomes
from mirvo.core.plan.problem import PlanningProblem
from mirvo.core.plan.records import (
    Binding,
    GapWork,
    Lever,
    PlannedPath,
    PlannedStep,
    PlanResult,
    TargetPart,
    Unreachable,
    YearForecast,
)
from mirvo.core.plan.search import find_route
from mirvo.core.plan.tree_state import UNGRAFTED, TreeState, graft_counts
from mirvo.core.plan.unreachable import why_unreachable

TOO_MANY = (
    "There are too many ways to try them all: give a shorter horizon, fewer faults or a "
    "shallower ball."
)


def plan(case: Case) -> PlanResult:
    """Gentle, steady and bold paths: what `mirvo plan` prints."""
    paths = tuple(plan_school(case, school) for school in SCHOOLS)
    # The boldest school is the last: what it cannot reach, none can.
    failed = [path.unreachable for path in paths if path.unreachable is not None]
    return PlanResult(paths=paths, unreachable=failed[-1] if failed else None)


def plan_school(case: Case, school: str) -> PlannedPath:
    """One path. `reached_year` is None when the target is out of reach."""
    try:
        return _plan_school(case, school)
    except Unsettled:
        search = TargetPart(part="search")
        why = Unreachable(school=school, text=TOO_MANY, fails=(search,), nearest=None)
        bound = Binding(code="search", text=TOO_MANY)
        return PlannedPath(school=school, reached_year=None, binding=(bound,), unreachable=why)


def _plan_school(case: Case, school: str) -> PlannedPath:
    # A weak tree would not survive two years under packing.
    layered = lay(case, school) if wants_layer(case) and case.strength != "weak" else None
    if layered is None:
        path = _plan_roots(case, school)
    else:
        path = _after_layer(layered, _plan_roots(layered.after, school))
    reached, bound = path.reached_year, list(path.binding)
    if reached is not None and path.steps:
        bound += binding(case, school, reached, path.steps[0].year)
    # It will arrive by itself; there is no limit to name.
    elif reached is not None and reached > case.today.year:
        text = "growth alone: it stands in its pot and nothing is to be cut"
        bound.append(Binding(code="growth_alone", text=text, gained_years=0))
    late = None
    # Sooner than wished is no delay; the year itself tells it.
    if reached is not None and case.target.year is not None:
        late = max(0, reached - case.target.year)
    return path.model_copy(update={"binding": tuple(bound), "late_by_years": late})


def forward(case: Case, school: str, reached: int | None) -> tuple[Lever, ...]:
    """What would bring a path forward, or within reach, with the years gained."""
    return () if reached == case.today.year else levers(case, school, reached)


def _plan_roots(case: Case, school: str) -> PlannedPath:
    """The path on the roots that are there, with grafts and forks."""
    problem = PlanningProblem(case, school)
    route = find_route(problem)
    if route is None:
        why = why_unreachable(case, school)
        failed = tuple(Binding(code=part.part, text=why.text) for part in why.fails)
        return PlannedPath(school=school, reached_year=None, binding=failed, unreachable=why)
    if not route.states:
        text = "The target is already reached: the tree stands in its pot, flare and gap hold."
        return PlannedPath(
            school=school,
            reached_year=route.reached,
            binding=(Binding(code="already_reached", text=text),),
            chance_by_year={route.reached: 1.0},
        )
    # The forecast goes on after arrival, so that a late chance can still come true in it.
    states = route.states + _standing_on(problem, route.states[-1])
    outlook = outcomes(problem, states)
    return PlannedPath(
        school=school,
        reached_year=route.reached,
        steps=tuple(_step(problem, tree) for tree in route.states if tree.cut is not None),
        forecast=_forecasts(problem, states, outlook),
        chance_by_year={
            tree.year: round(value, 3)
            for tree, value in zip(states, outlook.chance, strict=True)
            if tree.year >= route.reached
        },
        worst_strain=round(route.worst, 1),
        total_strain=round(route.total, 1),
        sessions=route.sessions,
    )


def _after_layer(layered: Layered, path: PlannedPath) -> PlannedPath:
    """A path that begins with a ground layer and goes on from its own flare."""
    # Every chance after the layer rests on its having taken.
    luck = layered.old.case.layer_success
    before = _forecasts(layered.old, layered.before, outcomes(layered.old, layered.before))
    first = _forecasts(layered.new, [layered.first], outcomes(layered.new, [layered.first]))
    text = (
        f"the ground layer: made in {layered.made}, separated in {layered.separated}, "
        "and its flare starts anew"
    )
    bound = Binding(code="ground_layer", text=text, gained_years=0)
    chances = {year: round(chance * luck, 3) for year, chance in path.chance_by_year.items()}
    return path.model_copy(
        update={
            "forecast": (*before, *first, *path.forecast),
            "steps": (*_layer_steps(layered), *path.steps),
            "sessions": path.sessions + 2,
            "chance_by_year": chances,
            "binding": (bound, *path.binding),
        }
    )


def _layer_steps(layered: Layered) -> tuple[PlannedStep, PlannedStep]:
    """The two sessions of a ground layer; neither takes any feeding root."""
    old, new = layered.old, layered.new
    at = {tree.year: tree for tree in layered.before}
    made, last = at[layered.made], layered.before[-1]
    ball, woody = new.case.state.ball_depth_mm, new.case.state.woody_depth_mm
    years = layered.separated - layered.made
    first = PlannedStep(
        year=layered.made,
        share=0.0,
        budget=round(old.budget, 4),
        strain=0.0,
        layer="make",
        container=old.case.state.container,
        ball_depth_mm=(round(made.ball, 1), round(made.ball, 1)),
        woody_depth_mm=(round(made.woody, 1), round(made.woody, 1)),
        reasons=(
            "A ground layer gives a new flare all round; the old roots feed the tree until then.",
            f"It takes with {old.case.layer_success * 100:.0f} % and needs {years} years.",
        ),
    )
    second = PlannedStep(
        year=layered.separated,
        share=0.0,
        budget=round(old.budget, 4),
        strain=0.0,
        layer="separate",
        container=layered.first.container,
        ball_depth_mm=(round(last.ball, 1), round(ball, 1)),
        woody_depth_mm=(round(last.woody, 1), round(woody, 1)),
        reasons=(
            "The old base goes with its faults and gaps; the new flare starts at the trunk.",
            "No root work in the year after: a young layer lives on few roots.",
        ),
    )
    return first, second


def _standing_on(problem: PlanningProblem, tree: TreeState) -> list[TreeState]:
    """The years after arrival up to the horizon, nothing more done."""
    later = []
    end = problem.case.today.year + problem.case.horizon_years
    while tree.year < end:
        age = tree.graft_age
        tree = tree._replace(
            year=tree.year + 1,
            grown=tree.grown + problem.growth_of_year(tree.container, 0.0),
            ball=problem.ball_after_year(tree.ball, tree.container),
            graft_age=age if age == UNGRAFTED else min(age + 1, problem.rules.graft_years),
            cut=None,
            before=tree,
        )
        later.append(tree)
    return later


def _forecasts(
    problem: PlanningProblem, states: list[TreeState], outlook: Outcomes
) -> tuple[YearForecast, ...]:
    return tuple(
        _forecast(problem, tree, low, high)
        for tree, low, high in zip(states, outlook.low, outlook.high, strict=True)
    )


def _forecast(problem: PlanningProblem, tree: TreeState, low: float, high: float) -> YearForecast:
    gap = problem.largest_gap(tree.halves, graft_counts(problem, tree.graft_age))
    return YearForecast(
        year=tree.year,
        spread_mm=round(problem.spread_mm(tree.grown), 1),
        trunk_diameter_mm=round(problem.trunk_mm(tree.grown), 1),
        spread_ratio=round(problem.ratio(tree.grown), 2),
        low=round(low, 2),
        high=round(high, 2),
        woody_depth_mm=round(tree.woody, 1),
        ball_depth_mm=round(tree.ball, 1),
        largest_gap_deg=round(gap, 1),
        container=tree.container,
    )


def _step(problem: PlanningProblem, tree: TreeState) -> PlannedStep:
    cut, before = tree.cut, tree.before
    if cut is None or before is None:
        raise ValueError("a step is a state with a cut and a year before it")
    parts = fault_parts(problem, before.halves, cut.halves)
    # Grafts go in once, at the first session; their age is nought just then.
    closed: list[Gap] = problem.open_gaps if tree.graft_age == 0 else []
    step = PlannedStep(
        year=tree.year,
        share=round(cut.share, 4),
        budget=round(problem.budget, 4),
        strain=round(cut.strain, 1),
        faults=tuple(parts),
        fault_parts=parts,
        returned=tuple(fault.label for fault in problem.back(problem.years_on(before.ages))),
        slice_mm=round(before.ball - cut.ball_mm, 1),
        grafts=_new_roots(closed, "graft"),
        forks=_new_roots(closed, "fork"),
        container=tree.container,
        ball_depth_mm=(round(before.ball, 1), round(cut.ball_mm, 1)),
        woody_depth_mm=(round(before.woody, 1), round(tree.woody, 1)),
    )
    return step.model_copy(update={"reasons": tuple(_reasons(problem, step, before))})


def _new_roots(closed: list[Gap], method: str) -> tuple[GapWork, ...]:
    azimuths = (gap.new_root_deg for gap in closed if gap.method == method)
    return tuple(GapWork(azimuth_deg=round(azimuth, 1)) for azimuth in azimuths)


def fault_parts(problem: PlanningProblem, start: int, end: int) -> dict[str, float]:
    """Part of each fault root taken between two counts of halves, 0.5 or 1."""
    parts: dict[str, float] = {}
    for half in range(start, end):
        root = problem.faults[half // 2].label
        # Two halves in one session are the whole root.
        parts[root] = parts.get(root, 0.0) + 0.5
    return parts


def _reasons(problem: PlanningProblem, step: PlannedStep, before: TreeState) -> list[str]:
    reasons = []
    if step.share:
        reasons.append(
            f"{step.share * 100:.0f} % of the feeding root goes, within the budget of "
            f"{step.budget * 100:.0f} %."
        )
    halved = [root for root, part in step.fault_parts.items() if part < 1]
    if halved:
        reasons.append(f"Only half of {', '.join(halved)} fits this session; the rest later.")
    if step.returned:
        reasons.append(f"Grown back since and cut again: {', '.join(step.returned)}.")
    if step.slice_mm > 0:
        reasons.append(
            f"{step.slice_mm:.0f} mm off the underside brings the ball to "
            f"{step.ball_after_mm:.0f} mm; the pot takes {problem.case.need_mm:.0f} mm."
        )
    if step.grafts:
        reasons.append(
            f"Grafts go in at the first session; they count from the end of "
            f"{step.year + problem.rules.graft_years} if they take."
        )
    if step.forks:
        reasons.append(
            "A root beside the gap is bent into it, or cut back to a fork that points there: "
            f"up to {problem.rules.fork_deg:.0f}°, counted from the end of "
            f"{step.year + problem.rules.graft_years}."
        )
    # Even then a reader wants to know why the year has a step at all.
    if not (step.share or step.faults or step.returned or step.grafts or step.forks):
        reasons.append("Nothing is cut: the tree changes its container or the year was fixed.")
    if step.container != before.container:
        factor = problem.containers[step.container].growth
        reasons.append(f"Into the {step.container}: growth counts {factor:g} times a year.")
    return reasons
