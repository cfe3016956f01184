"""What is offered to a mark from the picture: nothing of it is kept until it is taken up."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from mirvo.core.record import Record

Spot = tuple[float, float]


def spots(points: npt.NDArray[np.float64]) -> tuple[Spot, ...]:
    """Points (n, 2), px, to a tenth of a pixel."""
    return tuple((float(x), float(y)) for x, y in np.round(points, 1))


def pair(points: npt.NDArray[np.float64]) -> tuple[Spot, Spot]:
    """Two points (2, 2), px, to a tenth of a pixel."""
    first, second = spots(points)
    return first, second


class TracedRoot(Record):
    """A root found in the photo, px. points_sd_px : how far each of its points may lie off.
    base_sd_px : how far both points across its base may, together."""

    path: tuple[Spot, ...]
    base_width: tuple[Spot, Spot]
    points_sd_px: float
    base_sd_px: float


class ProposedRoot(TracedRoot):
    """A root Mirvo believes to see. tip_sd_px : how far its end may lie off along its way.

    confidence : 0 to 1.
    """

    tip_sd_px: float
    confidence: float
    azimuth_deg: float


class FoundWidth(Record):
    """Two points across a root's base, px. base_width_sd_px : how far their distance is off."""

    base_width: tuple[Spot, Spot]
    base_width_sd_px: float


class FoundOutline(Record):
    """A trunk's outline, px. follows : whether an edge of the photo runs all round it, or
    where it was proposed, whether a trunk is seen there.

    outline_sd_px : how far the whole of it may lie off.
    """

    outline: tuple[Spot, ...]
    outline_sd_px: float
    follows: bool
