"""The skin of a base: trunk and tubes as one smooth solid, meshed by marching cubes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.ndimage import gaussian_filter, map_coordinates, zoom
from skimage.measure import marching_cubes

from tools.traced.base import Array, SolidBase

Faces = npt.NDArray[np.int32]
FAR = 40.0
BELOW_MM = 9.0
# Cells after which steady unevenness comes round again.
PERIOD = 40


@dataclass(frozen=True)
class Mesh:
    """Corners (n, 3) mm, faces (m, 3), colour of each corner (n, 3), linear 0 to 1."""

    corners: Array
    faces: Faces
    colours: Array


def skin(base: SolidBase, rng: np.random.Generator, voxel_mm: float = 1.2) -> tuple[Array, Faces]:
    """Corners and faces of the base down to a little below the soil."""
    reach = max([base.radius_mm * 1.5, *(np.abs(t.middle[:, :2]).max() + 8 for t in base.tubes)])
    tip = np.abs(base.axis_at(base.top_mm)).max() + base.radius_mm * 1.4
    reach = max(reach, float(tip))
    low = np.array([-reach, -reach, -BELOW_MM])
    shape = np.ceil((np.array([reach, reach, base.top_mm + 3]) - low) / voxel_mm).astype(int) + 1
    field = _trunk_field(base, low, shape, voxel_mm)
    blend = base.radius_mm * float(rng.uniform(0.12, 0.3))
    for tube in base.tubes:
        _blend_tube(field, tube.middle, tube.radius, low, voxel_mm, min(blend, 3 + tube.radius[0]))
    field += _bark(shape, voxel_mm, rng)
    # Cut off flat on top, as the crown is left out.
    heights = low[2] + np.arange(shape[2]) * voxel_mm
    field = np.maximum(field, (heights - base.top_mm)[None, None, :].astype(np.float32))
    corners, faces, _, _ = marching_cubes(field, 0.0)
    return corners * voxel_mm + low, np.ascontiguousarray(faces[:, ::-1]).astype(np.int32)


def _trunk_field(
    base: SolidBase, low: Array, shape: npt.NDArray[np.int_], voxel: float
) -> npt.NDArray[np.float32]:
    x = low[0] + np.arange(shape[0]) * voxel
    y = low[1] + np.arange(shape[1]) * voxel
    field = np.full(tuple(shape), FAR, np.float32)
    for k in range(shape[2]):
        z = low[2] + k * voxel
        middle = base.axis_at(max(z, 0.0))
        dx, dy = x[:, None] - middle[0], y[None, :] - middle[1]
        away = np.hypot(dx, dy) - base.radius_at(np.arctan2(dy, dx), z)
        field[:, :, k] = np.minimum(FAR, away)
    return field


def _blend_tube(
    field: npt.NDArray[np.float32],
    middle: Array,
    radius: Array,
    low: Array,
    voxel: float,
    blend: float,
) -> None:
    """Join a tube to what is there, its corner rounded by `blend` mm."""
    pad = float(radius.max()) + blend + 2 * voxel
    first = np.maximum(0, np.floor((middle.min(0) - pad - low) / voxel)).astype(int)
    last = np.minimum(field.shape, np.ceil((middle.max(0) + pad - low) / voxel) + 1).astype(int)
    if (last <= first).any():
        return
    own = np.full(tuple(last - first), FAR, np.float32)
    for a, b, ra, rb in zip(middle[:-1:2], middle[2::2], radius[:-1:2], radius[2::2], strict=False):
        wide = max(ra, rb) + blend + 2 * voxel
        start = np.maximum(first, np.floor((np.minimum(a, b) - wide - low) / voxel).astype(int))
        end = np.minimum(last, np.ceil((np.maximum(a, b) + wide - low) / voxel).astype(int) + 1)
        if (end <= start).any():
            continue
        x, y, z = (low[i] + np.arange(start[i], end[i], dtype=np.float32) * voxel for i in range(3))
        px, py, pz = x[:, None, None] - a[0], y[None, :, None] - a[1], z[None, None, :] - a[2]
        way = b - a
        share = np.clip((px * way[0] + py * way[1] + pz * way[2]) / max(1e-9, way @ way), 0, 1)
        away = np.sqrt(
            (px - share * way[0]) ** 2 + (py - share * way[1]) ** 2 + (pz - share * way[2]) ** 2
        )
        away = away - (ra + (rb - ra) * share)
        part = tuple(slice(s - f, e - f) for s, e, f in zip(start, end, first, strict=True))
        own[part] = np.minimum(own[part], away)
    box = tuple(slice(f, e) for f, e in zip(first, last, strict=True))
    there = field[box]
    near = np.clip(0.5 + 0.5 * (there - own) / blend, 0, 1)
    field[box] = there * (1 - near) + own * near - blend * near * (1 - near)


def noise(
    shape: tuple[int, ...], cells: float, rng: np.random.Generator
) -> npt.NDArray[np.float32]:
    """Smooth noise of deviation 1; cells : size of its blobs in grid cells."""
    coarse = tuple(max(4, int(np.ceil(n / cells)) + 3) for n in shape)
    rough = gaussian_filter(rng.standard_normal(coarse).astype(np.float32), 0.7)
    fine = zoom(rough, [n / (c - 1) + 0.2 for n, c in zip(shape, coarse, strict=True)], order=1)
    fine = fine[tuple(slice(0, n) for n in shape)]
    return np.asarray((fine - fine.mean()) / max(1e-6, float(fine.std())), np.float32)


def _bark(
    shape: npt.NDArray[np.int_], voxel: float, rng: np.random.Generator
) -> npt.NDArray[np.float32]:
    size = tuple(int(n) for n in shape)
    rough = noise(size, 6 / voxel, rng) * rng.uniform(0.1, 0.55)
    return np.asarray(rough + noise(size, 2.4 / voxel, rng) * rng.uniform(0.05, 0.3), np.float32)


def sample_noise(points: Array, cell_mm: float, rng: np.random.Generator) -> Array:
    """Smooth noise of deviation 1 at points (n, 3) in space."""
    low = points.min(0)
    size = np.ceil((points.max(0) - low) / cell_mm).astype(int) + 3
    grid = gaussian_filter(rng.standard_normal(tuple(size)), 0.6)
    found = map_coordinates(grid, ((points - low) / cell_mm + 1).T, order=1, mode="nearest")
    return np.asarray((found - found.mean()) / max(1e-6, float(found.std())))


def steady_noise(points: Array, cell_mm: float, rng: np.random.Generator) -> Array:
    """The same, but at a place in space always the same, whatever else there is."""
    grid = gaussian_filter(rng.standard_normal((PERIOD, PERIOD, PERIOD)), 0.6, mode="wrap")
    found = map_coordinates(grid, (points / cell_mm).T, order=1, mode="grid-wrap")
    return np.asarray((found - found.mean()) / max(1e-6, float(found.std())))
