"""Along a root: lengths and places on its path, outward from the trunk, mm on the plan."""

from __future__ import annotations

from collections.abc import Sequence
from math import atan2, degrees, hypot

from mirvo.core.almanac import rules

Point = tuple[float, float]


def path_length_mm(path: Sequence[Point]) -> float:
    """Length of a path, mm."""
    return sum(hypot(b[0] - a[0], b[1] - a[1]) for a, b in legs(path))


def straight_stretch_mm(path: Sequence[Point]) -> float:
    """Length from the base to the first bend: where a path strays from outward, mm.

    A leg strays when its direction lies over `straight_deg` off the radial direction at
    the root's base, (0, 0) being the trunk's centre.
    """
    outward = degrees(atan2(path[0][0], path[0][1]))
    run = 0.0
    for (ax, ay), (bx, by) in legs(path):
        off = (degrees(atan2(bx - ax, by - ay)) - outward + 180.0) % 360.0 - 180.0
        if abs(off) > rules().adviser.straight_deg:
            return run
        run += hypot(bx - ax, by - ay)
    return run


def along_mm(path: Sequence[Point], at: Sequence[float]) -> float:
    """Length from the base to the place on a path nearest to a point, mm."""
    best, run = (float("inf"), 0.0), 0.0
    for (ax, ay), (bx, by) in legs(path):
        leg = hypot(bx - ax, by - ay)
        share = 0.0
        if leg > 0:
            share = ((at[0] - ax) * (bx - ax) + (at[1] - ay) * (by - ay)) / leg**2
        share = min(1.0, max(0.0, share))
        away = hypot(at[0] - ax - share * (bx - ax), at[1] - ay - share * (by - ay))
        best = min(best, (away, run + share * leg))
        run += leg
    return best[1]


def point_at_mm(path: Sequence[Point], length: float) -> Point:
    """The point of a path at a length from its base, mm; its end when it is shorter."""
    run = 0.0
    for (ax, ay), (bx, by) in legs(path):
        leg = hypot(bx - ax, by - ay)
        if run + leg >= length and leg > 0:
            share = (length - run) / leg
            return (ax + share * (bx - ax), ay + share * (by - ay))
        run += leg
    return path[-1]


def legs(path: Sequence[Point]) -> list[tuple[Point, Point]]:
    """The straight pieces of a path."""
    return list(zip(path, path[1:], strict=False))
