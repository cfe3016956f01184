"""The search: exact dynamic programming over years with dominance pruning.

The order of wishes is kept exact by sweeps: the earliest year that can be reached, then the
least cap on one session's strain that still reaches it, then the least total strain and
fewest sessions under that cap.
"""

from __future__ import annotations

from dataclasses import dataclass

from mirvo.core.plan.label_setting import LabelSetting
from mirvo.core.plan.problem import CLOSE, PlanningProblem
from mirvo.core.plan.tree_state import TreeState, arrived, start_state, trail, worst_strain


@dataclass(frozen=True)
class Route:
    """The best way: states from the first planned year to the year of arrival."""

    reached: int
    states: list[TreeState]
    worst: float
    total: float
    sessions: int


def find_route(problem: PlanningProblem) -> Route | None:
    """Best route of one school, or None when none arrives within the horizon.

    Order: earliest year, least worst strain, least total strain, fewest sessions; among
    equals the one with most growth in hand, then the one that acts sooner.
    """
    year = earliest_year(problem)
    if year is None:
        return None
    # It stands there already: nothing is to be done and nothing strained.
    if year == problem.case.today.year:
        return Route(year, [], 0.0, 0.0, 0)
    # The year is fixed first and the strain within it: a gentler way that comes later is not
    # wished for.
    cap = _least_cap(problem, year)
    arrivals = LabelSetting(problem, year, cap, by_cost=True).run()
    best = min(arrivals, key=lambda tree: (tree.cost, -tree.grown))
    return Route(year, list(trail(best)), cap, best.cost[0], best.cost[1])


def earliest_year(
    problem: PlanningProblem, by: int | None = None, patience: int | None = None
) -> int | None:
    """First year at whose end the target can be met; today's year when it is met already.

    Parameters
    ----------
    by : last year looked at, the horizon if None. patience : states looked at in one pass
    before giving up; None never does.

    Raises
    ------
    Unsettled : patience ran out before it could tell.
    """

    def possible(year: int) -> bool:
        return LabelSetting(problem, year).first(patience) is not None

    if arrived(problem, start_state(problem)):
        return problem.case.today.year
    if problem.never:
        return None
    today = problem.case.today.year
    end = by or today + problem.case.horizon_years
    if end <= today:
        return None
    # Where the ratio falls with growth, a tree can pass the target and lose it again, so each
    # year is looked at.
    if not problem.ratio_rises:
        found = LabelSetting(problem, end).run(stop_at_first=True)
        return found[0].year if found else None
    # Who has arrived stays arrived while the ratio rises, so the year is found by halving;
    # a pass that aims at too early a year is cut short by its bounds.
    # A session owed too soon after, or a root that grows back, can break that; without them
    # it is never later.
    if problem.may_lapse:
        soonest = earliest_year(problem.without_lapses(), by, patience)
        if soonest is None:
            return None
        return next((y for y in range(soonest, end + 1) if possible(y)), None)
    if by is not None and not possible(end):
        return None
    # Halving: four passes instead of fifteen.
    low, high = today, end + 1 if by is None else end
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (low, middle) if possible(middle) else (middle, high)
    return high if high <= end else None


def reachable_at_horizon(problem: PlanningProblem) -> bool:
    """Whether the target can be met at the end of the horizon."""
    if problem.never:
        return False
    if problem.may_lapse:
        return earliest_year(problem) is not None
    year = problem.case.today.year + problem.case.horizon_years
    return LabelSetting(problem, year).first() is not None


def _least_cap(problem: PlanningProblem, year: int) -> float:
    """Least worst strain with which the year can still be met.

    By halving over the strains of cuts looked at so far; where none is left between, a last
    pass under a cap just below what was found proves that nothing lies beneath it.
    """
    found = LabelSetting(problem, year).first()
    if found is None:
        raise ValueError("the year is one that can be met")
    # Between what a way was found for and what surely is too little.
    high, low = worst_strain(found), -1.0
    while high > CLOSE:
        tries = sorted(s for s in problem.strains_seen() if low < s < high - CLOSE)
        # Only strains that some cut has can be the answer, so nothing between them is tried.
        middle = tries[len(tries) // 2] if tries else high - 2 * CLOSE
        found = LabelSetting(problem, year, middle).first()
        if found is not None:
            high = worst_strain(found)
        elif tries:
            low = middle
        else:
            return high
    return high
