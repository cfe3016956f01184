"""Bounds of the search: the least toll a way must still pay to arrive by a year, if it can at all.

The work of cutting alone, without containers, growth and seasons, is worked out exactly from every
place on: what it costs at least to take the faults that are left and bring the ball to need in so
many sessions (a relaxation whose costs never exceed the plan's own: A* search, Hart, Nilsson &
Raphael, IEEE Trans. SSC 4, 1968).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import ceil, floor, inf, log

import numpy as np
import numpy.typing as npt

from mirvo.core.plan.case import FINAL
from mirvo.core.plan.problem import BOARD, CLOSE, PlanningProblem
from mirvo.core.plan.session_options import Progress

Array = npt.NDArray[np.float64]
Flags = npt.NDArray[np.bool_]
Numbers = npt.NDArray[np.int64]
# A root that may have to go in parts is counted in twelfths, which halves, thirds and quarters are.
PIECES = 12
# Finer than this, the ball's depth makes the tables large and the bound hardly better.
MAX_DEPTHS = 160
SHARE_STEP = 0.001
# So many numbers of a table are worked on at once: three megabytes.
CELLS_AT_ONCE = 400_000
# Tables of every single year would bound little better than those of every fourth.
YEARS_AT_ONCE = 4
# What is left of the faults: how many are gone, and pieces left of the next.
Left = tuple[int, int]


@dataclass(frozen=True)
class _Ways:
    """Ways on from each row of a table. starts : first way of each row; then : row that each
    leads to; steps : share it takes of the roots, in steps of `SHARE_STEP`."""

    starts: Numbers
    then: Numbers
    steps: list[int]


class CutWork:
    """Least toll of cutting alone: faults left, ball's depth and sessions are all it looks at.

    A session counts with the year it can be made in at the soonest, since roots only thicken.
    most_depths : of the ball that are told apart; years_at_once : years that share a table, that
    of their first. Fewer depths and more years make a quicker and weaker bound.
    """

    def __init__(
        self,
        problem: PlanningProblem,
        most_depths: int = MAX_DEPTHS,
        years_at_once: int = YEARS_AT_ONCE,
    ) -> None:
        self.problem, self.most_depths = problem, most_depths
        self.years_at_once = years_at_once
        years = range(problem.today + 1, problem.case.last_year + 1)
        # The kindest year's figures bound all years from below.
        self.edge = min(problem.edge(year) for year in years)
        self.bearing = max(problem.bearing(year) for year in years)
        self.room = max(problem.room(year) for year in years)
        strictest = min(problem.room(year) for year in years)
        self.splits = [
            problem.fault_share(place, problem.case.last_year) > strictest - CLOSE
            for place in range(len(problem.faults))
        ]
        self.need = problem.case.need_mm
        self._grid()
        self.lefts = self._every_left()
        self.number = {left: place for place, left in enumerate(self.lefts)}
        # Not cached methods: the tables are large and are to go with this object.
        self._tables: dict[tuple[int, int], Array] = {}
        self._known_costs: dict[int, Array] = {}
        self._known_ways: dict[int, _Ways] = {}

    def rows(self, stands: Sequence[Progress]) -> Numbers:
        """Rows of the tables for what is left of the faults."""
        return np.array([self._row(stand) for stand in stands], np.int64)

    def _row(self, progress: Progress) -> int:
        place, left = progress
        here: Left = (place, PIECES)
        if place < len(self.splits) and left < 1.0:
            pieces = floor(left * PIECES + CLOSE)
            here = (place, pieces) if pieces else (place + 1, PIECES)
        return self.number[here]

    def cells(self, balls: Array) -> Numbers:
        """Columns of the tables for depths of balls, mm."""
        deep = np.floor((balls - self.need) / self.step + CLOSE)
        return np.clip(deep, 0, len(self.depths) - 1).astype(np.int64)

    def least(self, rows: Numbers, cells: Numbers, soonest: int, most: int) -> Array:
        """Least toll (ways, 0 to most sessions), the first in `soonest` or later."""
        soonest = min(soonest, self.problem.case.last_year + 1)
        tables = [self.table(soonest, count)[rows, cells] for count in range(most + 1)]
        return np.stack(tables, axis=1)

    def _grid(self) -> None:
        """Depths from need on; whole millimetres where the case has no others."""
        case, table = self.problem.case, self.problem.rules
        deepest = max(case.state.ball_depth_mm + table.ball_growth_mm, self.need)
        deepest = max([deepest, *(case.container_depths_mm.values()), 200.0])
        if "ground" not in self.problem.offered and not case.container_depths_mm:
            deepest = max(case.state.ball_depth_mm, self.need) + table.ball_growth_mm
        depths = [case.state.ball_depth_mm, self.need, *case.container_depths_mm.values()]
        depths.append(case.state.inner_depth_mm or 0.0)
        self.exact = all(abs(depth - round(depth)) < CLOSE for depth in depths)
        self.step = max(1.0, float(ceil((deepest - self.need) / self.most_depths)))
        self.exact = self.exact and self.step == 1.0
        count = floor((deepest - self.need) / self.step + CLOSE) + 1
        self.depths = self.need + self.step * np.arange(count)

    def _every_left(self) -> list[Left]:
        count = len(self.splits)
        lefts: list[Left] = []
        for place in range(count):
            pieces = range(PIECES, 0, -1) if self.splits[place] else (PIECES,)
            lefts += [(place, left) for left in pieces]
        return [*lefts, (count, PIECES)]

    def table(self, soonest: int, count: int) -> Array:
        """Least tolls (lefts, depths) of so many sessions from a year on."""
        # Roots are thinner sooner, so an earlier year's table bounds a later one's.
        soonest -= (soonest - self.problem.today - 1) % self.years_at_once
        known = self._tables.get((soonest, count))
        if known is None:
            known = self._tables[soonest, count] = self._worked_out(soonest, count)
        return known

    def _worked_out(self, soonest: int, count: int) -> Array:
        shape = (len(self.lefts), len(self.depths))
        if count == 0:
            none = np.full(shape, inf)
            none[-1, 0] = 0.0
            return none
        later = min(soonest + self.problem.step, self.problem.case.last_year + 1)
        after = self.table(later, count - 1)
        ways = self._ways(min(soonest, self.problem.case.last_year))
        best = np.empty((len(ways.then), len(self.depths)))
        # Many ways at once, but no more than fit a small memory.
        chunk = max(1, CELLS_AT_ONCE // len(self.depths) ** 2)
        for first in range(0, len(ways.then), chunk):
            them = slice(first, first + chunk)
            tolls = np.stack([self._costs(step) for step in ways.steps[them]])
            tolls += after[ways.then[them]][:, None]
            tolls.min(axis=2, out=best[them])
        return np.minimum.reduceat(best, ways.starts, axis=0)

    def _ways(self, year: int) -> _Ways:
        """What one session may do from everything that may be left, in a year."""
        known = self._known_ways.get(year)
        if known is None:
            onward = [self._onward(left, year) for left in self.lefts]
            every = [way for ways in onward for way in ways]
            known = self._known_ways[year] = _Ways(
                np.cumsum([0, *(len(ways) for ways in onward)])[:-1],
                np.array([self.number[then] for then, _ in every]),
                [floor(taken / SHARE_STEP + CLOSE) for _, taken in every],
            )
        return known

    def _onward(self, left: Left, year: int) -> list[tuple[Left, float]]:
        """What one session may take of the faults in a year, and what it leaves."""
        problem, (place, pieces) = self.problem, left
        found, taken = [(left, 0.0)], 0.0
        while place < len(self.splits):
            share = problem.fault_share(place, year)
            part = 1 if self.splits[place] else PIECES
            taken += share * part / PIECES
            if taken > self.room + CLOSE:
                break
            pieces -= part
            if pieces == 0:
                place, pieces = place + 1, PIECES
            found.append(((place, pieces), taken))
        return found

    def _costs(self, steps: int) -> Array:
        """What `_slice_costs` gives for a share in steps, rounded down so that few are made."""
        known = self._known_costs.get(steps)
        if known is None:
            known = self._known_costs[steps] = self._slice_costs(steps * SHARE_STEP)
        return known

    def _slice_costs(self, taken: float) -> Array:
        """Toll of one session that takes so much of the roots, from each depth to each other."""
        problem = self.problem
        before = self.depths[:, None]
        # Off the grid a cell stands for all depths in it, so that the bound stays one.
        after = self.depths[None] + (0.0 if self.exact else self.step)
        cut = np.maximum(0.0, (before - after) / before)
        slack = CLOSE if self.exact else self.step / self.need
        inside = taken + problem.below * cut
        share = 1.0 - (1.0 - self.edge) * (1.0 - np.minimum(1.0, inside))
        toll = problem.rules.session_toll + 100.0 * (share / self.bearing) ** 2
        allowed = (inside <= self.room + CLOSE) & (cut <= problem.slice_limit + slack)
        allowed &= self.depths[None] <= before
        return np.where(allowed, toll, inf)


class Bounds:
    """What a way must still do by each year of arrival, against the least it can cost.

    arrivals : the years asked about. most_toll : no way that costs more is of interest.
    """

    def __init__(
        self,
        problem: PlanningProblem,
        work: CutWork,
        arrivals: Numbers,
        most_toll: float = inf,
    ) -> None:
        self.problem, self.work, self.arrivals = problem, work, arrivals
        self.years = np.arange(problem.today + 1, problem.case.last_year + 1)
        edge = min(problem.edge(int(year)) for year in self.years)
        bearing = max(problem.bearing(int(year)) for year in self.years)
        # No way has more sessions than there is time for, or than the toll allows.
        each = problem.rules.session_toll + 100.0 * (edge / bearing) ** 2
        most = ceil(len(self.years) / problem.step)
        self.most = most if most_toll == inf else min(most, floor(most_toll / each) + 1)
        self.fastest = max(problem.growth_of(name) for name in problem.offered)
        boards = BOARD in problem.offered and problem.case.age != "old"
        self.off_board = max(problem.growth_of(name) for name in problem.offered if name != BOARD)
        self.fastest = self.fastest if boards else self.off_board
        self.final = problem.growth_of(FINAL)
        # A year held free can put a session off that the longest interval asks for.
        self.longest = ceil(problem.case.longest - CLOSE) + len(problem.left_alone)
        room = self.work.room / problem.below if problem.below > 0 else 1.0
        self.most_cut = min(problem.slice_limit, room, 0.999)

    def least_tolls(
        self, rows: Numbers, cells: Numbers, last: int | None, final: bool, year: int
    ) -> Array:
        """Least toll (ways, years of arrival) from the end of `year` on; infinite if none.

        rows, cells : of the tables of `CutWork`. last : year of their last session. final : they
        stand in their final pot already.
        """
        problem = self.problem
        soonest = year + 1 if last is None else max(year + 1, last + problem.step)
        tolls = self.work.least(rows, cells, soonest, self.most)
        found = np.full((len(rows), len(self.arrivals)), inf)
        for place, arrival in enumerate(self.arrivals):
            if arrival < year or not problem.gap_holds(len(problem.faults), int(arrival)):
                continue
            left = int(arrival) - soonest
            most = min(self.most, left // problem.step + 1 if left >= 0 else 0)
            owed = (int(arrival) - problem.counted_from(last)) // self.longest
            # Standing elsewhere it takes a session to move it.
            fewest = min(max(owed, 0 if final else 1), most)
            if final or most > 0:
                found[:, place] = tolls[:, fewest : most + 1].min(axis=1)
        return found

    def may_grow(
        self, grown_so_far: Array, final: Flags, woody: Array, ball: Array, last: Numbers, year: int
    ) -> Flags:
        """Whether growth can still suffice by each year of arrival, ways by years."""
        problem = self.problem
        state, growth = problem.case.state, problem.case.state.growth
        left = np.maximum(0, self.arrivals - year).astype(float)[None]
        possible = (self.arrivals >= year)[None]
        if not problem.ratio_rises:
            # It only falls, so what is lacking now is lacking for ever.
            spread = state.spread_mm + growth.spread_mm_per_year * grown_so_far
            trunk = state.trunk_diameter_mm + growth.trunk_mm_per_year * grown_so_far
            holds = spread >= (problem.case.target.spread_ratio - CLOSE) * trunk
            return np.asarray(holds[:, None] & possible)
        off = np.zeros((len(final), 1))
        if self.fastest > self.off_board:
            # Until the underside is flat no board is open, and a session lowers it only so far.
            most_grown = grown_so_far + left.max(initial=0.0) * self.fastest
            trunk = state.trunk_diameter_mm + growth.trunk_mm_per_year * most_grown
            deep = np.maximum(np.minimum(woody, ball) / trunk, 1.0)
            sessions = np.ceil(np.log(deep) / -log(1.0 - self.most_cut) - 1e-6)
            wait = np.maximum(0, last + problem.step - year - 1)
            off = np.where(sessions > 0, wait + (sessions - 1) * problem.step, 0.0)[:, None]
        off = np.minimum(off, np.maximum(left - 1, 0.0))
        # The year in which it is potted up is spent in the final pot.
        moved = off * self.off_board + (np.maximum(left - 1, 0.0) - off) * self.fastest
        moved = np.where(left > 0, moved + self.final, 0.0)
        most = np.where(final[:, None], np.maximum(moved, left * self.final), moved)
        enough = grown_so_far[:, None] + most >= problem.growth_needed - 1e-7
        return np.asarray(enough & possible)
