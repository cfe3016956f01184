"""What one planned session may take: fault roots in their order, and a slice off the underside."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cache
from math import ceil

import numpy as np
import numpy.typing as npt

from mirvo.core.almanac import rules
from mirvo.core.plan.problem import CLOSE, PlanningProblem

Array = npt.NDArray[np.float64]
Numbers = npt.NDArray[np.int64]
# How far the faults are cut: how many are gone, and what is left of the next one, 0 to 1.
Progress = tuple[int, float]
UNTOUCHED = 1.0
NOTHING_CUT: Progress = (0, UNTOUCHED)


@dataclass(frozen=True)
class FaultCut:
    """What a session takes of the fault roots. parts : of each root, as parts of the whole."""

    progress: Progress
    share: float
    parts: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class Sessions:
    """Sessions that take the same of the faults: for some balls each depth that may be left.

    ball : places of the balls asked about. left_mm : depth left; share : of feeding root taken.
    """

    faults: FaultCut
    ball: Numbers
    left_mm: Array
    share: Array


class SessionOptions:
    """Every session a tree may have in a year, for one problem.

    cell_mm : without it the depths are those of the rules. With it any depth may be left, counted
    in cells of that size, and each session costs the least that any depth of its cell does: an
    easier problem, so that what it cannot reach surely cannot be reached.
    """

    def __init__(self, problem: PlanningProblem, cell_mm: float | None = None) -> None:
        self.problem, self.cell_mm = problem, cell_mm
        # Asked for by thousands of ways that stand alike.
        self.faults = cache(self._faults)

    def sessions(
        self, progress: Progress, balls: Array, matted: bool, first: bool, year: int, again: float
    ) -> list[Sessions]:
        """All sessions within the limits of a year, for trees that differ in their ball alone.

        balls : depths (n,) in mm. matted : the underside is still the mat it was. first : the
        plan has had no session yet. again : share of roots that have grown back; they go in any
        case.
        """
        room = self.problem.room(year, self._grafting(first))
        if again > room + CLOSE:
            return []
        found = []
        for taken in self.faults(progress, year, again, first):
            ball, left, inside = self._slices(balls, matted, taken.share, room)
            share = 1.0 - (1.0 - self.problem.edge(year)) * (1.0 - np.minimum(1.0, inside))
            found.append(Sessions(taken, ball, left, share))
        return found

    def _faults(
        self, progress: Progress, year: int, again: float, first: bool
    ) -> tuple[FaultCut, ...]:
        onward = self._onward(progress, year, again, self._grafting(first))
        found = [FaultCut(progress, again), *onward]
        # A plan does not begin by putting off what it is made for.
        return tuple(found[1:] if first and len(found) > 1 else found)

    def _grafting(self, first: bool) -> bool:
        """Whether grafts are set: all in the plan's first session, which takes less for it."""
        return first and bool(self.problem.open_gaps)

    def _onward(
        self, progress: Progress, year: int, again: float, grafting: bool
    ) -> Iterator[FaultCut]:
        """One fault more at a time, as far as the year's limit lets them go."""
        problem, room = self.problem, self.problem.room(year, grafting)
        empty = problem.room(year)
        (place, left), taken, parts = progress, again, dict[str, float]()
        while place < len(problem.faults) and room > CLOSE:
            fault = problem.faults[place]
            if problem.waits_for_graft(place, year):
                return
            share = left * problem.fault_share(place, year)
            # Whole where an empty session could bear it, else in the fewest parts it could.
            pieces = max(1, ceil(share / empty - CLOSE))
            if taken + share / pieces > room + CLOSE:
                return
            taken += share / pieces
            parts = {**parts, fault.label: left / pieces}
            whole = pieces == 1
            reached = (place + 1, UNTOUCHED) if whole else (place, left - left / pieces)
            yield FaultCut(reached, taken, parts)
            # After a part, the last one too, the tree is left to answer before more goes.
            if not whole or left < UNTOUCHED:
                return
            place, left = reached

    def _slices(
        self, balls: Array, matted: bool, taken: float, room: float
    ) -> tuple[Numbers, Array, Array]:
        """Ball by ball the depths a session may leave, and what roots and slice take together."""
        problem = self.problem
        factor = rules().feeding.matted_factor if matted else 1.0
        least = np.maximum(problem.least_left_mm, balls * (1.0 - problem.slice_limit))
        ball, need = balls[:, None], problem.case.need_mm
        if self.cell_mm is not None:
            depths, slack = self._cells(balls), self.cell_mm
            # The ball lies anywhere above its cell's floor, what is left anywhere in its own.
            lowest = np.maximum(self._lowest_of_use, least[:, None] - slack)
        else:
            depths, slack = self._depths(balls, factor, taken, room, least), 0.0
            lowest = least[:, None]
        cut = np.maximum(0.0, ball - depths - slack) / ball
        inside = taken + problem.below * np.minimum(1.0, factor * cut)
        fits = (inside <= room + CLOSE) & (depths >= lowest - CLOSE) & (depths < ball - CLOSE)
        if self.cell_mm is None:
            # Less than that is not worth a saw, but to the depth the last pot takes.
            enough = ball - depths >= problem.rules.min_slice_mm - CLOSE
            fits &= enough | (np.abs(depths - need) < CLOSE)
        rows, columns = np.nonzero(fits)
        everything = np.arange(len(balls))
        return (
            np.concatenate([everything, rows]),
            np.concatenate([balls, depths[rows, columns]]),
            np.concatenate([np.full(len(balls), taken), inside[rows, columns]]),
        )

    def _depths(
        self, balls: Array, factor: float, taken: float, room: float, least: Array
    ) -> Array:
        """Depths in steps of 10 mm, at need, at half the ball, and as deep as the limit allows."""
        problem, table = self.problem, self.problem.rules
        count = int(((balls - least).max(initial=0.0)) // table.slice_step_mm) + 1
        steps = balls[:, None] - table.slice_step_mm * np.arange(1, count + 1)
        # The depth the pot takes is offered exactly, else a step of 10 mm could miss it.
        need = np.full(len(balls), problem.case.need_mm)
        half = balls - np.floor(balls / 2 + CLOSE)
        part = 1.0 if problem.below <= 0 else min(1.0, max(0.0, room - taken) / problem.below)
        # Where all that hangs below may go, nothing but the ball itself ends the slice.
        most = balls if part >= 1.0 else balls * part / factor
        cut = np.floor(np.minimum(most, balls - least) + CLOSE)
        deepest = balls - cut
        return np.round(np.column_stack([steps, need, half, deepest]), 6)

    @property
    def _lowest_of_use(self) -> float:
        """No cut below it brings a tree further, mm: the last pot takes it, and it lies flat
        enough for a board."""
        return min(self.problem.case.need_mm, self.problem.case.state.trunk_diameter_mm)

    def _cells(self, balls: Array) -> Array:
        cell = self.cell_mm or 1.0
        count = int((balls - self._lowest_of_use).max(initial=0.0) // cell) + 1
        return np.asarray(np.round(balls[:, None] - cell * np.arange(1, count + 1), 6), np.float64)
