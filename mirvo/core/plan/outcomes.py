"""How sure a way is: draws over growth and the luck of grafts, with an artist who answers both.

At a window the tree goes into its last pot if the flare is there and the pot's depth and sides can
be met within the limit; if not, back into what the plan has it stand in. Where the plan has the
flare at that window and still goes on, it does so for the tree's sake, and so does the artist. A
graft that did not take is found in the year in which it should count and set again at the next
session.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from mirvo.core.plan.growth import YEARLY_RELATIVE_SD
from mirvo.core.plan.problem import PlanningProblem
from mirvo.core.plan.search import Route
from mirvo.core.plan.sides import CLOSE
from mirvo.core.plan.tree_state import Cut, TreeState

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
        self.waiting = problem.places[0]
        self.last_place = next(place for place in problem.places[1:] if place.last)
        self.moved = np.full(draws, self.waiting.last)
        self.ball = np.full(draws, float(state.ball_depth_mm))
        self.off = np.zeros(draws, np.int64)
        first = state.last_session_year
        self.last = np.full(draws, problem.today - 60 if first is None else first)
        self.rest = np.full(draws, problem.rest_today)
        # What the plan has left of the faults so far.
        self.progress = problem.untouched
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
            ratio = self.spread / self.trunk
            good = self.moved & (ratio >= problem.case.target.spread_ratio - CLOSE)
            good &= self._gap_holds(year) & (not any(self.progress))
            # Who has arrived stays so: a later bad year is another year's matter.
            arrived |= good
            a, b = np.quantile(ratio, BAND)
            low.append(float(a))
            high.append(float(b))
            chance.append(float(arrived.mean()))
        return Outcomes(first, low, high, chance)

    def _live(self, year: int, planned: TreeState | None) -> None:
        """One year of every tree: session first, growth after."""
        problem = self.problem
        rested = year - self.last >= self._least_years - CLOSE
        if planned is None or planned.cut is None:
            edge = problem.edge(min(year, problem.case.last_year))
            share = np.full(self.draws, edge)
            works, moves = self._at_a_window(year, rested, share, planned)
        else:
            works, moves, share = self._as_planned(planned, planned.cut, rested)
            if not planned.place.last:
                self.waiting = planned.place
            self.progress = planned.progress
        share = np.where(works, share, 0.0)
        late = ~works & (year - self._counted_from > self._most_years + CLOSE)
        self.moved = np.where(works, moves, self.moved)
        self._graft(year, works)
        self.last = np.where(works, year, self.last)
        bearing = problem.bearing(min(year, problem.case.last_year))
        rest = self._rest_after(100.0 * (share / bearing) ** 2)
        self.rest = np.where(works, rest, self.rest)
        self._grow(share, late, works)

    def _as_planned(
        self, planned: TreeState, cut: Cut, rested: Flags
    ) -> tuple[Flags, Flags, Array]:
        """The session of the plan: who has it, who goes into the last pot, and what it takes."""
        problem, year = self.problem, planned.year
        # Who went into its last pot sooner than planned may have to rest still.
        works = rested | ~self.moved
        share, moves = self._into_last_pot(year, cut.faults.share)
        comb = problem.edge(year)
        stays = 1.0 - (1.0 - comb) * (1.0 - cut.faults.share)
        moves &= self._flare_there(share) & self._may_be_sooner(planned, cut.share)
        share = np.where(moves, share, np.where(self.moved, stays, cut.share))
        went = works & ~self.moved
        self.ball = np.where(went, cut.ball_mm, self.ball)
        self.off = np.where(went, cut.off_mm, self.off)
        self._fit(works & moves)
        return works, moves, share

    def _at_a_window(
        self, year: int, rested: Flags, share: Array, planned: TreeState | None
    ) -> tuple[Flags, Flags]:
        """A year without a session in the plan: who is worked all the same, and who goes into its
        last pot then; `share` becomes what that takes. planned : None beyond the plan's end."""
        problem, none = self.problem, np.zeros(self.draws, bool)
        if any(self.progress) or year in problem.left_alone:
            return none, none
        took, fits = self._into_last_pot(year, 0.0)
        moves = rested & fits & ~self.moved & self._flare_there(took)
        moves &= planned is None or self._may_be_sooner(planned, problem.edge(year))
        works = moves.copy()
        if planned is None or year > self._potted_in:
            works |= rested & (year - self.last >= problem.most_years(0) - CLOSE)
            works |= rested & self._failed(year).any(axis=1)
        share[moves] = took[moves]
        self._fit(moves)
        return works, moves | (works & self.moved)

    def _may_be_sooner(self, planned: TreeState, share: float) -> bool:
        """Whether the plan only waits for the flare, if it waits at all."""
        before = planned.before
        if planned.place.last or before is None:
            return True
        more = self.last_place.growth * self.problem.vigour(share)
        aim = self.problem.case.target.spread_ratio
        return self.problem.ratio(before.grown + more) < aim - CLOSE

    def _into_last_pot(self, year: int, faults: float) -> tuple[Array, Flags]:
        """What a session takes that brings each tree into its last pot, and whether it may."""
        problem, year = self.problem, min(year, self.problem.case.last_year)
        sides, need = problem.sides, problem.case.need_mm
        cut = np.maximum(0.0, self.ball - need) / self.ball
        whole = np.maximum(0, sides.need - self.off)
        edge = np.maximum(problem.edge(year), sides.share(self.off, whole))
        inside = np.minimum(1.0, faults + problem.below * cut)
        share = 1.0 - (1.0 - edge) * (1.0 - inside)
        grafting = bool((self.made == NEVER).any())
        fits = (share <= problem.limit_of(year, grafting) + CLOSE) & (
            cut <= problem.slice_limit + CLOSE
        )
        return share, fits & (whole <= sides.most_at_once[self.off])

    def _fit(self, them: Flags) -> None:
        """Balls as the last pot takes them."""
        self.ball = np.where(them, np.minimum(self.ball, self.problem.case.need_mm), self.ball)
        self.off = np.where(them, np.maximum(self.off, self.problem.sides.need), self.off)

    @property
    def _least_years(self) -> Array:
        by_rest = np.array([self.problem.least_years(rest) for rest in self._rests])
        return np.asarray(by_rest[self.rest])

    @property
    def _most_years(self) -> Array:
        by_rest = np.array([self.problem.most_years(rest) for rest in self._rests])
        return np.asarray(by_rest[self.rest])

    @property
    def _rests(self) -> range:
        """Years of rest that a session may ask for beyond the interval."""
        return range(len(self.problem.rules.rest_strains) + 1)

    def _rest_after(self, strain: Array) -> Numbers:
        over = [strain > most + CLOSE for most in self.problem.rules.rest_strains]
        return np.asarray(np.sum(over, axis=0))

    @property
    def _counted_from(self) -> Numbers:
        """The year from which each tree's longest interval runs."""
        if self.problem.case.state.last_session_year is None:
            return np.where(self.last < self.problem.today, self.problem.today, self.last)
        return self.last

    @cached_property
    def _potted_in(self) -> int:
        """The year in which the plan moves the tree into its last pot."""
        years = (state.year for state in self.route.states if state.place.last)
        return next(years, NEVER)

    def _flare_there(self, share: Array | float) -> Flags:
        """Whether the flare will be there at the end of a year begun in the last pot."""
        if self.problem.growth_needed == 0.0 and self.problem.ratio_rises:
            return np.ones(self.draws, bool)
        more = self.last_place.growth * (1.0 - self.problem.rules.session_growth_loss * share)
        spread, trunk = self.spread + self.spread_rate * more, self.trunk + self.trunk_rate * more
        return np.asarray(spread >= (self.problem.case.target.spread_ratio - CLOSE) * trunk)

    def _grow(self, share: Array, late: Flags, works: Flags) -> None:
        vigour = 1.0 - self.problem.rules.session_growth_loss * share
        vigour = np.where(late, vigour * self.problem.rules.overdue_growth, vigour)
        moved = np.where(self.moved, self.last_place.growth, self.waiting.growth) * vigour
        for name in ("spread", "trunk"):
            rate, sd = getattr(self, f"{name}_rate"), getattr(self, f"{name}_sd")
            strayed = rate + self.rng.normal(0.0, 1.0, self.draws) * sd
            # A bad year stops growth, it does not undo it.
            setattr(self, name, getattr(self, name) + np.maximum(0.0, strayed) * moved)
        place = self.waiting
        self.ball = np.where(self.moved, self.ball, place.ball_after(self.ball))
        off = np.where(works, place.off_after(self.off, True), place.off_after(self.off, False))
        self.off = np.where(self.moved, self.off, off)

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
        if len(self.luck) == 0:
            return np.full(self.draws, problem.largest_gap(problem.all_gone, False) <= limit)
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
            gap = self.problem.largest_gap_with(self.problem.all_gone, new)
            known = self._patterns[code] = gap <= limit
        return known

    @cached_property
    def _patterns(self) -> dict[int, bool]:
        return {}
