"""True figures of a made-up base, by exact shapes; independent of the measuring code."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from shapely.geometry import MultiPoint, Point, Polygon

from mirvo.standins.base import (
    Array,
    Base,
    Truth,
    flare_outline,
    root_path,
    root_widths,
    trunk_outline,
)

COUNTED_TRUNKS = 2.0


def true_figures(base: Base) -> Truth:
    """Trunk diameter, spreads on both bases and each root's figures, mm and degrees."""
    trunk = Polygon(trunk_outline(base))
    diameter = 2 * float(np.sqrt(trunk.area / np.pi))
    centre = np.array(trunk.centroid.coords[0])
    roots = [_root_figures(base, index, centre) for index in range(len(base.roots))]
    return {
        "trunk_diameter_mm": diameter,
        "flare_mean_mm": _mean_diameter(Polygon(flare_outline(base)), centre),
        "roots_mean_mm": _mean_diameter(_roots_hull(base, trunk, centre, diameter), centre),
        "roots": roots,
    }


def _root_figures(base: Base, index: int, centre: Array) -> Truth:
    root = base.roots[index]
    path = root_path(base, root)
    away = path - centre
    middle = base_width_middle(base, index) - centre
    return {
        "key": root.key,
        "azimuth_deg": float(np.degrees(np.arctan2(middle[0], middle[1])) % 360),
        "width_mm": float(root_widths(root, len(path))[1]),
        "reach_mm": float(np.hypot(*away.T).max()),
    }


def base_width_middle(base: Base, index: int) -> Array:
    """Where the base width is marked: the second point of the root's path."""
    return np.asarray(root_path(base, base.roots[index])[1])


def _roots_hull(base: Base, trunk: Polygon, centre: Array, diameter: float) -> Any:
    """Hull of the trunk and of discs along each root, as far as they count."""
    turn = np.radians(np.arange(0, 360, 7.5))
    disc = np.stack([np.cos(turn), np.sin(turn)], axis=1)
    parts = [np.array(trunk.exterior.coords)]
    for root in base.roots:
        path = root_path(base, root)
        along = np.linspace(0, len(path) - 1, 240)
        spots = np.stack([np.interp(along, np.arange(len(path)), axis) for axis in path.T], axis=1)
        widths = np.interp(along, np.arange(len(path)), root_widths(root, len(path)))
        counted = np.hypot(*(spots - centre).T) <= COUNTED_TRUNKS * diameter
        around = spots[counted, None] + widths[counted, None, None] / 2 * disc
        parts.append(around.reshape(-1, 2))
    return MultiPoint(np.concatenate(parts)).convex_hull


def _mean_diameter(shape: Polygon, centre: Array) -> float:
    """Twice the mean distance to the outermost edge over 360 one-degree rays."""
    turn = np.radians(np.arange(360))
    far = centre + 2000 * np.stack([np.sin(turn), np.cos(turn)], axis=1)
    rays = shapely.linestrings(np.stack([np.broadcast_to(centre, far.shape), far], axis=1))
    met = shapely.intersection(rays, shape.exterior)
    return float(2 * shapely.hausdorff_distance(Point(centre), met).mean())
