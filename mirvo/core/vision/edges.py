"""Edges found to a fraction of a pixel, from the profile of brightness across them."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from mirvo.core.measure.uncertainty import Array

STEPS_PER_PX = 3
NEAR_PX, RECENTRED = 1.7, 4


def profiles(
    picture: npt.NDArray[np.integer[Any] | np.floating[Any]], spots: Array, across: Array, at: Array
) -> Array:
    """Values (n, m) of a picture at `spots` (n, 2) moved by `at` (m,) px along `across`.

    across : (2,) or (n, 2), unit vectors. Sampled bilinearly; beyond the border the
    border's own value holds.
    """
    import cv2  # heavy: only where a photo is really looked at

    direction = np.broadcast_to(across, spots.shape)
    places = spots[:, None] + at[None, :, None] * direction[:, None]
    x, y = np.moveaxis(places.astype(np.float32), 2, 0)
    seen = cv2.remap(picture, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(seen, dtype=float)


def edge_offsets(
    grey: npt.NDArray[np.uint8], spots: Array, across: Array, reach_px: float
) -> tuple[Array, Array]:
    """Where the steepest change of brightness lies on lines across an edge.

    Parameters
    ----------
    spots : (n, 2), px, near the edge. across : (2,), unit vector across it.
    reach_px : how far to either side to look.

    Returns
    -------
    offsets : (n,), px along `across`. strength : (n,), change of brightness there.
    """
    at = np.arange(-reach_px, reach_px + 1e-9, 1 / STEPS_PER_PX)
    lit = profiles(grey, spots, across, at)
    slope = np.diff(lit, axis=1)
    slope = slope * np.sign(slope.mean())
    middle = (at[:-1] + at[1:]) / 2
    centre = middle[slope.argmax(axis=1)]
    for _ in range(RECENTRED):
        near = np.abs(middle[None] - centre[:, None]) <= NEAR_PX
        weight = np.where(near, np.maximum(slope, 0.0), 0.0)
        total = np.maximum(weight.sum(axis=1), 1e-9)
        centre = (weight * middle).sum(axis=1) / total
    return np.asarray(centre), total
