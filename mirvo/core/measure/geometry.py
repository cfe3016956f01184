"""Plane geometry for a whole stack of draws at once: leading axis rows, then points."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from mirvo.core.measure.uncertainty import Array

RAYS = 360
DRAWN_RAY_STEP = 4
CLOSE_SHARE = 0.04
Indices = npt.NDArray[np.intp]


def length_of(vectors: Array) -> Array:
    """Length (...) of vectors (..., 2); several times faster than numpy.hypot."""
    x, y = vectors[..., 0], vectors[..., 1]
    return np.asarray(np.sqrt(x * x + y * y))


def away_from(origin: Array, points: Array) -> Array:
    """Vectors (rows, n, 2) from an origin (2,) or (rows, 2) to points (rows, n, 2).

    Axis by axis, as in `scaled`: numpy is ten times slower along a last axis of two.
    """
    x, y = origin[..., None, 0], origin[..., None, 1]
    return np.stack([points[..., 0] - x, points[..., 1] - y], axis=-1)


def scaled(origin: Array, vectors: Array, factor: Array) -> Array:
    """Points (rows, n, 2): an origin (2,) or (rows, 2) plus `factor` (rows, n) times vectors."""
    x, y = origin[..., None, 0], origin[..., None, 1]
    return np.stack([x + vectors[..., 0] * factor, y + vectors[..., 1] * factor], axis=-1)


def area_and_centroid(polygon: Array) -> tuple[Array, Array]:
    """Unsigned area (rows,) mm² and centroid (rows, 2) mm of polygons (rows, n, 2)."""
    origin = polygon[:, 0]
    x, y = np.moveaxis(away_from(origin, polygon), 2, 0)
    next_x, next_y = np.roll(x, -1, axis=1), np.roll(y, -1, axis=1)
    cross = x * next_y - y * next_x
    doubled = cross.sum(axis=1)
    weighed = np.stack([((x + next_x) * cross).sum(1), ((y + next_y) * cross).sum(1)], axis=1)
    centroid = weighed / (3.0 * doubled[:, None])
    return np.abs(doubled) / 2.0, centroid + origin


def smooth_outline(outline: Array, points: int = 96) -> Array:
    """Closed smooth curves (rows, m, 2) through the points of outlines (rows, n, 2), m >= points.

    A periodic cubic spline over the lengths of the chords of row 0, so that all rows are bent
    alike. The polygon itself would cut the corners of a trunk: by 5 % of its diameter with eight
    clicks. (de Boor, A Practical Guide to Splines, 1978.)
    """
    from scipy.interpolate import CubicSpline

    count = outline.shape[1]
    chords = np.hypot(*(np.roll(outline[0], -1, axis=0) - outline[0]).T)
    # Two clicks on one spot leave no length between them.
    along = np.concatenate([[0.0], np.cumsum(np.maximum(chords, 1e-6 * chords.max()))])
    each = np.eye(count)
    # What each point adds to every place of the curve is the same for all draws.
    pulls = CubicSpline(along, np.concatenate([each, each[:1]]), bc_type="periodic")
    per_side = max(1, -(-points // count))
    steps = np.arange(per_side) / per_side
    places = (along[:-1, None] + np.diff(along)[:, None] * steps).ravel()
    return np.asarray(pulls(places) @ outline)


def bulged(outline: Array, share: Array) -> Array:
    """Outlines (rows, n, 2) swollen about their middle by a share (rows,) of what its sides hide.

    A smooth outline may go on between two clicks as it likes: what its points do not show is in
    proportion to the mean sagitta of its sides over the radius.
    """
    sides = np.hypot(*(np.roll(outline[0], -1, axis=0) - outline[0]).T)
    area, middle = area_and_centroid(outline)
    radius = float(np.sqrt(area[0] / np.pi))
    hidden = float((sides**3).sum() / sides.sum()) / (12.0 * radius**2)
    return scaled(middle, away_from(middle, outline), (1.0 + hidden * share)[:, None])


def direction_deg(vectors: Array) -> Array:
    """Clockwise direction of (..., 2) vectors seen from above, 0 = up in the picture, degrees."""
    return np.degrees(np.arctan2(vectors[..., 0], -vectors[..., 1]))


def arc_lengths(path: Array) -> Array:
    """Length along (rows, n, 2) paths up to each point, (rows, n), mm."""
    steps = length_of(np.diff(path, axis=1))
    return np.concatenate([np.zeros((len(path), 1)), np.cumsum(steps, axis=1)], axis=1)


def dense(path: Array, step: float = 2.0) -> Array:
    """A path (n, 2) with points no more than about `step` apart along it."""
    length = arc_lengths(path[None])[0]
    at = np.linspace(0.0, length[-1], max(2, round(length[-1] / step) + 1))
    return np.stack([np.interp(at, length, axis) for axis in path.T], axis=1)


def normals(path: Array, smooth: float = 0.0) -> Array:
    """Unit vectors (n, 2) across a path (n, 2), its run evened over `smooth` points."""
    steps = np.gradient(path, axis=0)
    if smooth:
        from scipy.ndimage import gaussian_filter1d

        steps = gaussian_filter1d(steps, smooth, axis=0, mode="nearest")
    across = np.stack([steps[:, 1], -steps[:, 0]], axis=1)
    return np.asarray(across / np.maximum(np.hypot(*across.T), 1e-9)[:, None])


def points_at(path: Array, lengths: Array, at: Array) -> Array:
    """Points at arc length `at` (rows, m) of paths (rows, n, 2), ends included."""
    last = path.shape[1] - 2
    index = np.clip((lengths[:, None, :] <= at[:, :, None]).sum(-1) - 1, 0, last)
    rows = np.arange(len(path))[:, None]
    start, end = lengths[rows, index], lengths[rows, index + 1]
    share = (at - start) / np.maximum(end - start, 1e-9)
    before = path[rows, index]
    return np.asarray(before + (path[rows, index + 1] - before) * share[..., None])


def cut_at_radius(path: Array, centre: Array, radius: Array) -> Array:
    """Paths (rows, n, 2) up to where row 0 first leaves the circle, all rows cut in step.

    The cut segment is found on row 0; every row is cut on its own circle within it.
    """
    outside = np.flatnonzero(length_of(path[0] - centre[0]) > radius[0])
    if outside.size == 0:
        return path
    first = int(outside[0])
    if first == 0:
        return path[:, :1]
    start, end = path[:, first - 1], path[:, first]
    step, offset = end - start, start - centre
    a = (step**2).sum(1)
    b = 2 * (step * offset).sum(1)
    c = (offset**2).sum(1) - radius**2
    share = (-b + np.sqrt(np.maximum(b * b - 4 * a * c, 0.0))) / (2 * np.maximum(a, 1e-12))
    share = np.clip(share, 0.0, 1.0)[:, None]
    return np.concatenate([path[:, :first], (start + step * share)[:, None]], axis=1)


def hull_indices(points: Array) -> Indices:
    """Indices of the convex hull of (n, 2) points, in order round it."""
    from scipy.spatial import ConvexHull

    return np.asarray(ConvexHull(points).vertices)


def feret(hull: Array) -> tuple[Array, Array]:
    """Greatest and least caliper diameter (rows,) mm of convex polygons (rows, m, 2).

    Row 0 is exact; the draws are compared on the pairs and edges that come close on row 0,
    since a click's error never makes a far smaller diameter the greatest.
    """
    first = hull[0]
    apart = length_of(first[:, None] - first[None])
    a, b = np.nonzero(np.triu(apart) >= apart.max() * (1 - CLOSE_SHARE))
    greatest = length_of(hull[:, a] - hull[:, b]).max(axis=1)
    widths = _widths_over_edges(hull[:1], np.arange(len(first)))[0]
    near = np.flatnonzero(widths <= widths.min() * (1 + CLOSE_SHARE))
    return greatest, _widths_over_edges(hull, near).min(axis=1)


def _widths_over_edges(hull: Array, edges: Indices) -> Array:
    """Width (rows, e) of convex polygons square to the edges that start at `edges`."""
    edge = hull[:, (edges + 1) % hull.shape[1]] - hull[:, edges]
    across = np.stack([-edge[..., 1], edge[..., 0]], -1) @ hull.swapaxes(1, 2)
    return np.asarray(np.ptp(across, axis=2) / np.maximum(length_of(edge), 1e-9))


def mean_radius(polygon: Array, centre: Array) -> Array:
    """Mean distance (rows,) mm from centre to the outermost edge over 360 one-degree rays.

    Which edge each ray meets is found on row 0 and kept for the draws, which follow every
    fourth ray only.
    """
    angle = np.radians(np.arange(RAYS) * 360.0 / RAYS)
    ray = np.stack([np.sin(angle), -np.cos(angle)], axis=1)
    start = away_from(centre, polygon)
    edge = np.roll(start, -1, axis=1) - start
    edges = _edge_of_each_ray(start[0], edge[0], ray)
    exact = _radii(start[:1], edge[:1], edges, ray).mean()
    few = slice(None, None, DRAWN_RAY_STEP)
    drawn = _radii(start, edge, edges[few], ray[few]).mean(axis=1)
    return np.asarray(drawn + (exact - drawn[0]))


def _radii(start: Array, edge: Array, edges: Indices, ray: Array) -> Array:
    a, e = start[:, edges], edge[:, edges]
    along = _cross(ray[None], e)
    shrunk = np.abs(along) < 1e-12  # an edge of row 0 may be a mere point in a draw
    met = _cross(a, e) / np.where(shrunk, 1.0, along)
    return np.asarray(np.where(shrunk, length_of(a), met))


def _edge_of_each_ray(start: Array, edge: Array, ray: Array) -> Indices:
    a, e, d = start[None], edge[None], ray[:, None]
    along = _cross(d, e)
    safe = np.where(np.abs(along) < 1e-12, np.nan, along)
    distance = _cross(a, e) / safe
    share = _cross(a, d) / safe
    hit = (share >= -1e-9) & (share <= 1 + 1e-9) & (distance > 0)
    return np.asarray(np.where(hit, distance, -1.0).argmax(axis=1))


def _cross(a: Array, b: Array) -> Array:
    return np.asarray(a[..., 0] * b[..., 1] - a[..., 1] * b[..., 0])
