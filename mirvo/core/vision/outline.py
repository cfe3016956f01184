"""A trunk outline snapped to the picture from a rough one."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from mirvo.core.errors import BadInput
from mirvo.core.measure.uncertainty import Array
from mirvo.core.vision.contour import best_line
from mirvo.core.vision.edges import profiles

RAYS = 72
FROM_SHARE, TO_SHARE, STEPS = 0.86, 1.14, 70
JUMP_COST, MOST_JUMP = 0.15, 2
PULL = 1.2
KEPT = 36


def snap_outline(picture: npt.NDArray[np.uint8], rough: Array) -> Array:
    """The closed line of strongest change close to a rough outline.

    Parameters
    ----------
    picture : (height, width, 3), red, green, blue. rough : (n, 2), px, star-shaped about
        its middle, as an ellipse is.

    Returns
    -------
    (36, 2), px, clockwise from above.

    Raises
    ------
    BadInput : the rough outline encloses nothing.
    """
    import cv2  # heavy: only where a photo is really looked at
    from scipy.ndimage import gaussian_filter

    middle, radii, direction = _rays(rough)
    share = np.linspace(FROM_SHARE, TO_SHARE, STEPS)
    reach = float(radii.mean())
    lab = cv2.cvtColor(picture, cv2.COLOR_RGB2LAB)
    strips = []
    for channel in range(3):
        plane = np.ascontiguousarray(lab[..., channel])
        strip = np.stack(
            [
                profiles(plane, middle[None], one, reach * r * share)[0]
                for one, r in zip(direction, radii / reach, strict=True)
            ]
        )
        strips.append(gaussian_filter(strip, (1.0, 2.0), mode=("wrap", "nearest")))
    change = np.sqrt(sum(np.gradient(strip, axis=1) ** 2 for strip in strips))
    change = change / (np.quantile(change, 0.95) + 1e-9)
    change -= PULL * ((share - 1.0) / (TO_SHARE - 1.0)) ** 2
    chosen = share[_closed_line(change)]
    points = middle + (radii * chosen)[:, None] * direction
    return np.asarray(points[:: RAYS // KEPT])


def ellipse_points(a: Array, b: Array, count: int = RAYS) -> Array:
    """Points (count, 2) of the upright ellipse in the box between two corners (2,), px."""
    middle, half = (a + b) / 2, np.abs(b - a) / 2
    turn = np.arange(count) * 2 * np.pi / count
    return np.asarray(middle + half * np.stack([np.sin(turn), -np.cos(turn)], axis=1))


def _rays(rough: Array) -> tuple[Array, Array, Array]:
    """Middle (2,), radii (rays,) and unit vectors (rays, 2) of an outline seen from its middle."""
    middle = rough.mean(axis=0)
    away = rough - middle
    length = np.hypot(*away.T)
    if len(rough) < 3 or float(length.min()) < 2.0:
        raise BadInput("trunk.outline", "draw it larger, round the whole trunk")
    angle = np.arctan2(away[:, 0], -away[:, 1])
    order = np.argsort(angle)
    turn = np.arange(RAYS) * 2 * np.pi / RAYS
    radii = np.interp(turn, angle[order], length[order], period=2 * np.pi)
    return middle, radii, np.stack([np.sin(turn), -np.cos(turn)], axis=1)


def _closed_line(gain: Array) -> npt.NDArray[np.intp]:
    """Column (rays,) of the best line round; walked twice so that its ends meet."""
    line, half = best_line(np.concatenate([gain, gain]), JUMP_COST, MOST_JUMP), len(gain) // 2
    return np.concatenate([line[len(gain) : len(gain) + half], line[half : len(gain)]])
