"""Along a root: lengths and places on its path, outward from the trunk, mm on the plan."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from math import atan2, degrees, hypot

from shapely.geometry import LineString
from shapely.geometry import Point as Place
from shapely.ops import substring

from mirvo.core.almanac import rules
from mirvo.core.angles import angle_between

Point = tuple[float, float]
# Shapely makes a point of a path cut by nothing, so that is not asked of it.
MIN_PART = 1e-6


def path_length_mm(path: Sequence[Point]) -> float:
    """Length of a path, mm."""
    # Asked of every root at every look at it, so without making a shape of it.
    return sum(hypot(bx - ax, by - ay) for (ax, ay), (bx, by) in pairwise(path))


def straight_stretch_mm(path: Sequence[Point]) -> float:
    """Length from the base to the first bend: where a path strays from outward, mm.

    A leg strays when its direction lies over `straight_deg` off the radial direction at
    the root's base, (0, 0) being the trunk's centre.
    """
    # Azimuths run clockwise from the front, so x comes first.
    outward = degrees(atan2(path[0][0], path[0][1]))
    run = 0.0
    for (ax, ay), (bx, by) in pairwise(path):
        leg = degrees(atan2(bx - ax, by - ay))
        if angle_between(leg, outward) > rules().adviser.straight_deg:
            return run
        run += hypot(bx - ax, by - ay)
    return run


def sweep_deg(path: Sequence[Point]) -> float:
    """How far a path leads round the trunk from its base, degrees, (0, 0) being the centre."""
    base = degrees(atan2(path[0][0], path[0][1]))
    return max(angle_between(degrees(atan2(x, y)), base) for x, y in path)


def along_mm(path: Sequence[Point], at: Point) -> float:
    """Length from the base to the place on a path nearest to a point, mm."""
    return float(LineString(path).project(Place(at)))


def point_at_mm(path: Sequence[Point], length: float) -> Point:
    """The point of a path at a length from its base, mm; its end when it is shorter."""
    # Beyond its end Shapely gives the end, but says so less plainly than this.
    at = LineString(path).interpolate(min(length, path_length_mm(path)))
    return (float(at.x), float(at.y))


def shortened(path: Sequence[Point], part: float) -> tuple[Point, ...]:
    """What stays of a path when a part (0 to 1) of its length is cut off its end."""
    if part < MIN_PART:
        return tuple(path)
    kept = substring(LineString(path), 0.0, 1.0 - part, normalized=True)
    return tuple((float(x), float(y)) for x, y in kept.coords)
