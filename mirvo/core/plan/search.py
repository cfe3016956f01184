"""The search: exact dynamic programming over years with dominance pruning.

The order of wishes is kept exact by sweeps: the earliest year that can be reached, then the
least cap on one session's strain that still reaches it, then the least total strain and
fewest sessions under that cap.
"""

from __future__ import annotations

from dataclasses import dataclass

from mirvo.core.plan.ground import CLOSE, Ground
from mirvo.core.plan.label import Label, arrived, start_label, trail, worst_strain
from mirvo.core.plan.sweep import Sweep


@dataclass(frozen=True)
class Route:
    """The best way: labels from the first planned year to the year of arrival."""

    reached: int
    labels: list[Label]
    worst: float
    total: float
    sessions: int


def find_route(ground: Ground) -> Route | None:
    """Best route of one school, or None when none arrives within the horizon.

    Order: earliest year, least worst strain, least total strain, fewest sessions; among
    equals the one with most growth in hand, then the one that acts sooner.
    """
    year = earliest_year(ground)
    if year is None:
        return None
    if year == ground.case.today.year:
        return Route(year, [], 0.0, 0.0, 0)
    cap = _least_cap(ground, year)
    arrivals = Sweep(ground, year, cap, by_cost=True).run()
    best = min(arrivals, key=lambda label: (label.cost, -label.grown))
    return Route(year, list(trail(best)), cap, best.cost[0], best.cost[1])


def earliest_year(ground: Ground, by: int | None = None, patience: int | None = None) -> int | None:
    """First year at whose end the target can be met; today's year when it is met already.

    Parameters
    ----------
    by : last year looked at, the horizon if None. patience : labels looked at in one pass
    before giving up; None never does.

    Raises
    ------
    Unsettled : patience ran out before it could tell.
    """

    def possible(year: int) -> bool:
        return Sweep(ground, year).first(patience) is not None

    if arrived(ground, start_label(ground)):
        return ground.case.today.year
    if ground.never:
        return None
    today = ground.case.today.year
    end = by or today + ground.case.horizon_years
    if end <= today:
        return None
    if not ground.ratio_rises:
        found = Sweep(ground, end).run(stop_at_first=True)
        return found[0].year if found else None
    # Who has arrived stays arrived while the ratio rises, so the year is found by halving;
    # a pass that aims at too early a year is cut short by its bounds.
    # A session owed too soon after, or a root that grows back, can break that; without them
    # it is never later.
    if ground.may_lapse:
        soonest = earliest_year(ground.without_lapses(), by, patience)
        if soonest is None:
            return None
        return next((y for y in range(soonest, end + 1) if possible(y)), None)
    if by is not None and not possible(end):
        return None
    low, high = today, end + 1 if by is None else end
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (low, middle) if possible(middle) else (middle, high)
    return high if high <= end else None


def reachable_at_horizon(ground: Ground) -> bool:
    """Whether the target can be met at the end of the horizon."""
    if ground.never:
        return False
    if ground.may_lapse:
        return earliest_year(ground) is not None
    year = ground.case.today.year + ground.case.horizon_years
    return Sweep(ground, year).first() is not None


def _least_cap(ground: Ground, year: int) -> float:
    """Least worst strain with which the year can still be met.

    By halving over the strains of cuts looked at so far; where none is left between, a last
    pass under a cap just below what was found proves that nothing lies beneath it.
    """
    found = Sweep(ground, year).first()
    if found is None:
        raise ValueError("the year is one that can be met")
    high, low = worst_strain(found), -1.0
    while high > CLOSE:
        tries = sorted(s for s in ground.strains_seen() if low < s < high - CLOSE)
        middle = tries[len(tries) // 2] if tries else high - 2 * CLOSE
        found = Sweep(ground, year, middle).first()
        if found is not None:
            high = worst_strain(found)
        elif tries:
            low = middle
        else:
            return high
    return high
