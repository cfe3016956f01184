"""Three paths to a target, each with its steps, reasons, bindings and outlook."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from mirvo.core.almanac.loader import SCHOOLS
from mirvo.core.plan.case import Case
from mirvo.core.plan.forward import binding, levers
from mirvo.core.plan.keeping import keeping
from mirvo.core.plan.layering import Layered, lay, wants_layer
from mirvo.core.plan.outcomes import FEW_DRAWS, Outcomes, outcomes, recommended
from mirvo.core.plan.problem import PlanningProblem
from mirvo.core.plan.records import (
    Binding,
    Lever,
    NextStep,
    PlannedPath,
    PlanResult,
    TradeoffPoint,
    YearForecast,
)
from mirvo.core.plan.search import Route, Search, find_routes
from mirvo.core.plan.sides import CLOSE
from mirvo.core.plan.steps import layer_steps, steps_of, year_by_which_due
from mirvo.core.plan.tree_state import TreeState, left_alone, start_state
from mirvo.core.plan.unreachable import why_unreachable, with_target

WEAK = "weak"
LOOK_AGAIN_YEARS = 1


def plan(
    case: Case, first: str = SCHOOLS[0], ready: Callable[[PlannedPath], None] | None = None
) -> PlanResult:
    """Gentle, steady and bold paths: what `mirvo plan` prints.

    first : the school whose path is worked out before the others. ready : hears each path as soon
    as it is there.
    """
    made: dict[str, PlannedPath] = {}
    for school in sorted(SCHOOLS, key=lambda school: school != first):
        made[school] = plan_school(case, school)
        if ready is not None:
            ready(made[school])
    return PlanResult.of([made[school] for school in SCHOOLS])


def plan_school(case: Case, school: str, arriving: int | None = None) -> PlannedPath:
    """One path. `reached_year` is None when the target is out of reach.

    arriving : a year of the trade-off whose least way is wanted instead of the recommended one;
    a year that no way arrives in gives the recommended one.
    """
    path = plan_way(case, school, arriving)
    reached = path.reached_year
    if reached is None or not path.steps:
        return path
    held = binding(case, school, reached, path.steps[0].year)
    return path.model_copy(update={"binding": (*path.binding, *held)})


def plan_way(case: Case, school: str, arriving: int | None = None) -> PlannedPath:
    """One path, as `plan_school` gives it, without asking what holds its year back."""
    if case.strength == WEAK:
        return _resting(case, school)
    layered = lay(case, school) if wants_layer(case) else None
    if layered is None:
        path = _plan_roots(case, school, arriving)
    else:
        path = _after_layer(layered, _plan_roots(layered.after, school, arriving))
    if path.reached_year is None or case.target.year is None:
        return path
    # Sooner than wished is no delay; the year itself tells it.
    late = max(0, path.reached_year - case.target.year)
    return path.model_copy(update={"late_by_years": late})


def forward(case: Case, school: str, likely: int | None) -> tuple[Lever, ...]:
    """What would bring a path's likely year forward, or within reach, with the years gained."""
    return () if PlanningProblem(case, school).arrived_today else levers(case, school, likely)


def _plan_roots(case: Case, school: str, arriving: int | None) -> PlannedPath:
    """The path on the roots that are there, with grafts and forks."""
    problem = PlanningProblem(case, school)
    search = find_routes(problem)
    if not search.routes:
        return _out_of_reach(problem, search.settled)
    if problem.arrived_today:
        return _kept(problem)
    return _path(problem, search, search.arriving(arriving))


def _path(problem: PlanningProblem, search: Search, wanted: Route | None) -> PlannedPath:
    """A path that arrives, with the years to choose between. wanted : instead of the recommended
    one."""
    table, case = problem.rules, problem.case
    offered = search.tradeoff(table.tradeoff_step)
    chosen, looks = recommended(problem, offered)
    best = wanted or chosen or search.routes[0]
    # Of the one that is shown there are more draws, and no other figures stand beside them.
    look = looks[best.year] = outcomes(problem, best)
    states = [*best.states, *_standing_on(problem, best.states[-1])]
    bound = []
    if not best.sessions:
        # It will arrive by itself; there is no limit to name.
        text = "growth alone: it stands in its pot and nothing is to be cut"
        bound.append(Binding(code="growth_alone", text=text, gained_years=0))
    return PlannedPath(
        school=problem.school,
        reached_year=best.year,
        earliest_year=search.routes[0].year,
        likely_year=look.likely_year(table.likely_chance),
        settled=search.settled,
        toll=round(best.toll, 1),
        worst_strain=round(best.worst_strain, 1),
        total_strain=round(best.toll - table.session_toll * best.sessions, 1),
        sessions=best.sessions,
        tradeoff=tuple(_point(problem, route, looks[route.year]) for route in offered),
        binding=tuple(bound),
        steps=steps_of(problem, best.states),
        forecast=_forecasts(problem, states, look),
        chance_by_year=_chances(look, search.routes[0].year, case.last_year),
    )


def _point(problem: PlanningProblem, route: Route, look: Outcomes) -> TradeoffPoint:
    return TradeoffPoint(
        year=route.year,
        sessions=route.sessions,
        toll=round(route.toll, 1),
        worst_strain=round(route.worst_strain, 1),
        chance=round(look.chance_in(route.year), 3),
        likely_year=look.likely_year(problem.rules.likely_chance),
    )


def _chances(look: Outcomes, first: int, last: int) -> dict[int, float]:
    """Chance to have arrived by the end of each year from the earliest possible one on."""
    return {year: round(look.chance_in(year), 3) for year in range(first, last + 1)}


def _kept(problem: PlanningProblem) -> PlannedPath:
    """The path of a tree that stands at its target: how it is kept there."""
    case, next_year = problem.case, problem.today + 1
    text = "The target is already reached: the tree stands in its pot, flare and gap hold."
    start = start_state(problem)
    kept = keeping(problem, start)
    steps = steps_of(problem, kept, keeping=True)
    last = case.state.last_session_year
    due = max(next_year, problem.counted_from(last) + problem.step)
    due = steps[0].year if steps else due
    at_most = max(due, year_by_which_due(problem, start))
    keep = (
        f"Next session in {due}, by {at_most} at the latest: comb and trim the edge, back into the "
        "same pot. Watch for roots that thicken past the others, cross or rise above the plane."
    )
    route = Route(problem.today, tuple(kept), 0.0, 0.0)
    return PlannedPath(
        school=problem.school,
        reached_year=next_year,
        earliest_year=next_year,
        likely_year=next_year,
        tradeoff=(TradeoffPoint(year=next_year, sessions=0, toll=0, worst_strain=0, chance=1.0),),
        binding=(Binding(code="already_reached", text=text),),
        steps=steps,
        forecast=_forecasts(problem, kept, outcomes(problem, route, FEW_DRAWS)),
        chance_by_year={next_year: 1.0},
        next_step=NextStep(year=due, text=keep),
    )


def _resting(case: Case, school: str) -> PlannedPath:
    """The path of a weak tree: rest first; its steps are those it would have as a fair one."""
    why = why_unreachable(case, school)
    fair = plan_way(case.model_copy(update={"strength": "fair"}), school)
    year = case.today.year + LOOK_AGAIN_YEARS
    text = (
        f"Rest until it is at least fair; look again in {year}: strong new shoots, leaf of full "
        "size and buds set by autumn. The steps shown are those it would have then."
    )
    failed = tuple(Binding(code=part.part, text=why.text) for part in why.fails)
    return PlannedPath(
        school=school,
        reached_year=None,
        steps=fair.steps,
        forecast=fair.forecast,
        sessions=fair.sessions,
        binding=failed,
        unreachable=why,
        next_step=NextStep(year=year, text=text),
    )


def _out_of_reach(problem: PlanningProblem, settled: bool) -> PlannedPath:
    """Why a target cannot be reached, and the way to the nearest one that can."""
    case, school = problem.case, problem.school
    why = why_unreachable(case, school)
    failed = tuple(Binding(code=part.part, text=why.text) for part in why.fails)
    path = PlannedPath(
        school=school, reached_year=None, settled=settled, binding=failed, unreachable=why
    )
    if why.nearest is not None:
        eased = PlanningProblem(with_target(case, **why.nearest.sizes), school, grafts_for=case)
        search = find_routes(eased)
        best = recommended(eased, search.tradeoff(eased.rules.tradeoff_step))[0]
        if eased.arrived_today:
            best = search.earliest
        if best is not None:
            return _towards(path, eased, best)
    return _as_far_as_it_goes(path, problem)


def _towards(path: PlannedPath, problem: PlanningProblem, route: Route) -> PlannedPath:
    """The steps to the nearest target, and those that keep the tree there."""
    there = route.states[-1] if route.states else start_state(problem)
    kept = keeping(problem, there)
    way, stays = steps_of(problem, route.states), steps_of(problem, kept, keeping=True)
    text = f"The steps lead to the nearest target that can be had, reached in {route.year}."
    first = (*way, *stays)[0].year if way or stays else route.year
    whole = Route(route.year, (*route.states, *kept), route.toll, route.worst_strain)
    return path.model_copy(
        update={
            "steps": (*way, *stays),
            "forecast": _forecasts(problem, whole.states, outcomes(problem, whole)),
            "sessions": route.sessions,
            "toll": round(route.toll, 1),
            "worst_strain": round(route.worst_strain, 1),
            "next_step": NextStep(year=first, text=text),
        }
    )


def _as_far_as_it_goes(path: PlannedPath, problem: PlanningProblem) -> PlannedPath:
    """Sessions at the interval that take what the limit lets go, where no target can be met."""
    states = keeping(problem, start_state(problem))
    steps = steps_of(problem, states, keeping=True)
    left = [
        fault.label
        for fault, part in zip(problem.faults, states[-1].progress, strict=True)
        if part > 0
    ]
    text = "The steps take what the limit lets go and keep the tree as it stands."
    if left:
        text += f" {', '.join(left)} would still be there in {problem.case.last_year}."
    if not steps:
        text = "No session can be planned: free a fixed year, or look at its strength and limit."
    route = Route(problem.case.last_year, tuple(states), 0.0, 0.0)
    return path.model_copy(
        update={
            "steps": steps,
            "forecast": _forecasts(problem, states, outcomes(problem, route, FEW_DRAWS)),
            "sessions": len(steps),
            "worst_strain": max((step.strain for step in steps), default=0.0),
            "next_step": NextStep(
                year=steps[0].year if steps else problem.today + LOOK_AGAIN_YEARS, text=text
            ),
        }
    )


def _after_layer(layered: Layered, path: PlannedPath) -> PlannedPath:
    """A path that begins with a ground layer and goes on from its own flare."""
    # Every chance after the layer rests on its having taken.
    luck = layered.old.case.layer_success
    sessions = layer_steps(layered)
    toll = layered.old.rules.session_toll * len(sessions)
    before = _idle_forecasts(layered.old, layered.before)
    first = _idle_forecasts(layered.new, [layered.first])
    text = (
        f"the ground layer: made in {layered.made}, separated in {layered.separated}, "
        "and its flare starts anew"
    )
    bound = Binding(code="ground_layer", text=text, gained_years=0)
    chances = {year: round(chance * luck, 3) for year, chance in path.chance_by_year.items()}
    likely = layered.old.rules.likely_chance
    return path.model_copy(
        update={
            "forecast": (*before, *first, *path.forecast),
            "steps": (*sessions, *path.steps),
            "sessions": path.sessions + len(sessions),
            "toll": round(path.toll + toll, 1),
            "tradeoff": tuple(
                point.model_copy(
                    update={
                        "sessions": point.sessions + len(sessions),
                        "toll": round(point.toll + toll, 1),
                        "chance": round(point.chance * luck, 3),
                        # Its draws know nothing of the layer's own luck.
                        "likely_year": None,
                    }
                )
                for point in path.tradeoff
            ),
            "chance_by_year": chances,
            "likely_year": next((y for y, c in chances.items() if c >= likely - CLOSE), None),
            "binding": (bound, *path.binding),
        }
    )


def _standing_on(problem: PlanningProblem, tree: TreeState) -> list[TreeState]:
    """The years after arrival up to the horizon, nothing more done."""
    later = []
    while tree.year < problem.case.last_year:
        tree = left_alone(problem, tree)
        later.append(tree)
    return later


def _idle_forecasts(problem: PlanningProblem, states: list[TreeState]) -> tuple[YearForecast, ...]:
    route = Route(states[-1].year, tuple(states), 0.0, 0.0) if states else None
    return () if route is None else _forecasts(problem, states, outcomes(problem, route))


def _forecasts(
    problem: PlanningProblem, states: Iterable[TreeState], look: Outcomes
) -> tuple[YearForecast, ...]:
    return tuple(
        YearForecast(
            year=tree.year,
            spread_mm=round(problem.spread_mm(tree.grown), 1),
            trunk_diameter_mm=round(problem.trunk_mm(tree.grown), 1),
            spread_ratio=round(problem.ratio(tree.grown), 2),
            low=round(look.low[tree.year - look.first_year], 2),
            high=round(look.high[tree.year - look.first_year], 2),
            woody_depth_mm=round(tree.woody, 1),
            ball_depth_mm=round(tree.ball, 1),
            largest_gap_deg=round(
                problem.largest_gap(tree.progress, tree.year >= problem.grafts_count_from), 1
            ),
            container=tree.place.kind,
        )
        for tree in states
    )
