"""What one planned session may take: the faults that go first, then the underside and the sides."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cache
from math import ceil

import numpy as np
import numpy.typing as npt

from mirvo.core.almanac import rules
from mirvo.core.plan.places import Place
from mirvo.core.plan.problem import PlanningProblem, Progress
from mirvo.core.plan.sides import CLOSE

Array = npt.NDArray[np.float64]
Numbers = npt.NDArray[np.int64]
UNTOUCHED, GONE = 1.0, 0.0


@dataclass(frozen=True)
class FaultCut:
    """What a session takes of the fault roots. progress : what is left of each after it; share : of
    the feeding root, with what has grown back; parts : of each root, as parts of the whole."""

    progress: Progress
    share: float
    parts: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class Sessions:
    """Sessions that take the same of the faults, for some balls.

    ball : places of the balls asked about. left_mm : depth left; off : mm off each side after it;
    share : of the feeding root taken.
    """

    faults: FaultCut
    ball: Numbers
    left_mm: Array
    off: Numbers
    share: Array


class SessionOptions:
    """Every session a tree may have in a year, for one problem."""

    def __init__(self, problem: PlanningProblem) -> None:
        self.problem = problem
        needs = {place.off for place in problem.places[1:] if 0 < place.off <= problem.sides.need}
        self.pot_needs = sorted(needs)
        # Asked for by thousands of ways that stand alike.
        self.faults = cache(self._faults)

    def sessions(
        self,
        progress: Progress,
        balls: Array,
        offs: Numbers,
        matted: bool,
        grafting: bool,
        year: int,
        again: float = 0.0,
    ) -> Sessions | None:
        """All sessions within the limits of a year, for trees that differ in their ball alone.

        balls, offs : depths (n,) in mm, and mm off each side. matted : the underside is still the
        mat it was. grafting : grafts are set. again : share of roots that have grown back; they go
        in any case. None where those alone are too much.
        """
        if again > self.problem.room(year, grafting) + CLOSE:
            return None
        taken = self.faults(progress, year, again, grafting)
        ball, left, off, share = self._cuts(balls, offs, matted, taken.share, year, grafting)
        return Sessions(taken, ball, left, off, share)

    # Faults -------------------------------------------------------------------------

    def _faults(self, progress: Progress, year: int, again: float, grafting: bool) -> FaultCut:
        """In their order each fault that fits: what harms the tree goes before all else."""
        problem = self.problem
        decided = problem.cuts_decided(year)
        if decided is not None:
            return self._decided(progress, year, again, decided)
        room, empty = problem.room(year, grafting), problem.room(year)
        comfortable = min(room, problem.comfortable(year))
        left_of, taken, parts = list(progress), again, dict[str, float]()
        for place, left in enumerate(progress):
            if left == GONE or problem.waits_for_graft(place, year) or empty <= CLOSE:
                continue
            share = left * problem.fault_share(place, year)
            # Whole where an empty session could bear it, else in the fewest parts it could.
            pieces = max(1, ceil(share / empty - CLOSE))
            # The first goes if it can go at all; more only while the session stays an easy one.
            most = comfortable if parts else room
            if taken + share / pieces > most + CLOSE:
                continue
            taken += share / pieces
            parts[problem.faults[place].label] = left / pieces
            left_of[place] = GONE if pieces == 1 else left - left / pieces
            # After a part, the last one too, the tree is left to answer before more goes.
            if pieces > 1 or left < UNTOUCHED:
                break
        return FaultCut(tuple(left_of), taken, parts)

    def _decided(
        self, progress: Progress, year: int, again: float, cuts: dict[int, float]
    ) -> FaultCut:
        """What was decided by hand. cuts : part of each fault, by its place."""
        problem, taken, parts = self.problem, again, dict[str, float]()
        for place, part in cuts.items():
            if part > 0:
                taken += part * progress[place] * problem.fault_share(place, year)
                parts[problem.faults[place].label] = part * progress[place]
        left = tuple(left * (1.0 - cuts[place]) for place, left in enumerate(progress))
        return FaultCut(left, taken, parts)

    # Underside and sides -----------------------------------------------------------------

    def _cuts(
        self, balls: Array, offs: Numbers, matted: bool, taken: float, year: int, grafting: bool
    ) -> tuple[Numbers, Array, Numbers, Array]:
        """Ball by ball the depths and sides a session may leave, and the share it takes."""
        problem, edge = self.problem, self.problem.edge(year)
        limit = problem.limit_of(year, grafting)
        factor = rules().feeding.matted_factor if matted else 1.0
        depths = self._depths(balls)
        inside = self._inside(balls[:, None], depths, factor, taken)
        trims = self._trims(offs, edge)
        # Each fixed trim with each fixed depth, and with the deepest the limit lets go.
        found = []
        for column in range(trims.shape[1]):
            trim = trims[:, column]
            sides = np.maximum(edge, problem.sides.share(offs, trim))
            room = 1.0 - (1.0 - limit) / (1.0 - sides)
            deepest = self._deepest(balls, factor, taken, room)
            left = np.column_stack([depths, deepest])
            within = np.column_stack([inside, self._inside(balls, deepest, factor, taken)])
            found.append(self._fitting(balls, left, within, trim[:, None], offs, edge))
        # Each fixed depth with the most of the sides that the limit lets go.
        if problem.sides.need:
            room = 1.0 - (1.0 - limit) / np.maximum(1.0 - inside, CLOSE)
            most = problem.sides.most_within(offs[:, None], np.maximum(0.0, room))
            found.append(self._fitting(balls, depths, inside, most, offs, edge))
        ball, left, off, share = (np.concatenate(column) for column in zip(*found, strict=True))
        fits = share <= limit + CLOSE
        return ball[fits], left[fits], off[fits], share[fits]

    def _fitting(
        self, balls: Array, left: Array, inside: Array, trims: Numbers, offs: Numbers, edge: float
    ) -> tuple[Numbers, Array, Numbers, Array]:
        """Those of some sessions (balls, ways) that the rules of slice and trim allow."""
        problem, trims = self.problem, np.broadcast_to(trims, left.shape)
        ball, off = balls[:, None], offs[:, None]
        least = np.maximum(problem.case.least_left_mm, ball * (1.0 - problem.slice_limit))
        # Less than that is not worth a saw, but to the depth the last pot takes.
        enough = ball - left >= problem.rules.min_slice_mm - CLOSE
        enough |= np.abs(left - problem.case.need_mm) < CLOSE
        sliced = (left < ball - CLOSE) & (left >= least - CLOSE) & enough
        fits = sliced | (left == ball)
        worth = (trims == 0) | (trims >= problem.rules.min_trim_mm)
        worth |= trims == problem.sides.need - off
        fits &= worth & (trims <= problem.sides.most_at_once[off])
        rows, columns = np.nonzero(fits)
        trim = trims[rows, columns]
        sides = np.maximum(edge, problem.sides.share(offs[rows], trim))
        share = 1.0 - (1.0 - sides) * (1.0 - np.minimum(1.0, inside[rows, columns]))
        return np.asarray(rows), left[rows, columns], np.asarray(offs[rows] + trim), share

    def _inside(self, ball: Array, left: Array, factor: float, taken: float) -> Array:
        """What roots and slice take together."""
        cut = np.maximum(0.0, ball - left) / ball
        return np.asarray(taken + self.problem.below * np.minimum(1.0, factor * cut))

    def _depths(self, balls: Array) -> Array:
        """As it is, in steps of 10 mm, at need, and at half the ball."""
        problem, table = self.problem, self.problem.rules
        least = np.maximum(problem.case.least_left_mm, balls * (1.0 - problem.slice_limit))
        count = int(((balls - least).max(initial=0.0)) // table.slice_step_mm) + 1
        steps = balls[:, None] - table.slice_step_mm * np.arange(1, count + 1)
        # The depth the pot takes is offered exactly, else a step of 10 mm could miss it.
        need = np.full(len(balls), problem.case.need_mm)
        half = balls - np.floor(balls / 2 + CLOSE)
        cut = np.round(np.column_stack([steps, need, half]), 6)
        return np.column_stack([balls, cut])

    def _deepest(self, balls: Array, factor: float, taken: float, room: Array) -> Array:
        """The least depth, by a cut of whole mm, that the room beside the sides lets be left."""
        problem = self.problem
        least = np.maximum(problem.case.least_left_mm, balls * (1.0 - problem.slice_limit))
        if problem.below <= 0:
            part = np.where(room >= taken - CLOSE, 1.0, 0.0)
        else:
            part = np.clip((room - taken) / problem.below, 0.0, 1.0)
        # Where all that hangs below may go, nothing but the ball itself ends the slice.
        most = np.where(part >= 1.0, balls, balls * part / factor)
        cut = np.floor(np.minimum(most, np.maximum(0.0, balls - least)) + CLOSE)
        return np.asarray(np.round(balls - cut, 6))

    def _trims(self, offs: Numbers, edge: float) -> Numbers:
        """Mm off each side: none, what the comb takes anyway, all, half of all, to a pot's need."""
        problem = self.problem
        if not problem.sides.need:
            return np.zeros((len(offs), 1), np.int64)
        whole = problem.sides.need - offs
        comb = problem.sides.most_within(offs, np.full(len(offs), edge))
        pots = [np.clip(off - offs, 0, whole) for off in self.pot_needs]
        return np.column_stack([np.zeros_like(offs), comb, whole, whole // 2, *pots])


def takes(place: Place, left: Array, off: Numbers) -> npt.NDArray[np.bool_]:
    """Whether a place takes balls of these depths and sides."""
    return np.asarray((left <= place.takes + CLOSE) & (off >= place.off - CLOSE))
