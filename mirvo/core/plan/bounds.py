"""Bounds of the search: by which years a way may still arrive, and what that costs at least."""

from __future__ import annotations

from math import log

import numpy as np
import numpy.typing as npt

from mirvo.core.almanac import rules
from mirvo.core.plan.case import FINAL
from mirvo.core.plan.cut_work import CutWork
from mirvo.core.plan.layers import NO_SESSION, Layer
from mirvo.core.plan.places import BOARD
from mirvo.core.plan.problem import PlanningProblem, Progress

Array = npt.NDArray[np.float64]
Flags = npt.NDArray[np.bool_]
Numbers = npt.NDArray[np.int64]


class Bounds:
    """What a way must still do by each year of arrival, against the least it can cost.

    arrivals : the years asked about.
    """

    def __init__(self, problem: PlanningProblem, work: CutWork, arrivals: Numbers) -> None:
        self.problem, self.work, self.arrivals = problem, work, arrivals
        self.columns = arrivals - work.first
        open_places = [place for place in problem.places[1:] if place.open]
        growths = [place.growth for place in open_places]
        off_board = [place.growth for place in open_places if place.kind != BOARD]
        self.off_board = max([*off_board, problem.places[0].growth])
        boards = problem.case.age != "old"
        self.fastest = max([*growths, self.off_board]) if boards else self.off_board
        self.final = rules().container(FINAL).growth
        years = range(problem.today + 1, problem.case.last_year + 1)
        below = problem.below
        room = max(problem.room(year) for year in years) / below if below > 0 else 1.0
        self.most_cut = min(problem.slice_limit, room, 0.999)
        self.last_places = np.array([place.last for place in problem.places])
        self.holds = np.array([problem.gap_holds(int(year)) for year in arrivals], bool)

    def least_tolls(self, layer: Layer, stands: list[Progress], anywhere: bool = False) -> Array:
        """Least toll to come (ways, years of arrival) from a layer on; infinite if none.

        anywhere : ways that have just been worked, before they are put anywhere.
        """
        there, year = self.last_places[layer.place], layer.year
        ball, off = layer.ball, layer.off
        if anywhere:
            there, year = np.ones(len(layer), bool), layer.year - 1
            ball, off = layer.left_mm, layer.left_off
        cells = self.work.cell_of(ball, off)
        found = np.empty((len(layer), len(self.arrivals)))
        spread = np.ptp(layer.last) + 1 if len(layer) else 1
        key = ((layer.stand * spread + layer.last - layer.last.min(initial=0)) * 4 + layer.rest) * 4
        key = key + layer.worked * 2 + there
        _, firsts, kinds = np.unique(key, return_index=True, return_inverse=True)
        for kind, first in enumerate(firsts):
            them = np.flatnonzero(kinds == kind)
            last = int(layer.last[first])
            tolls = self.work.least(
                stands[int(layer.stand[first])],
                None if last == NO_SESSION else last,
                int(layer.rest[first]),
                bool(layer.worked[first]),
                layer.year,
                bool(there[first]),
            )
            found[them] = tolls[self.columns][:, cells[them]].T
        found[:, ~self.holds] = np.inf
        found[~self._may_grow(layer, there, year)] = np.inf
        return found

    def _may_grow(self, layer: Layer, there: Flags, year: int) -> Flags:
        """Whether growth from the end of a year on can suffice by each year of arrival, ways by
        years."""
        problem, grown = self.problem, layer.grown
        state, growth = problem.case.state, problem.case.state.growth
        left = np.maximum(0, self.arrivals - year).astype(float)[None]
        possible = (self.arrivals >= year)[None]
        if not problem.ratio_rises:
            # It only falls, so what is lacking now is lacking for ever.
            spread = state.spread_mm + growth.spread_mm_per_year * grown
            trunk = state.trunk_diameter_mm + growth.trunk_mm_per_year * grown
            holds = spread >= (problem.case.target.spread_ratio - 1e-9) * trunk
            return np.asarray(holds[:, None] & possible)
        off = np.zeros((len(layer), 1))
        if self.fastest > self.off_board:
            # Until the underside is flat no board is open, and a session lowers it only so far.
            most_grown = grown + left.max(initial=0.0) * self.fastest
            trunk = state.trunk_diameter_mm + growth.trunk_mm_per_year * most_grown
            deep = np.maximum(np.minimum(layer.woody, layer.ball) / trunk, 1.0)
            sessions = np.ceil(np.log(deep) / -log(1.0 - self.most_cut) - 1e-6)
            wait = np.maximum(0, layer.last + problem.step - year - 1)
            off = np.where(sessions > 0, wait + (sessions - 1) * problem.step, 0.0)[:, None]
        off = np.minimum(off, np.maximum(left - 1, 0.0))
        # The year in which it is potted up is spent in the final pot.
        moved = off * self.off_board + (np.maximum(left - 1, 0.0) - off) * self.fastest
        moved = np.where(left > 0, moved + self.final, 0.0)
        most = np.where(there[:, None], np.maximum(moved, left * self.final), moved)
        enough = grown[:, None] + most >= problem.growth_needed - 1e-7
        return np.asarray(enough & possible)
