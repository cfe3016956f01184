"""Pots as they are inside: sections at any height, and what they hold."""

from __future__ import annotations

from dataclasses import dataclass
from math import pi, sqrt
from typing import Literal, get_args

MM3_PER_LITRE = 1e6
Shape = Literal[
    "rectangle", "rounded", "oval", "round", "drum", "crescent", "slab", "box", "basket"
]
SHAPES: tuple[str, ...] = get_args(Shape)
ELLIPSE, PARABOLA = pi / 4, 2 / 3
# A quarter of a circle missing at each corner.
CORNERS = 4 - pi


@dataclass(frozen=True)
class Pot:
    """The inside of a pot, mm.

    length, width : at the rim, and at the floor where it is narrower there. depth : floor to rim;
    of a slab, the height of the mound upon it. corner : radius of the corners at the rim, of a
    "rounded" one. belly : largest diameter, half way up, of a "drum". rim_in : by how much the rim
    stands inward all round, so that the opening is narrower than the inside.

    A crescent is bounded by two parabolas through its tips; its width is that of its middle.
    """

    shape: Shape
    length: float
    width: float
    depth: float
    floor_length: float | None = None
    floor_width: float | None = None
    corner: float = 0.0
    belly: float | None = None
    rim_in: float = 0.0

    @property
    def floor(self) -> tuple[float, float]:
        """Length and width at the floor, mm."""
        return (self.floor_length or self.length, self.floor_width or self.width)

    @property
    def opening(self) -> tuple[float, float]:
        """Length and width a ball has to pass at the rim, mm."""
        return (max(0.0, self.length - 2 * self.rim_in), max(0.0, self.width - 2 * self.rim_in))

    @property
    def plan_share(self) -> float:
        """Area of the plan at the rim, of the rectangle round it."""
        around = self.length * self.width
        return self._area(self.length, self.width, 1.0) / around if around else 0.0

    def inside_at(self, height: float) -> tuple[float, float]:
        """Length and width at a height above the floor, mm."""
        part = _part(height, self.depth)
        if self.shape == "slab":
            round_it = sqrt(1.0 - part)
            return (self.length * round_it, self.width * round_it)
        (low_length, low_width), belly = self.floor, self._belly
        if belly is not None:
            return (
                _through(low_length, belly[0], self.length, part),
                _through(low_width, belly[1], self.width, part),
            )
        return (
            low_length + (self.length - low_length) * part,
            low_width + (self.width - low_width) * part,
        )

    def litres(self, up_to: float | None = None) -> float:
        """What it holds up to a height above its floor, l; to the rim if none is given.

        The section of a tapering pot is a square of the height, so that the rule of the prismatoid
        (Kepler 1615; Simpson 1743), integrated to any height, is exact; for a drum it is Kepler's
        rule for barrels.
        """
        low, middle, high = self._sections
        part = 1.0 if up_to is None else _part(up_to, self.depth)
        linear, square = _bent(low, middle, high)
        held = low * part + linear * part**2 / 2 + square * part**3 / 3
        return self.depth * held / MM3_PER_LITRE

    @property
    def _sections(self) -> tuple[float, float, float]:
        """Areas at the floor, half way up and at the rim, mm²."""
        if self.shape == "slab":
            base = ELLIPSE * self.length * self.width
            return base, base / 2, 0.0
        (low_length, low_width), belly = self.floor, self._belly
        half = belly or ((low_length + self.length) / 2, (low_width + self.width) / 2)
        return (
            self._area(low_length, low_width, low_length / self.length),
            self._area(*half, half[0] / self.length),
            self._area(self.length, self.width, 1.0),
        )

    @property
    def _belly(self) -> tuple[float, float] | None:
        if self.shape != "drum" or self.belly is None:
            return None
        return self.belly, self.belly * self.width / self.length

    def _area(self, length: float, width: float, scale: float) -> float:
        if self.shape in ("oval", "round", "drum", "slab"):
            return ELLIPSE * length * width
        if self.shape == "crescent":
            return PARABOLA * length * width
        corner = min(self.corner * scale, min(length, width) / 2) if self.shape == "rounded" else 0
        return length * width - CORNERS * corner**2


def _part(height: float, depth: float) -> float:
    return min(1.0, max(0.0, height / depth)) if depth > 0 else 0.0


def _bent(low: float, middle: float, high: float) -> tuple[float, float]:
    """Linear and square part of the parabola through values at 0, a half and 1."""
    return 4 * middle - 3 * low - high, 2 * (low - 2 * middle + high)


def _through(low: float, middle: float, high: float, part: float) -> float:
    """The parabola through values at 0, a half and 1."""
    linear, square = _bent(low, middle, high)
    return low + linear * part + square * part**2
