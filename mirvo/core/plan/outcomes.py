"""How sure a way is: draws over growth and the luck of grafts, with an artist who answers both.

A graft that did not take is found in the year in which it should count and set again at the next
session; the move into the final pot waits until the flare is there.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from mirvo.core.plan.case import FINAL
from mirvo.core.plan.growth import YEARLY_RELATIVE_SD
from mirvo.core.plan.problem import CLOSE, PlanningProblem
from mirvo.core.plan.search import Route
from mirvo.core.plan.tree_state import TreeState

# Of the way that is recommended, and of those it is chosen from.
OUTCOME_DRAWS, FEW_DRAWS = 4000, 1000
# Fixed, so that a plan opened twice shows the same chances.
SEED = 7_919
SUCCESS: dict[str, Callable[[PlanningProblem], float]] = {
    "graft": lambda problem: problem.rules.graft_success,
    # A fork is wood that is there already; it does not fail to take.
    "fork": lambda _: 1.0,
    "ground layer": lambda problem: problem.case.layer_success,
}
BAND = (0.10, 0.90)
# So far beyond the horizon it is still asked when a way is likely to have arrived.
YEARS_BEYOND = 10
NEVER = 9_999
Array = npt.NDArray[np.float64]
Flags = npt.NDArray[np.bool_]
Numbers = npt.NDArray[np.int64]


@dataclass(frozen=True)
class Outcomes:
    """For each year from the plan's first on: band of the spread ratio (80 %) and chance to have
    arrived by its end."""

    first_year: int
    low: list[float]
    high: list[float]
    chance: list[float]

    def chance_in(self, year: int) -> float:
        """Chance to have arrived by the end of a year."""
        return self.chance[year - self.first_year]

    def likely_year(self, chance: float) -> int | None:
        """First year by whose end it has arrived with at least this chance, None if none has."""
        places = (place for place, value in enumerate(self.chance) if value >= chance - CLOSE)
        found = next(places, None)
        return None if found is None else self.first_year + found


def outcomes(problem: PlanningProblem, route: Route, draws: int = OUTCOME_DRAWS) -> Outcomes:
    """Follow one way under drawn growth and luck.

    A tree's rate is drawn once, and every year strays from it by a quarter. Rates said to be
    known for certain (sd 0) do not stray.
    """
    return _Draws(problem, route, draws).followed()


def recommended(
    problem: PlanningProblem, offered: Sequence[Route]
) -> tuple[Route | None, dict[int, Outcomes]]:
    """The way that weighs least by its toll and the year by which it has likely arrived; of equals
    the sooner. So a way is chosen by when it is likely to succeed, not by when it might.

    offered : the ways to choose from, soonest first. With the outcomes of each by its year.
    """
    looks = {route.year: outcomes(problem, route, FEW_DRAWS) for route in offered}
    never = problem.case.last_year + problem.rules.unlikely_years

    def weight(route: Route) -> float:
        likely = looks[route.year].likely_year(problem.rules.likely_chance) or never
        return route.toll + problem.rules.year_toll * likely

    return min(offered, key=weight, default=None), looks


class _Draws:
    """Many trees of one case, each with its own growth, living through the years of one way."""

    def __init__(self, problem: PlanningProblem, route: Route, draws: int) -> None:
        self.problem, self.route, self.draws = problem, route, draws
        self.rng = np.random.default_rng(SEED)
        state, growth = problem.case.state, problem.case.state.growth
        share = problem.rules.growth_relative_sd
        self.spread, self.spread_rate, self.spread_sd = self._start(
            state.spread_mm, growth.spread_mm_per_year, growth.spread_sd, share
        )
        self.trunk, self.trunk_rate, self.trunk_sd = self._start(
            state.trunk_diameter_mm, growth.trunk_mm_per_year, growth.trunk_sd, share
        )
        self.moved = np.full(draws, state.container == FINAL)
        first = state.last_session_year
        self.last = np.full(draws, problem.today - 60 if first is None else first)
        self.luck = np.array(
            [
                SUCCESS[gap.method](problem)
                for gap in problem.open_gaps
                for _ in gap.new_roots_deg(problem.case.target.largest_gap_deg)
            ]
        )
        # The year each graft was made in, and whether it will turn out to have taken.
        self.made = np.full((draws, len(self.luck)), NEVER)
        self.takes = np.zeros((draws, len(self.luck)), bool)
        self.waiting = state.container

    def _start(
        self, now: float, rate: float, sd: float | None, share: float
    ) -> tuple[Array, Array, float]:
        own = share * rate if sd is None else sd
        # A rate below nothing would be a trunk that shrinks.
        rates = np.maximum(0.0, self.rng.normal(rate, own, self.draws))
        return np.full(self.draws, now), rates, (YEARLY_RELATIVE_SD * rate if own > 0 else 0.0)

    def followed(self) -> Outcomes:
        problem = self.problem
        first, last = problem.today + 1, problem.case.last_year + YEARS_BEYOND
        by_year = {state.year: state for state in self.route.states}
        arrived = np.zeros(self.draws, bool)
        low, high, chance = [], [], []
        for year in range(first, last + 1):
            self._live(year, by_year.get(year))
            done = year >= self._faults_gone
            ratio = self.spread / self.trunk
            good = self.moved & (ratio >= problem.case.target.spread_ratio - CLOSE) & done
            good &= self._gap_holds(year)
            # Who has arrived stays so: a later bad year is another year's matter.
            arrived |= good
            a, b = np.quantile(ratio, BAND)
            low.append(float(a))
            high.append(float(b))
            chance.append(float(arrived.mean()))
        return Outcomes(first, low, high, chance)

    @cached_property
    def _faults_gone(self) -> int:
        """The year at whose end no fault is left."""
        count = len(self.problem.faults)
        if count == 0:
            return self.problem.today
        years = (state.year for state in self.route.states if state.gone == count)
        return next(years, NEVER)

    def _live(self, year: int, planned: TreeState | None) -> None:
        """One year of every tree: session first, growth after."""
        problem = self.problem
        edge = problem.edge(min(year, problem.case.last_year))
        if planned is not None and planned.container != FINAL:
            self.waiting = planned.container
        works = np.zeros(self.draws, bool)
        share = np.zeros(self.draws)
        if planned is not None and planned.cut is not None:
            works[:], share[:] = True, planned.cut.share
            if planned.container != FINAL:
                # A way that leaves the pot it stands in grows by the one it is put into.
                self.moved[:] = False
        # What was planned is done; beyond it the artist works where something is still to do.
        may = (year - self.last >= problem.case.interval - CLOSE) & ~works
        may &= year not in problem.left_alone
        wants = np.zeros(self.draws, bool)
        if planned is None or year > self._potted_in:
            wants = ~self.moved & self._flare_there(edge)
            wants |= year - self.last >= problem.case.longest - CLOSE
            if planned is None:
                wants |= self._failed(year).any(axis=1)
        extra = may & wants
        works |= extra
        share[extra] = edge
        late = ~works & (year - self._counted_from > problem.case.longest + CLOSE)
        if year >= self._potted_in:
            self.moved |= works & self._flare_there(share)
        self._graft(year, works)
        self.last = np.where(works, year, self.last)
        self._grow(share, late)

    @property
    def _counted_from(self) -> Numbers:
        """The year from which each tree's longest interval runs."""
        if self.problem.case.state.last_session_year is None:
            return np.where(self.last < self.problem.today, self.problem.today, self.last)
        return self.last

    @cached_property
    def _potted_in(self) -> int:
        """The year in which the plan moves the tree into its final pot."""
        years = (state.year for state in self.route.states if state.container == FINAL)
        return next(years, NEVER)

    def _factor(self, moved: Flags) -> Array:
        return np.where(moved, self.problem.growth_of(FINAL), self.problem.growth_of(self.waiting))

    def _flare_there(self, share: Array | float) -> Flags:
        """Whether the flare will be there at the end of a year begun in the final pot."""
        if self.problem.growth_needed == 0.0 and self.problem.ratio_rises:
            return np.ones(self.draws, bool)
        more = self.problem.growth_of(FINAL) * (
            1.0 - self.problem.rules.session_growth_loss * share
        )
        spread, trunk = self.spread + self.spread_rate * more, self.trunk + self.trunk_rate * more
        return np.asarray(spread >= (self.problem.case.target.spread_ratio - CLOSE) * trunk)

    def _grow(self, share: Array, late: Flags) -> None:
        vigour = 1.0 - self.problem.rules.session_growth_loss * share
        vigour = np.where(late, vigour * self.problem.rules.overdue_growth, vigour)
        moved = self._factor(self.moved) * vigour
        for name in ("spread", "trunk"):
            rate, sd = getattr(self, f"{name}_rate"), getattr(self, f"{name}_sd")
            strayed = rate + self.rng.normal(0.0, 1.0, self.draws) * sd
            # A bad year stops growth, it does not undo it.
            setattr(self, name, getattr(self, name) + np.maximum(0.0, strayed) * moved)

    # Grafts -----------------------------------------------------------------------

    def _failed(self, year: int) -> Flags:
        """Which grafts are known not to have taken as a year begins (draws, grafts)."""
        known = year - self.made > self.problem.rules.graft_years
        return np.asarray((self.made < NEVER) & known & ~self.takes)

    def _graft(self, year: int, works: Flags) -> None:
        """Set the grafts that are not there: all at the first session, those that failed later."""
        if len(self.luck) == 0:
            return
        wanted = works[:, None] & ((self.made == NEVER) | self._failed(year))
        takes = self.rng.random(self.made.shape) < self.luck
        self.made = np.where(wanted, year, self.made)
        self.takes = np.where(wanted, takes, self.takes)

    def _gap_holds(self, year: int) -> Flags:
        """Whether the largest gap holds with the new roots each tree has."""
        problem = self.problem
        limit = problem.case.target.largest_gap_deg + CLOSE
        count = len(problem.faults)
        if len(self.luck) == 0:
            return np.full(self.draws, problem.largest_gap(count, False) <= limit)
        counts = self.takes & (year - self.made >= problem.rules.graft_years)
        # Few patterns of luck, many trees: the gap is worked out once a pattern.
        code = counts @ (1 << np.arange(counts.shape[1]))
        kinds, where = np.unique(code, return_inverse=True)
        return np.array([self._pattern_holds(int(kind), limit) for kind in kinds])[where]

    def _pattern_holds(self, code: int, limit: float) -> bool:
        known = self._patterns.get(code)
        if known is None:
            roots = self.problem.new_roots()
            new = [root for place, root in enumerate(roots) if code >> place & 1]
            gap = self.problem.largest_gap_with(len(self.problem.faults), new)
            known = self._patterns[code] = gap <= limit
        return known

    @cached_property
    def _patterns(self) -> dict[int, bool]:
        return {}
