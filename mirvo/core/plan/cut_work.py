"""Least toll of cutting alone: what faults, underside and sides still cost at least by each year.

Sessions, their limits, the rest they ask for and the faults that go first are those of the plan;
growth, containers and what grows back are left out. Depths and sides are counted in cells, each
with the figures that cost least, so that no cost is ever above that of a plan (a relaxation whose
costs never exceed the problem's own: A* search, Hart, Nilsson & Raphael, IEEE Trans. SSC 4, 1968).
"""

from __future__ import annotations

from dataclasses import dataclass
from math import ceil, inf

import numpy as np
import numpy.typing as npt

from mirvo.core.plan.problem import PlanningProblem, Progress
from mirvo.core.plan.session_options import SessionOptions
from mirvo.core.plan.sides import CLOSE

Array = npt.NDArray[np.float64]
Numbers = npt.NDArray[np.int64]
# More cells make larger tables and a bound that is hardly better.
MOST_DEPTHS, MOST_DEPTHS_WITH_SIDES, MOST_SIDES = 160, 36, 5
# Beyond the start, so much growth of the ball is told apart.
GROWTH_TOLD_APART_MM = 40.0


@dataclass(frozen=True)
class _Session:
    """Sessions of one year from every cell to every other. cost : toll; rest : years of rest asked
    for beyond the interval."""

    then: Progress
    cost: Array
    rest: Numbers


class CutWork:
    """Tables of one problem, worked out as they are asked for.

    A cell is a depth of the ball and what is left to trim off its sides; the first stands for a
    ball that the last pot takes. most_depths : told apart at most.
    """

    def __init__(self, problem: PlanningProblem, most_depths: int | None = None) -> None:
        self.problem = problem
        self.options = SessionOptions(problem)
        # Sessions that sweeps have tried by these tables, for all ways together.
        self.tried = 0
        self.first, self.last_year = problem.today + 1, problem.case.last_year
        self.arrivals = np.arange(self.first, self.last_year + 1)
        # What grows back changes which faults fit, so there the bound leaves faults out.
        self.blind = bool(problem.returning)
        self._depth_cells(most_depths)
        self._side_cells()
        # Not cached methods: the tables are large and are to go with this object.
        self._worked: dict[tuple[int, Progress], Array] = {}
        self._windows: dict[tuple[int, int | None, int, bool], tuple[list[int], float]] = {}

    def _depth_cells(self, most: int | None) -> None:
        problem = self.problem
        ball, need = problem.case.state.ball_depth_mm, problem.case.need_mm
        grown = [p.grows_to for p in problem.places if p.grows_to is not None]
        deepest = max(ball, *(min(to, ball + GROWTH_TOLD_APART_MM) for to in grown), need)
        most = most or (MOST_DEPTHS_WITH_SIDES if problem.sides.need else MOST_DEPTHS)
        self.depth_step = max(1.0, float(ceil((deepest - need) / most)))
        count = ceil((deepest - need) / self.depth_step - CLOSE) + 1
        known = [ball, need, *(to for to in grown if to < inf)]
        whole = all(abs(depth - round(depth)) < CLOSE for depth in known)
        cells = np.arange(count)
        # A cell stands for the shallowest ball of it when it is cut, for the deepest when cut to.
        self.cut_to = need + cells * self.depth_step
        self.cut_from = np.maximum(need, self.cut_to - self.depth_step + (1.0 if whole else 0.0))

    def _side_cells(self) -> None:
        sides = self.problem.sides
        self.side_step = max(1, ceil(sides.need / MOST_SIDES))
        cells = np.arange(ceil(sides.need / self.side_step) + 1)
        to = np.minimum(cells * self.side_step, sides.need)
        self.trim_to = sides.need - to
        self.trim_from = sides.need - np.maximum(0, (cells - 1) * self.side_step + (cells > 0))

    @property
    def cells(self) -> int:
        return len(self.cut_to) * len(self.trim_to)

    def cell_of(self, balls: Array, offs: Numbers) -> Numbers:
        """Cells of balls by their depth, mm, and the mm that are off each side."""
        deep = np.ceil((balls - self.problem.case.need_mm) / self.depth_step - CLOSE)
        deep = np.clip(deep, 0, len(self.cut_to) - 1).astype(np.int64)
        wide = -(-(self.problem.sides.need - offs) // self.side_step)
        wide = np.clip(wide, 0, len(self.trim_to) - 1)
        return np.asarray(deep * len(self.trim_to) + wide, np.int64)

    def least(
        self, progress: Progress, last: int | None, rest: int, worked: bool, year: int, there: bool
    ) -> Array:
        """Least toll (years of arrival, cells) from the end of `year` on; infinite if none.

        last, rest : year of the last session, and the rest it asks for. worked : the plan has had a
        session. there : the tree stands in its last pot.
        """
        if self.blind:
            progress = self.problem.all_gone
        years, forced = self._window(year, last, rest, worked)
        found = np.full((len(self.arrivals), self.cells), inf)
        for session in years:
            found = np.minimum(found, self._session_in(session, progress))
        if there and not any(progress):
            idle = (self.arrivals >= year) & (self.arrivals < forced)
            found[idle] = 0.0
        return found

    def _window(
        self, year: int, last: int | None, rest: int, worked: bool
    ) -> tuple[list[int], float]:
        """Years after `year` in which the next session may be, and the one that may not pass
        without it; infinite where there is none."""
        key = (year, last, rest, worked)
        known = self._windows.get(key)
        if known is None:
            known = self._windows[key] = self._looked_up(*key)
        return known

    def _looked_up(
        self, year: int, last: int | None, rest: int, worked: bool
    ) -> tuple[list[int], float]:
        problem, years = self.problem, list[int]()
        for session in range(year + 1, self.last_year + 1):
            may = problem.may_work(session, last, rest)
            if may:
                years.append(session)
            if session in problem.fixed or (may and problem.must_work(session, last, rest, worked)):
                return years, float(session)
        return years, inf

    def _session_in(self, year: int, progress: Progress) -> Array:
        """Least toll (years of arrival, cells) with a session in a year."""
        key = (year, progress)
        known = self._worked.get(key)
        if known is None:
            known = self._worked[key] = self._worked_out(year, progress)
        return known

    def _worked_out(self, year: int, progress: Progress) -> Array:
        session = self._costs(year, progress)
        begin = year - self.first
        found = np.full((len(self.arrivals), self.cells), inf)
        for rest in np.unique(session.rest[np.isfinite(session.cost)]):
            after = self._after(year, int(rest), session.then)[begin:]
            cost = np.where(session.rest == rest, session.cost, inf)
            them = (cost[None] + after[:, None, :]).min(axis=2)
            found[begin:] = np.minimum(found[begin:], them)
        return found

    def _after(self, year: int, rest: int, progress: Progress) -> Array:
        """What follows a session, for every cell it may leave."""
        found = self.least(progress, year, rest, True, year, False)
        if not any(progress):
            _, forced = self._window(year, year, rest, True)
            idle = (self.arrivals >= year) & (self.arrivals < forced)
            # The last pot takes it from here.
            found[idle, 0] = 0.0
        return found

    def _costs(self, year: int, progress: Progress) -> _Session:
        problem, options = self.problem, self.options
        grafting = bool(problem.open_gaps) and year == problem.first_possible
        edge, limit = problem.edge(year), problem.limit_of(year, grafting)
        taken = 0.0
        then = progress
        if not self.blind:
            faults = options.faults(progress, year, 0.0, grafting)
            then, taken = faults.progress, faults.share
        before = self.cut_from[:, None]
        cut = np.maximum(0.0, (before - self.cut_to[None]) / before)
        inside = taken + problem.below * cut
        sides = self._sides(edge)
        # (depth, side, depth after, side after)
        share = 1.0 - (1.0 - sides[None, :, None, :]) * (1.0 - inside[:, None, :, None])
        allowed = (cut <= problem.slice_limit + CLOSE) & np.tri(len(cut), dtype=bool)
        allowed = allowed[:, None, :, None] & np.tri(len(sides), dtype=bool)[None, :, None, :]
        allowed &= share <= limit + CLOSE
        share = share.reshape(self.cells, self.cells)
        strain = 100.0 * (share / problem.bearing(year)) ** 2
        rest = sum((strain > over + CLOSE).astype(np.int64) for over in problem.rules.rest_strains)
        cost = np.where(
            allowed.reshape(self.cells, self.cells), problem.rules.session_toll + strain, inf
        )
        return _Session(then, cost, np.asarray(rest))

    def _sides(self, edge: float) -> Array:
        """What the sides cost at least, from each of their cells to each other."""
        areas = self.problem.sides.areas
        taken = 1.0 - areas[self.trim_to][None] / areas[self.trim_from][:, None]
        return np.asarray(np.maximum(edge, taken))
