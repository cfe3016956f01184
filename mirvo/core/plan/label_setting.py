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

from mirvo.core.plan.bounds import Bounds
from mirvo.core.plan.cut_work import CutWork
from mirvo.core.plan.layers import (
    DIGITS,
    NO_CUT,
    NO_SESSION,
    Array,
    Flags,
    Layer,
    Numbers,
    Unsettled,
)
from mirvo.core.plan.places import BOARD
from mirvo.core.plan.problem import NOT_CUT, Ages, PlanningProblem, Progress
from mirvo.core.plan.session_options import FaultCut, Sessions, takes
from mirvo.core.plan.sides import CLOSE

# Sessions tried for one problem, some two to three seconds of work; beyond it a case is answered
# with the best that was found.
MOST_TRIED = 900_000
# Ways worked on at once: some ten megabytes.
WAYS_AT_ONCE = 60_000
# Tolls are sums of rounded terms.
SLACK = 1e-6


class Sweep:
    """One sweep over the years of a problem.

    work : the bounds' tables, shared by all sweeps of a problem. aims : by year, the toll a way
    that arrives then must not pass; minus infinity for a year nobody asks about. width : most ways
    kept a year, the most promising; None keeps all. by_toll : without it only whether the target
    can be met is asked, and any toll will do.
    """

    def __init__(
        self,
        problem: PlanningProblem,
        work: CutWork,
        aims: Array | None = None,
        width: int | None = None,
        by_toll: bool = True,
    ) -> None:
        self.problem, self.work, self.options = problem, work, work.options
        self.years = np.arange(problem.today + 1, problem.case.last_year + 1)
        aims = np.full(len(self.years), inf) if aims is None else aims
        asked = ~np.isneginf(aims)
        self.arrivals, self.aims = self.years[asked], aims[asked]
        self.bounds = Bounds(problem, work, self.arrivals)
        self.width, self.by_toll = width, by_toll
        self.growth = np.array([place.growth for place in problem.places])
        self.useful = problem.useful_places
        self.boards = any(p.kind == BOARD for p in problem.places[1:]) and (
            problem.case.age != "old"
        )
        self.stands: list[Progress] = [problem.untouched]
        first = (NOT_CUT,) * len(problem.returning)
        self.ages: list[Ages] = [first]
        self.taken: list[FaultCut] = []
        self._numbers: dict[object, int] = {("stand", problem.untouched): 0, ("ages", first): 0}
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
            ball=ball,
            off=zero,
            woody=np.minimum(ball, state.woody_depth_mm),
            place=zero,
            last=zero + last,
            rest=zero + self.problem.rest_today,
            worked=np.zeros(1, bool),
            matted=np.array([state.matted]),
            grown=np.zeros(1),
            toll=np.zeros(1),
            faults=zero + NO_CUT,
            left_mm=ball,
            left_off=zero,
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
        return made if self.width is None else self._most_promising(made)

    def _open_to(self, layer: Layer, year: int) -> tuple[Flags, Flags, Flags]:
        """Which ways may have a session in a year, which may go without, which are overdue."""
        problem = self.problem
        works, idles, late = (np.zeros(len(layer), bool) for _ in range(3))
        kinds = np.unique(np.column_stack([layer.last, layer.rest, layer.worked]), axis=0)
        for last, rest, worked in kinds.tolist():
            before = None if last == NO_SESSION else last
            may = problem.may_work(year, before, rest)
            must = may and problem.must_work(year, before, rest, bool(worked))
            them = (layer.last == last) & (layer.rest == rest) & (layer.worked == bool(worked))
            works[them] = may
            # A year fixed for a session cannot pass without one, even if none can be made.
            idles[them] = not (must or year in problem.fixed)
            late[them] = problem.overdue(year, before, rest)
        if problem.must_be_potted(year):
            idles &= self.bounds.last_places[layer.place]
        return works, idles, late

    def _idle(self, layer: Layer, rows: Numbers, year: int, late: Flags) -> Layer:
        """The year without a session."""
        problem, after = self.problem, layer.only(rows)
        after.year, after.parent = year, rows
        after.faults = np.full(len(rows), NO_CUT)
        after.left_mm, after.left_off = after.ball.copy(), after.off.copy()
        after.share = np.zeros(len(rows))
        after.ages = self._aged(after.ages)
        vigour = np.where(late, problem.vigour(0.0, True), problem.vigour(0.0))
        after.grown = after.grown + self.growth[after.place] * vigour
        for number, place in enumerate(problem.places):
            them = after.place == number
            after.ball[them] = place.ball_after(after.ball[them])
            after.off[them] = place.off_after(after.off[them], False)
        return after

    def _aged(self, ages: Numbers) -> Numbers:
        if not self.problem.returning:
            return ages
        later = [self._ages_number(self.problem.years_on(known)) for known in list(self.ages)]
        return np.array(later)[ages]

    # Sessions ------------------------------------------------------------------------

    def _with_session(self, layer: Layer, rows: Numbers, year: int) -> list[Layer]:
        """The year with each session that may be made in it, into each place at hand."""
        parts = []
        alike = (
            (layer.stand[rows] * len(self.ages) + layer.ages[rows]) * 4
            + layer.matted[rows] * 2
            + layer.worked[rows]
        )
        for kind in np.unique(alike):
            them = rows[alike == kind]
            balls = np.column_stack([layer.ball[them], layer.off[them]])
            balls, ball_of = np.unique(balls, axis=0, return_inverse=True)
            parts += self._worked(layer, them, balls, ball_of.reshape(-1), year)
        return parts

    def _worked(
        self, layer: Layer, rows: Numbers, balls: Array, ball_of: Numbers, year: int
    ) -> list[Layer]:
        """Ways that stand alike but for their ball, with each session open to them.

        balls : depths and sides (n, 2); ball_of : which of them each row has.
        """
        problem, way = self.problem, int(rows[0])
        stand = self.stands[int(layer.stand[way])]
        ages = problem.years_on(self.ages[int(layer.ages[way])])
        again = problem.share_back(ages) if ages else 0.0
        grafting = bool(problem.open_gaps) and not layer.worked[way]
        found = self.options.sessions(
            stand, balls[:, 0], balls[:, 1].astype(np.int64), bool(layer.matted[way]),
            grafting, year, again,
        )  # fmt: skip
        if found is None or len(found.ball) == 0:
            return []
        order = np.argsort(found.ball, kind="stable")
        counts = np.bincount(found.ball, minlength=len(balls))
        starts, count = np.cumsum(counts) - counts, counts[ball_of]
        if self.width is None:
            self.work.tried += int(count.sum())
            if self.work.tried > MOST_TRIED:
                raise Unsettled
        then = problem.cut_now(ages, found.faults.progress)
        parts = []
        # Many rows at once, but no more than fit a small memory.
        blocks = np.cumsum(count) // WAYS_AT_ONCE
        for block in np.unique(blocks):
            them = np.flatnonzero(blocks == block)
            row = np.repeat(them, count[them])
            begun = np.repeat(np.cumsum(count[them]) - count[them], count[them])
            choice = order[starts[ball_of[row]] + np.arange(len(row)) - begun]
            after = self._with(layer, rows[row], found, choice, year, then)
            # What cannot arrive wherever it is put need not be tried in every pot.
            parts += self._potted(self._worth_it(after, anywhere=True))
        return parts

    def _with(
        self, layer: Layer, row: Numbers, found: Sessions, choice: Numbers, year: int, then: Ages
    ) -> Layer:
        """Ways with a session each, before they are put anywhere. then : ages after it."""
        problem, after = self.problem, layer.only(row)
        share, left = found.share[choice], found.left_mm[choice]
        strain = 100.0 * (share / problem.bearing(year)) ** 2
        after.year, after.parent = year, row
        after.stand = np.full(len(row), self._stand_number(found.faults.progress))
        after.ages = np.full(len(row), self._ages_number(then))
        after.faults = np.full(len(row), self._taken_number(found.faults))
        after.left_mm, after.left_off, after.share = left, found.off[choice], share
        after.matted = after.matted & (left >= after.ball - CLOSE)
        after.woody = np.minimum(after.woody, left)
        after.toll = np.round(after.toll + problem.rules.session_toll + strain, DIGITS)
        after.last, after.worked = np.full(len(row), year), np.ones(len(row), bool)
        over = [strain > most + CLOSE for most in problem.rules.rest_strains]
        after.rest = np.sum(over, axis=0, dtype=np.int64)
        return after

    def _potted(self, after: Layer) -> list[Layer]:
        """Ways after their session, in each place that takes them."""
        problem, parts = self.problem, []
        flat = self._board_lies_flat(after)
        vigour = 1.0 - problem.rules.session_growth_loss * after.share
        for number, place in enumerate(problem.places):
            if number not in self.useful or (problem.must_be_potted(after.year) and not place.last):
                continue
            fits = takes(place, after.left_mm, after.left_off)
            if place.kind == BOARD:
                fits &= flat
            if not fits.any():
                continue
            part = after.only(fits)
            part.place = np.full(len(part), number)
            part.ball = place.ball_after(part.left_mm)
            part.off = place.off_after(part.left_off, True)
            part.grown = part.grown + place.growth * vigour[fits]
            parts.append(self._undominated(part))
        return parts

    def _board_lies_flat(self, layer: Layer) -> Flags:
        """Whether the underside is flat enough for a board, and the tree young enough."""
        if self.problem.case.age == "old":
            return np.zeros(len(layer), bool)
        return np.asarray(layer.woody <= self._trunk(layer.grown) + CLOSE)

    def _trunk(self, grown: Array) -> Array:
        state = self.problem.case.state
        return state.trunk_diameter_mm + state.growth.trunk_mm_per_year * grown

    # Numbers of what ways have in common ---------------------------------------------

    def _stand_number(self, stand: Progress) -> int:
        return self._number(("stand", stand), self.stands, stand)

    def _ages_number(self, ages: Ages) -> int:
        return self._number(("ages", ages), self.ages, ages)

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
        problem = self.problem
        if not problem.gap_holds(layer.year):
            return np.zeros(len(layer), bool)
        done = np.array([not any(stand) for stand in self.stands])
        still = np.array([not problem.back(ages) for ages in self.ages])
        state = problem.case.state
        spread = state.spread_mm + state.growth.spread_mm_per_year * layer.grown
        wide = spread >= (problem.case.target.spread_ratio - CLOSE) * self._trunk(layer.grown)
        potted = self.bounds.last_places[layer.place]
        return np.asarray(potted & done[layer.stand] & still[layer.ages] & wide)

    def _worth_it(self, layer: Layer, anywhere: bool = False) -> Layer:
        """Ways that may still arrive in some year at no more than its aim. anywhere : their year's
        growth and place are still to come."""
        least = self.bounds.least_tolls(layer, self.stands, anywhere)
        toll = layer.toll[:, None] + least if self.by_toll else least
        hoped = (toll <= self.aims[None] + SLACK) & np.isfinite(toll)
        return layer.only(np.flatnonzero(hoped.any(axis=1)))

    def _undominated(self, layer: Layer) -> Layer:
        """The ways no other one beats that stands alike otherwise."""
        problem, growth = self.problem, layer.grown
        if problem.ratio_rises and not self.boards:
            # Growth beyond need brings nothing more.
            growth = np.minimum(growth, problem.growth_needed)
        key = np.zeros(len(layer), np.int64)
        for name in ("stand", "ages", "place", "last", "rest", "off", "worked", "matted"):
            # Small whole numbers, which need no sorting to be told apart.
            number = getattr(layer, name).astype(np.int64)
            least = number.min(initial=0)
            key = key * (number.max(initial=0) - least + 1) + number - least
        columns = [layer.ball]
        if self.boards:
            # A flat underside stays flat while the trunk grows; how flat no longer matters.
            flat = layer.woody <= self._trunk(layer.grown) + CLOSE
            columns.append(np.where(flat, 0.0, layer.woody))
        if not problem.ratio_rises:
            # More growth is not better then, so ways with different growth are not comparable.
            columns.append(np.round(layer.grown, 9))
        for column in columns:
            values, places = np.unique(column, return_inverse=True)
            key = key * len(values) + places
        worse = layer.toll if self.by_toll else np.zeros(len(layer))
        order = np.lexsort((-layer.grown, -growth, worse, key))
        key, growth = key[order], growth[order]
        # Within one key tolls rise, so a way is kept only where its growth beats all before it.
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
        hope = layer.toll[:, None] + self.bounds.least_tolls(layer, self.stands)
        ahead = self.problem.rules.year_toll * (self.arrivals - self.arrivals[0])
        chosen = [
            np.argsort((hope + weight * ahead).min(axis=1), kind="stable")[: self.width // 3]
            for weight in (0.0, 1.0, 6.0)
        ]
        return layer.only(np.unique(np.concatenate(chosen)))
