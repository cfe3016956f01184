"""A roughly drawn edge snapped to the silhouette it follows."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from shapely.geometry import LineString

from mirvo.core.errors import BadInput
from mirvo.core.measure.geometry import dense, normals
from mirvo.core.measure.uncertainty import Array
from mirvo.core.vision.edges import profiles

ROUGH_STEP, ROUGH_REACH = 1 / 140, 0.05  # shares of its length
FINE_STEP, FINE_REACH = 1 / 400, 0.012
MIN_LENGTH_PX = 10.0
SMOOTH_STEPS, BLUR = 4.0, (1.5, 1.2)
JUMP_COST, MAX_JUMP = 0.12, 3
PULL, HELD = 0.5, 1.0
SIMPLE_PX = 0.7


def snap_line(picture: npt.NDArray[np.uint8], rough: Array) -> Array:
    """The line of strongest change of colour close to a rough polyline.

    Parameters
    ----------
    picture : (height, width, 3), red, green, blue. rough : (n, 2), px, n >= 2.

    Returns
    -------
    (m, 2), px, from the same end to the same end: the ends stay where the hand set them, as a
    silhouette bends away where it meets the soil.

    Raises
    ------
    BadInput : the rough line has no length.
    """
    import cv2  # heavy: only where a photo is really looked at

    length = float(np.hypot(*np.diff(rough, axis=0).T).sum())
    if len(rough) < 2 or length < MIN_LENGTH_PX:
        raise BadInput("edge", "draw the edge first, from the soil line upward")
    lab = np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGB2LAB), np.uint8)
    found = rough
    for step, reach in ((ROUGH_STEP, ROUGH_REACH), (FINE_STEP, FINE_REACH)):
        found = _moved(lab, found, max(step * length, 2.0), max(reach * length, 5.0))
    return np.array(LineString(found).simplify(SIMPLE_PX).coords)


def _moved(lab: npt.NDArray[np.uint8], line: Array, step: float, reach: float) -> Array:
    """A line (n, 2), px, moved across itself, at every step, to the strongest change in reach."""
    from scipy.ndimage import gaussian_filter

    spots = dense(line, step)
    across = normals(spots, SMOOTH_STEPS)
    at = np.linspace(-reach, reach, 2 * round(reach) + 1)
    strips = [
        gaussian_filter(profiles(np.ascontiguousarray(lab[..., i]), spots, across, at), BLUR)
        for i in range(3)
    ]
    change = np.sqrt(sum(np.gradient(strip, axis=1) ** 2 for strip in strips))
    gain = change / (np.quantile(change, 0.97) + 1e-9) - PULL * (at / reach) ** 2
    gain[[0, -1]] -= HELD * np.abs(at)
    return np.asarray(spots + at[best_line(gain, JUMP_COST, MAX_JUMP)][:, None] * across)


def best_line(gain: Array, jump_cost: float, most_jump: int) -> npt.NDArray[np.intp]:
    """Column (rows,) of the line with the greatest sum of gain that never jumps far.

    Dynamic programming for contours: Amini, Weymouth, Jain, IEEE Trans. PAMI 12, 1990.
    """
    rows, columns = gain.shape
    best, came = gain[0].copy(), np.zeros((rows, columns), np.intp)
    jump = np.arange(-most_jump, most_jump + 1)
    before = np.clip(np.arange(columns)[:, None] + jump[None], 0, columns - 1)
    for row in range(1, rows):
        worth = best[before] - jump_cost * np.abs(jump)[None]
        came[row] = before[np.arange(columns), worth.argmax(axis=1)]
        best = worth.max(axis=1) + gain[row]
    way = [int(best.argmax())]
    for row in range(rows - 1, 0, -1):
        way.append(int(came[row, way[-1]]))
    return np.array(way[::-1])
