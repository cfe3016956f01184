"""How wide a root is: its edges across its path, and its taper fitted to them."""

from __future__ import annotations

import numpy as np

from mirvo.core.measure.geometry import normals
from mirvo.core.measure.uncertainty import Array
from mirvo.core.vision.edges import profiles
from mirvo.core.vision.plan_view import Map

MAX_HALF_WIDTH = 34.0
STEP = 0.5
FLARE_CELLS = 9.0
MIN_WIDTH = 3.0
EDGE_LEVEL = 0.5
# Points of a path, from the first beyond the flare, at which the base's width is looked at.
AT_BASE = slice(1, 4)
# The map is blurred, which makes a thin root wide, and the base is looked at where a thick one has
# tapered already: its width is so many times the one seen, less so many cells. By three renderers.
TAPERED, BLUR_CELLS = 1.19, 4.25


def width_along(root: Map, path: Array) -> Array:
    """Width (n,), cells, at each point of a path (n, 2), from a straight taper.

    The taper is fitted to half-height widths of the root's profile (the median of slopes:
    Theil-Sen), leaving out the flare, where roots run together.
    """
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(path, axis=0).T))])
    wide = widths_seen(root, path)
    sound = np.isfinite(wide) & (along >= min(FLARE_CELLS, along[-1] / 3))
    if sound.sum() < 3:
        usual = float(np.nanmedian(wide)) if np.isfinite(wide).any() else MIN_WIDTH
        return np.full(len(path), max(usual, MIN_WIDTH))
    slope, level = _straight(along[sound], wide[sound])
    fitted = level + min(slope, 0.0) * along
    if slope > 0:
        fitted = np.full(len(path), float(np.median(wide[sound])))
    return np.asarray(np.maximum(fitted, MIN_WIDTH))


def _straight(x: Array, y: Array) -> tuple[float, float]:
    """Slope and level of a straight line through points: the median of the slopes between any two
    (Theil 1950, Sen 1968), and through the medians of both. scipy's own takes longer to load than
    a whole photo to look at."""
    first, second = np.triu_indices(len(x), 1)
    slope = float(np.median((y[second] - y[first]) / (x[second] - x[first])))
    return slope, float(np.median(y) - slope * np.median(x))


def base_width(root: Map, path: Array, widths: Array) -> float:
    """Width of a root's base, cells: the middle one of those seen where it has left the flare.

    widths : (n,), the fitted taper, for points of the path (n, 2) where no edge is seen.
    """
    seen = widths_seen(root, path)
    sound = np.where(np.isfinite(seen), np.maximum(seen, MIN_WIDTH), widths)
    wide = float(np.median(sound[AT_BASE] if len(sound) > 1 else sound))
    return max(MIN_WIDTH, TAPERED * wide - BLUR_CELLS)


def widths_seen(root: Map, path: Array) -> Array:
    """Width (n,) of a root across each point of a path, NaN where it has no edge in reach."""
    across = normals(path)
    at = np.arange(-MAX_HALF_WIDTH, MAX_HALF_WIDTH + STEP / 2, STEP)
    seen = profiles(root, path, across, at)
    middle = len(at) // 2
    peak = seen[:, middle - 4 : middle + 5].max(axis=1)
    level = EDGE_LEVEL * peak[:, None]
    low = seen < level
    right = np.where(low[:, middle:].any(1), low[:, middle:].argmax(1), np.nan)
    left = np.where(low[:, : middle + 1].any(1), low[:, middle::-1].argmax(1), np.nan)
    return np.asarray((left + right) * STEP)
