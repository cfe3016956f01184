"""The sides of the ball: how far each must come in for the last pot, and what trimming them takes.

The trim is counted as u, the millimetres taken off each side since today; each pair of sides stops
at what it needs itself.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from math import ceil

import numpy as np
import numpy.typing as npt

from mirvo.core.almanac import rules
from mirvo.core.plan.case import Case

Array = npt.NDArray[np.float64]
Numbers = npt.NDArray[np.int64]
CLOSE = 1e-9
# No ball has so much to lose, mm.
NO_TRIM_FITS = 100_000


@dataclass(frozen=True)
class Sides:
    """Length and width of a ball as it stands, mm, and what must go off each side of a pair, in
    whole mm; 0 where the ball's sizes or the last pot's are not known."""

    length: float = 0.0
    width: float = 0.0
    need_length: int = 0
    need_width: int = 0

    @property
    def need(self) -> int:
        """What must go off each side before the last pot takes the ball, mm."""
        return max(self.need_length, self.need_width)

    def lengths(self, off: Numbers) -> Array:
        """Length of the ball with so much off each side, mm."""
        return np.asarray(self.length - 2.0 * np.minimum(off, self.need_length))

    def widths(self, off: Numbers) -> Array:
        """Width of the ball with so much off each side, mm."""
        return np.asarray(self.width - 2.0 * np.minimum(off, self.need_width))

    def lengths_over(self, pot: float) -> float:
        """By how much the ball as it stands is too long for a pot of this length, mm."""
        return self.length + 2.0 * rules().plan.side_room_mm - pot

    def widths_over(self, pot: float) -> float:
        """By how much the ball as it stands is too wide for a pot of this width, mm."""
        return self.width + 2.0 * rules().plan.side_room_mm - pot

    @cached_property
    def areas(self) -> Array:
        """Area of the ball from above by what is off each side, 0 to `need` mm; in mm²."""
        off = np.arange(self.need + 1)
        known = self.length > 0 and self.width > 0
        return self.lengths(off) * self.widths(off) if known else np.ones(self.need + 1)

    @cached_property
    def most_at_once(self) -> Numbers:
        """Most that one session takes off each side by what is off already, whole mm."""
        off = np.arange(self.need + 1)
        lesser = np.minimum(self.lengths(off), self.widths(off))
        most = np.floor(rules().plan.trim_of_side * lesser + CLOSE).astype(np.int64)
        return np.minimum(most, self.need - off)

    def share(self, off: Numbers, trim: Numbers) -> Array:
        """Share of the ball that goes with so much more off each side, 0 to 1."""
        return np.asarray(1.0 - self.areas[off + trim] / self.areas[off])

    def most_within(self, off: Numbers, share: Array) -> Numbers:
        """Most whole mm off each side that take no more than a share of the ball."""
        least = self.areas[off] * (1.0 - share) - CLOSE * self.areas[0]
        # Areas fall, so they are looked up from the smallest on.
        smaller = np.searchsorted(self.areas[::-1], least)
        found = np.minimum(self.need - smaller - off, self.most_at_once[off])
        return np.asarray(np.maximum(0, found), np.int64)

    def off_for(self, length: float | None, width: float | None) -> int:
        """What must be off each side before a pot of this length and width takes the ball, mm;
        `NO_TRIM_FITS` where the ball's own needs end before that."""
        room = 2.0 * rules().plan.side_room_mm
        off = 0
        for ball, pot, most in (
            (self.length, length, self.need_length),
            (self.width, width, self.need_width),
        ):
            lacking = 0 if pot is None or ball <= 0 else _needed(ball, pot, room)
            if lacking > most:
                return NO_TRIM_FITS
            off = max(off, lacking)
        return off


def sides_of(case: Case) -> Sides:
    """The sides of a case's ball against its last pot."""
    state, room = case.state, 2.0 * rules().plan.side_room_mm
    _, length, width = case.last_pot_mm
    if state.ball_length_mm is None or state.ball_width_mm is None:
        return Sides()
    if length is None or width is None:
        return Sides(state.ball_length_mm, state.ball_width_mm)
    return Sides(
        state.ball_length_mm,
        state.ball_width_mm,
        _needed(state.ball_length_mm, length, room),
        _needed(state.ball_width_mm, width, room),
    )


def _needed(ball: float, pot: float, room: float) -> int:
    return max(0, ceil((ball + room - pot) / 2.0 - CLOSE))
