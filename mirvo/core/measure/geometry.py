"""Plane geometry for a whole stack of draws at once: leading axis rows, then points."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from mirvo.core.measure.uncertainty import Array

RAYS = 360
DRAWN_RAY_STEP = 4
CLOSE_SHARE = 0.04
MOST_BULGE = 0.01
Indices = npt.NDArray[np.intp]


def area_and_centroid(polygon: Array) -> tuple[Array, Array]:
    """Unsigned area (rows,) mm² and centroid (rows, 2) mm of polygons (rows, n, 2)."""
    origin = polygon[:, :1]
    local = polygon - origin
    after = np.roll(local, -1, axis=1)
    cross = _cross(local, after)
    doubled = cross.sum(axis=1)
    weighed = np.einsum("rni,rn->ri", local + after, cross)
    centroid = weighed / (3.0 * doubled[:, None])
    return np.abs(doubled) / 2.0, centroid + origin[:, 0]


def bulged(outline: Array, share: Array) -> Array:
    """Outlines (rows, n, 2) swollen about their middle as if their sides were arcs.

    A clicked outline cuts the corners of the smooth one it follows; by how much follows
    from its sides: the mean sagitta over the radius, at most 1 %. `share` (rows,) of that
    is added, 0 leaves the outline as marked.
    """
    sides = np.hypot(*(np.roll(outline[0], -1, axis=0) - outline[0]).T)
    area, middle = area_and_centroid(outline)
    radius = float(np.sqrt(area[0] / np.pi))
    most = min(float((sides**3).sum() / sides.sum()) / (12.0 * radius**2), MOST_BULGE)
    return middle[:, None] + (outline - middle[:, None]) * (1.0 + most * share)[:, None, None]


def direction_deg(vectors: Array) -> Array:
    """Clockwise direction of (..., 2) vectors seen from above, 0 = up in the picture, degrees."""
    return np.degrees(np.arctan2(vectors[..., 0], -vectors[..., 1]))


def clock(azimuth_deg: float) -> float:
    """Hour on the clock for an azimuth: back 12, right 3, front 6, left 9.

    >>> clock(0.0), clock(90.0), clock(265.0)
    (12.0, 3.0, 8.8)
    """
    hour = round(azimuth_deg % 360.0 / 30.0, 1)
    return 12.0 if hour in (0.0, 12.0) else hour


def arc_lengths(path: Array) -> Array:
    """Length along (rows, n, 2) paths up to each point, (rows, n), mm."""
    steps = np.hypot(*np.moveaxis(np.diff(path, axis=1), 2, 0))
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
    return np.asarray(
        path[rows, index] + (path[rows, index + 1] - path[rows, index]) * share[..., None]
    )


def cut_at_radius(path: Array, centre: Array, radius: Array) -> Array:
    """Paths (rows, n, 2) up to where row 0 first leaves the circle, all rows cut in step.

    The cut segment is found on row 0; every row is cut on its own circle within it.
    """
    away = np.hypot(*np.moveaxis(path - centre[:, None], 2, 0))
    outside = np.flatnonzero(away[0] > radius[0])
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
    apart = np.hypot(*np.moveaxis(first[:, None] - first[None], 2, 0))
    a, b = np.nonzero(np.triu(apart) >= apart.max() * (1 - CLOSE_SHARE))
    greatest = np.hypot(*np.moveaxis(hull[:, a] - hull[:, b], 2, 0)).max(axis=1)
    widths = _widths_over_edges(hull[:1], np.arange(len(first)))[0]
    near = np.flatnonzero(widths <= widths.min() * (1 + CLOSE_SHARE))
    return greatest, _widths_over_edges(hull, near).min(axis=1)


def _widths_over_edges(hull: Array, edges: Indices) -> Array:
    """Width (rows, e) of convex polygons square to the edges that start at `edges`."""
    edge = hull[:, (edges + 1) % hull.shape[1]] - hull[:, edges]
    length = np.maximum(np.hypot(edge[..., 0], edge[..., 1]), 1e-9)
    normal = np.stack([-edge[..., 1], edge[..., 0]], -1) / length[..., None]
    return np.asarray(np.ptp(normal @ hull.swapaxes(1, 2), axis=2))


def mean_radius(polygon: Array, centre: Array) -> Array:
    """Mean distance (rows,) mm from centre to the outermost edge over 360 one-degree rays.

    Which edge each ray meets is found on row 0 and kept for the draws, which follow every
    fourth ray only.
    """
    angle = np.radians(np.arange(RAYS) * 360.0 / RAYS)
    ray = np.stack([np.sin(angle), -np.cos(angle)], axis=1)
    start = polygon - centre[:, None]
    edge = np.roll(start, -1, axis=1) - start
    edges = _edge_of_each_ray(start[0], edge[0], ray)
    exact = _radii(start[:1], edge[:1], edges, ray).mean()
    few = slice(None, None, DRAWN_RAY_STEP)
    drawn = _radii(start, edge, edges[few], ray[few]).mean(axis=1)
    return np.asarray(drawn + (exact - drawn[0]))


def _radii(start: Array, edge: Array, edges: Indices, ray: Array) -> Array:
    a, e = start[:, edges], edge[:, edges]
    return np.asarray(_cross(a, e) / _cross(ray[None], e))


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
