"""Years of a sweep as arrays, and what may be done from each state."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

NO_SESSION = -10_000
NO_CUT = -1
Array = npt.NDArray[np.float64]
Numbers = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]
DIGITS = 9


class Unsettled(Exception):
    """A search was given up before it could tell: too many ways to try."""


@dataclass
class Layer:
    """All ways to stand at the end of a year; each column has one entry a way.

    stand, ages, place, faults : numbers of what the sweep knows by them. off : mm off each side of
    the ball. last : year of the last session, `NO_SESSION` before any; rest : years of rest it
    asks for beyond the interval. faults : what the year's session took of them, `NO_CUT` without
    one; left_mm, left_off, share : the ball it left, and what it took of the feeding root.
    parent : place in the layer before.
    """

    year: int
    stand: Numbers
    ages: Numbers
    ball: Array
    off: Numbers
    woody: Array
    place: Numbers
    last: Numbers
    rest: Numbers
    worked: Flags
    matted: Flags
    grown: Array
    toll: Array
    faults: Numbers
    left_mm: Array
    left_off: Numbers
    share: Array
    parent: Numbers

    COLUMNS = (
        *("stand", "ages", "ball", "off", "woody", "place", "last", "rest", "worked", "matted"),
        *("grown", "toll", "faults", "left_mm", "left_off", "share", "parent"),
    )

    def __len__(self) -> int:
        return len(self.toll)

    def only(self, chosen: Flags | Numbers) -> Layer:
        """The same year with some of its ways."""
        return Layer(self.year, *(getattr(self, name)[chosen] for name in self.COLUMNS))

    @classmethod
    def joined(cls, year: int, parts: list[Layer]) -> Layer:
        """Several parts of one year as one."""
        return cls(
            year, *(np.concatenate([getattr(p, name) for p in parts]) for name in cls.COLUMNS)
        )
