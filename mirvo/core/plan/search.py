"""The search: for each year of arrival the way of least toll, exactly.

A narrow sweep finds good ways quickly; what they cost bounds the sweep that looks at all of them,
so that it only follows ways that may still be better.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import inf

import numpy as np

from mirvo.core.plan.cut_work import CutWork
from mirvo.core.plan.label_setting import Sweep
from mirvo.core.plan.layers import NO_CUT, Array, Unsettled
from mirvo.core.plan.problem import PlanningProblem
from mirvo.core.plan.tree_state import Cut, TreeState, left_alone, start_state, worked_on

# Wide enough to find the best way of most cases, narrow enough to be done at once.
FIRST_WIDTH = 240
GLANCE_WIDTH = 60
GLANCE_DEPTHS = 24


@dataclass(frozen=True)
class Route:
    """The best way to have arrived by the end of a year; states from the plan's first year on."""

    year: int
    states: tuple[TreeState, ...]
    toll: float
    worst_strain: float

    @property
    def sessions(self) -> int:
        return sum(state.cut is not None for state in self.states)


@dataclass(frozen=True)
class Search:
    """What a search found: the best way for each year of arrival, soonest first.

    settled : every way was looked at; without it there may be better ones.
    """

    routes: tuple[Route, ...]
    settled: bool = True

    @property
    def earliest(self) -> Route | None:
        """The way that arrives first."""
        return self.routes[0] if self.routes else None

    def arriving(self, year: int | None) -> Route | None:
        """The way of least toll that arrives in a year, None where there is none."""
        return next((route for route in self.routes if route.year == year), None)

    def recommended(self, year_toll: float) -> Route | None:
        """The way with the least toll and `year_toll` for each year after the earliest."""
        if not self.routes:
            return None
        first = self.routes[0].year
        return min(self.routes, key=lambda route: route.toll + year_toll * (route.year - first))

    def tradeoff(self, step: float) -> tuple[Route, ...]:
        """The ways worth waiting for: each saves at least `step` against every sooner one."""
        found: list[Route] = []
        least = inf
        for route in self.routes:
            if route.toll <= least - step + 1e-9:
                found.append(route)
            least = min(least, route.toll)
        return tuple(found)


def find_routes(problem: PlanningProblem) -> Search:
    """The best way to every year of arrival within the horizon."""
    if problem.arrived_today:
        return Search((Route(problem.today + 1, (), 0.0, 0.0),))
    if problem.never:
        return Search(())
    work = CutWork(problem)
    quick = _swept(Sweep(problem, work, width=FIRST_WIDTH))
    best = {route.year: route for route in quick}
    try:
        # What no toll bounds yet is asked first: may it be reached sooner than was found?
        sooner = _possible(problem, work, before=quick[0].year if quick else None)
        best |= {route.year: route for route in sooner}
        if not best:
            return Search(())
        tolls = {year: route.toll for year, route in best.items()}
        return Search(_swept(Sweep(problem, work, _aims(problem, tolls))))
    except Unsettled:
        return Search(tuple(best[year] for year in sorted(best)), settled=False)


def glance(problem: PlanningProblem, width: int = GLANCE_WIDTH) -> Search:
    """A good way to every year of arrival, found quickly; better ones may have been missed."""
    if problem.arrived_today or problem.never:
        return find_routes(problem)
    work = CutWork(problem, GLANCE_DEPTHS)
    return Search(_swept(Sweep(problem, work, width=width)), settled=False)


def reachable(problem: PlanningProblem) -> bool:
    """Whether the target can be met in any year of the horizon."""
    if problem.arrived_today:
        return True
    if problem.never:
        return False
    work = CutWork(problem, GLANCE_DEPTHS)
    # A few promising ways first: mostly one of them arrives.
    if _swept(Sweep(problem, work, width=GLANCE_WIDTH), stop_at_first=True):
        return True
    try:
        return bool(_possible(problem, CutWork(problem)))
    except Unsettled:
        return False


def _possible(
    problem: PlanningProblem, work: CutWork, before: int | None = None
) -> tuple[Route, ...]:
    """The way to the first year that can be reached at all, whatever its toll.

    before : years from this one on are not asked about.
    """
    years = range(problem.today + 1, problem.case.last_year + 1)
    if before is not None and before <= years[0]:
        return ()
    aims = np.array([inf if before is None or year < before else -inf for year in years])
    return _swept(Sweep(problem, work, aims, by_toll=False), stop_at_first=True)


def _aims(problem: PlanningProblem, found: dict[int, float]) -> Array:
    """By year the toll that is worth beating: of ways known to arrive then or sooner."""
    aims, least = [], inf
    for year in range(problem.today + 1, problem.case.last_year + 1):
        least = min(least, found.get(year, inf))
        # Sooner than any that is possible there is nothing to be found.
        aims.append(least if least < inf else -inf)
    return np.array(aims)


def _swept(sweep: Sweep, stop_at_first: bool = False) -> tuple[Route, ...]:
    routes = []
    for year, there in sweep.run(stop_at_first):
        layer = sweep.layers[-1]
        # Least toll, then most growth in hand; the sweep lists sooner action first.
        order = np.lexsort((-layer.grown[there], layer.toll[there]))
        routes.append(_route(sweep, year, int(there[order[0]])))
    return tuple(routes)


def _route(sweep: Sweep, year: int, place: int) -> Route:
    """The states on the way to one place in the newest layer."""
    toll, ways = float(sweep.layers[-1].toll[place]), []
    for layer in sweep.layers[:0:-1]:
        ways.append((layer, place))
        place = int(layer.parent[place])
    problem = sweep.problem
    tree, states = start_state(problem), list[TreeState]()
    for layer, way in reversed(ways):
        faults = int(layer.faults[way])
        if faults == NO_CUT:
            tree = left_alone(problem, tree)
        else:
            left = float(layer.left_mm[way]), int(layer.left_off[way])
            cut = Cut(sweep.taken[faults], *left, float(layer.share[way]))
            tree = worked_on(problem, tree, cut, problem.places[int(layer.place[way])])
        states.append(tree)
    strains = (problem.strain(one.year, one.cut.share) for one in states if one.cut is not None)
    return Route(year, tuple(states), toll, max(strains, default=0.0))
