"""One sweep over the years: every way a tree may stand at the end of each, the dominated dropped.

Ways that agree in faults, ball, container, last session and the like are compared on growth and
toll; one that is worse in both can never do better later, so it is dropped (label setting with
dominance, Irnich & Desaulniers, Shortest Path Problems with Resource Constraints, 2005). A year's
ways stand in arrays, one entry a way.
"""

from __future__ import annotations

from collections.abc import Iterator
from math import inf
from typing import Any

import numpy as np

from mirvo.core.plan.bounds import Bounds, CutWork
from mirvo.core.plan.case import FINAL
from mirvo.core.plan.layers import (
    DIGITS,
    NO_CUT,
    NO_SESSION,
    Array,
    Choices,
    Flags,
    Layer,
    Numbers,
    Unsettled,
    joined,
)
from mirvo.core.plan.problem import BOARD, CLOSE, NOT_CUT, Ages, PlanningProblem
from mirvo.core.plan.session_options import (
    NOTHING_CUT,
    FaultCut,
    Progress,
    SessionOptions,
    Sessions,
)

# Beyond this a case is answered with the best that was found; it takes some seconds to get there.
MAX_WAYS = 200_000
# Tolls are sums of rounded terms.
SLACK = 1e-6


class Sweep:
    """One sweep over the years of a problem.

    work : the bounds' tables, shared by all sweeps of a problem. aims : by year, the toll a way
    that arrives then must not pass; minus infinity for a year nobody asks about. width : most ways
    kept a year, the most promising; None keeps all. by_toll : without it only whether the target
    can be met is asked, and any toll will do. cell_mm : the easier problem of `SessionOptions`, in
    which a shallower ball is always as good.
    """

    def __init__(
        self,
        problem: PlanningProblem,
        work: CutWork,
        aims: Array | None = None,
        width: int | None = None,
        by_toll: bool = True,
        cell_mm: float | None = None,
    ) -> None:
        self.problem, self.cell_mm = problem, cell_mm
        self.options = SessionOptions(problem, cell_mm)
        self.years = np.arange(problem.today + 1, problem.case.last_year + 1)
        aims = np.full(len(self.years), inf) if aims is None else aims
        asked = ~np.isneginf(aims)
        self.arrivals, self.aims = self.years[asked], aims[asked]
        self.bounds = Bounds(problem, work, self.arrivals, float(self.aims.max(initial=-inf)))
        self.width, self.by_toll = width, by_toll
        self.names = problem.offered
        self.final = self.names.index(FINAL)
        self.stands: list[Progress] = [NOTHING_CUT]
        first = (NOT_CUT,) * len(problem.returning)
        self.ages: list[Ages] = [first]
        self.taken: list[FaultCut] = []
        self._numbers: dict[object, int] = {NOTHING_CUT: 0, ("ages", first): 0}
        self.layers = [self._start()]

    def run(self, stop_at_first: bool = False) -> Iterator[tuple[int, Numbers]]:
        """Year by year the ways that have arrived at its end, as places in the newest layer.

        Raises
        ------
        Unsettled : there are too many ways to try them all.
        """
        for year in range(self.years[0], int(self.arrivals.max(initial=0)) + 1):
            layer = self._next(self.layers[-1], year)
            if len(layer) == 0:
                return
            self.layers.append(layer)
            there = np.flatnonzero(self._arrived(layer))
            if len(there) and year in self.arrivals:
                yield year, there
                if stop_at_first:
                    return

    # One year ----------------------------------------------------------------------

    def _start(self) -> Layer:
        state = self.problem.case.state
        last = NO_SESSION if state.last_session_year is None else state.last_session_year
        zero = np.zeros(1, np.int64)
        ball = np.array([state.ball_depth_mm])
        return Layer(
            self.problem.today,
            stand=zero,
            ages=zero,
            ball=self._floored(ball),
            woody=np.minimum(ball, state.woody_depth_mm),
            container=zero + self.names.index(state.container),
            last=zero + last,
            worked=np.zeros(1, bool),
            matted=np.array([state.matted]),
            grown=np.zeros(1),
            toll=np.zeros(1),
            faults=zero + NO_CUT,
            left_mm=ball,
            share=np.zeros(1),
            parent=zero,
        )

    def _next(self, layer: Layer, year: int) -> Layer:
        """Every way to spend the year after a layer: session first, growth after."""
        works, idles, late = self._open_to(layer, year)
        parts = [
            *self._with_session(layer, np.flatnonzero(works), year),
            self._idle(layer, np.flatnonzero(idles), year, late[idles]),
        ]
        made = self._worth_it(self._undominated(Layer.joined(year, parts)))
        if self.width is not None:
            return self._most_promising(made)
        if len(made) > MAX_WAYS:
            raise Unsettled
        return made

    def _open_to(self, layer: Layer, year: int) -> tuple[Flags, Flags, Flags]:
        """Which ways may have a session in a year, which may go without, which are overdue."""
        problem = self.problem
        works, idles, late = (np.zeros(len(layer), bool) for _ in range(3))
        for last in np.unique(layer.last):
            before = None if last == NO_SESSION else int(last)
            may = problem.may_work(year, before)
            for worked in (False, True):
                them = (layer.last == last) & (layer.worked == worked)
                must = may and problem.must_work(year, before, worked)
                works[them] = may
                # A year fixed for a session cannot pass without one, even if none can be made.
                idles[them] = not (must or year in problem.fixed)
                late[them] = problem.overdue(year, before)
        if problem.must_be_potted(year):
            idles &= layer.container == self.final
        return works, idles, late

    def _idle(self, layer: Layer, rows: Numbers, year: int, late: Flags) -> Layer:
        """The year without a session."""
        problem, after = self.problem, layer.only(rows)
        after.year, after.parent = year, rows
        after.faults = np.full(len(rows), NO_CUT)
        after.left_mm, after.share = after.ball.copy(), np.zeros(len(rows))
        after.ages = self._aged(after.ages)
        factor = np.array([problem.growth_of(name) for name in self.names])
        vigour = np.where(late, problem.vigour(0.0, True), problem.vigour(0.0))
        after.grown = after.grown + factor[after.container] * vigour
        for number, name in enumerate(self.names):
            for worked in (False, True):
                them = (after.container == number) & (after.worked == worked)
                ball = problem.ball_after(after.ball[them], name, worked)
                after.ball[them] = self._floored(ball)
        return after

    def _aged(self, ages: Numbers) -> Numbers:
        if not self.problem.returning:
            return ages
        later = [self._ages_number(self.problem.years_on(known)) for known in list(self.ages)]
        return np.array(later)[ages]

    def _floored(self, ball: Array) -> Array:
        """Depths of balls, or the floors of their cells above need."""
        if self.cell_mm is None:
            return ball
        need = self.problem.case.need_mm
        cells = np.maximum(0.0, np.floor((ball - need) / self.cell_mm + CLOSE))
        return np.round(need + cells * self.cell_mm, 6)

    # Sessions ------------------------------------------------------------------------

    def _with_session(self, layer: Layer, rows: Numbers, year: int) -> list[Layer]:
        """The year with each session that may be made in it, into each container at hand."""
        parts = []
        alike = (
            (layer.stand[rows] * len(self.ages) + layer.ages[rows]) * 4
            + layer.matted[rows] * 2
            + layer.worked[rows]
        )
        for kind in np.unique(alike):
            them = rows[alike == kind]
            balls, ball_of = np.unique(layer.ball[them], return_inverse=True)
            choices = self._choices(layer, int(them[0]), balls, year)
            count = choices.count[ball_of]
            row = np.repeat(np.arange(len(them)), count)
            if len(row) == 0:
                continue
            begun = np.repeat(np.cumsum(count) - count, count)
            choice = choices.start[ball_of][row] + np.arange(len(row)) - begun
            parts += self._potted(layer, them[row], choices, choice, year)
        return parts

    def _choices(self, layer: Layer, way: int, balls: Array, year: int) -> Choices:
        """The sessions open to one way, for each of some balls."""
        problem = self.problem
        stand = self.stands[int(layer.stand[way])]
        ages = problem.years_on(self.ages[int(layer.ages[way])])
        again = problem.share_back(ages) if ages else 0.0
        matted, first = bool(layer.matted[way]), not layer.worked[way]
        found = self.options.sessions(stand, balls, matted, first, year, again)
        ball = joined([part.ball for part in found], np.int64)
        order = np.argsort(ball, kind="stable")
        count = np.bincount(ball, minlength=len(balls))

        def each(number: list[int]) -> Numbers:
            sizes = [len(part.ball) for part in found]
            return np.repeat(np.array(number, np.int64), sizes)[order]

        return Choices(
            start=np.cumsum(count) - count,
            count=count,
            stand=each([self._stand_number(part.faults.progress) for part in found]),
            ages=each([self._ages_after(ages, part) for part in found]),
            faults=each([self._taken_number(part.faults) for part in found]),
            left_mm=joined([part.left_mm for part in found], float)[order],
            share=joined([part.share for part in found], float)[order],
        )

    def _potted(
        self, layer: Layer, row: Numbers, choices: Choices, choice: Numbers, year: int
    ) -> list[Layer]:
        """Ways after their session, in each container that takes them."""
        problem = self.problem
        left, share = choices.left_mm[choice], choices.share[choice]
        strain = 100.0 * (share / problem.bearing(year)) ** 2
        toll = np.round(layer.toll[row] + problem.rules.session_toll + strain, DIGITS)
        vigour = 1.0 - problem.rules.session_growth_loss * share
        woody = np.minimum(layer.woody[row], left)
        matted = layer.matted[row] & (left >= layer.ball[row] - CLOSE)
        parts = []
        for place, name in enumerate(self.names):
            if problem.must_be_potted(year) and name != FINAL:
                continue
            fits = left <= problem.deepest_ball(name) + CLOSE
            if name == BOARD:
                fits &= self._board_lies_flat(layer.grown[row], woody)
            if not fits.any():
                continue
            here = choice[fits]
            parts.append(
                Layer(
                    year,
                    stand=choices.stand[here],
                    ages=choices.ages[here],
                    ball=self._floored(problem.ball_after(left[fits], name, True)),
                    woody=woody[fits],
                    container=np.full(len(here), place),
                    last=np.full(len(here), year),
                    worked=np.ones(len(here), bool),
                    matted=matted[fits],
                    grown=(layer.grown[row] + problem.growth_of(name) * vigour)[fits],
                    toll=toll[fits],
                    faults=choices.faults[here],
                    left_mm=left[fits],
                    share=share[fits],
                    parent=row[fits],
                )
            )
        return parts

    def _board_lies_flat(self, grown: Array, woody: Array) -> Flags:
        """Whether the underside is flat enough for a board, and the tree young enough."""
        if self.problem.case.age == "old":
            return np.zeros(len(grown), bool)
        return np.asarray(woody <= self._trunk(grown) + CLOSE)

    def _trunk(self, grown: Array) -> Array:
        state = self.problem.case.state
        return state.trunk_diameter_mm + state.growth.trunk_mm_per_year * grown

    # Numbers of what ways have in common ---------------------------------------------

    def _stand_number(self, stand: Progress) -> int:
        return self._number(stand, self.stands, stand)

    def _ages_number(self, ages: Ages) -> int:
        return self._number(("ages", ages), self.ages, ages)

    def _ages_after(self, ages: Ages, part: Sessions) -> int:
        return self._ages_number(self.problem.cut_now(ages, part.faults.progress[0]))

    def _taken_number(self, taken: FaultCut) -> int:
        key = ("taken", taken.progress, taken.share, tuple(taken.parts.items()))
        return self._number(key, self.taken, taken)

    def _number(self, key: object, known: list[Any], new: Any) -> int:
        found = self._numbers.get(key)
        if found is None:
            found = self._numbers[key] = len(known)
            known.append(new)
        return found

    # Which ways go on ------------------------------------------------------------------

    def _arrived(self, layer: Layer) -> Flags:
        """Which ways meet the target at the end of the year."""
        problem, all_gone = self.problem, len(self.problem.faults)
        if not problem.gap_holds(all_gone, layer.year):
            return np.zeros(len(layer), bool)
        done = np.array([stand[0] == all_gone for stand in self.stands])
        still = np.array([not problem.back(ages) for ages in self.ages])
        state = problem.case.state
        spread = state.spread_mm + state.growth.spread_mm_per_year * layer.grown
        wide = spread >= (problem.case.target.spread_ratio - CLOSE) * self._trunk(layer.grown)
        potted = (layer.container == self.final) & (layer.ball <= problem.case.need_mm + CLOSE)
        return np.asarray(potted & done[layer.stand] & still[layer.ages] & wide)

    def _worth_it(self, layer: Layer) -> Layer:
        """Ways that may still arrive in some year at no more than its aim."""
        least = self._least_tolls(layer)
        toll = layer.toll[:, None] + least if self.by_toll else least
        hoped = (toll <= self.aims[None] + SLACK) & np.isfinite(toll)
        return layer.only(np.flatnonzero(hoped.any(axis=1)))

    def _least_tolls(self, layer: Layer) -> Array:
        """Lower bound of the toll to come for each way and year of arrival; infinite if none."""
        potted = layer.container == self.final
        found = np.full((len(layer), len(self.arrivals)), inf)
        left = self.bounds.work.rows(self.stands)[layer.stand]
        deep = self.bounds.work.cells(layer.ball)
        for last in np.unique(layer.last):
            before = None if last == NO_SESSION else int(last)
            for final in (False, True):
                them = np.flatnonzero((layer.last == last) & (potted == final))
                found[them] = self.bounds.least_tolls(
                    left[them], deep[them], before, final, layer.year
                )
        grows = self.bounds.may_grow(
            layer.grown, potted, layer.woody, layer.ball, layer.last, layer.year
        )
        found[~grows] = inf
        return found

    def _undominated(self, layer: Layer) -> Layer:
        """The ways no other one beats that stands alike otherwise."""
        problem, growth = self.problem, layer.grown
        board = BOARD in self.names and problem.case.age != "old"
        if problem.ratio_rises and not board:
            # Growth beyond need brings nothing more.
            growth = np.minimum(growth, problem.growth_needed)
        key = layer.stand * len(self.ages) + layer.ages
        key = key * len(self.names) + layer.container
        key = key * (2 * len(self.years) + 80) + np.maximum(layer.last - self.problem.today, -70)
        key = (key * 2 + layer.worked) * 2 + layer.matted
        # A flat underside stays flat while the trunk grows; how flat it is no longer matters.
        woody = np.where(layer.woody <= self._trunk(layer.grown) + CLOSE, 0.0, layer.woody)
        columns = [woody] if board else []
        # In the easier problem a shallower ball can do all that a deeper one can.
        worse = layer.toll if self.by_toll else np.zeros(len(layer))
        if self.cell_mm is None:
            columns.append(layer.ball)
        else:
            worse = layer.ball
        if not problem.ratio_rises:
            # More growth is not better then, so ways with different growth are not comparable.
            columns.append(np.round(layer.grown, 9))
        for column in columns:
            values, places = np.unique(column, return_inverse=True)
            key = key * len(values) + places
        order = np.lexsort((-layer.grown, -growth, worse, key))
        key, growth = key[order], growth[order]
        # Within one key tolls (or depths) rise, so a way is kept only where its growth beats all
        # before it.
        fresh = np.r_[True, key[1:] != key[:-1]] if len(key) else np.zeros(0, bool)
        apart = float(np.ptp(growth)) + 1.0 if len(growth) else 1.0
        lifted = growth + np.cumsum(fresh) * apart
        best = np.maximum.accumulate(lifted)
        keep = fresh | (lifted > np.r_[-inf, best[:-1]] + CLOSE)
        return layer.only(np.sort(order[keep]))

    def _most_promising(self, layer: Layer) -> Layer:
        """As many ways as the width lets: of least toll, of the soonest, and between them."""
        if self.width is None or len(layer) <= self.width:
            return layer
        hope = layer.toll[:, None] + self._least_tolls(layer)
        ahead = self.problem.rules.year_toll * (self.arrivals - self.arrivals[0])
        chosen = [
            np.argsort((hope + weight * ahead).min(axis=1), kind="stable")[: self.width // 3]
            for weight in (0.0, 1.0, 6.0)
        ]
        return layer.only(np.unique(np.concatenate(chosen)))
