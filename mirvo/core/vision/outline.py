"""A trunk outline drawn as an ellipse, set to the picture's own edge where one runs all round.

A trunk that rises straight from the soil shows such an edge; one that runs smoothly into its
flare shows none at the height where it is measured, and the strongest line nearby is another
thing's. So the line found is kept only if it parts two kinds of ground all the way round, close
to what was drawn; otherwise the outline stays as drawn and says how far it may be off.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from mirvo.core.errors import BadInput
from mirvo.core.measure.uncertainty import Array
from mirvo.core.vision.contour import best_line

# One every five degrees: finer than a trunk's bumps.
RAYS = 72
FROM_SHARE, TO_SHARE, STEPS = 0.8, 1.2, 100
SOUGHT_SHARE = 0.13
# Bark is rough but does not leap from ray to ray.
JUMP_COST, MAX_JUMP = 0.15, 2
# Of two edges alike the one nearer to what was drawn is meant.
PULL = 0.8
KEPT = 36
BESIDE = np.arange(2, 9)
MIN_PARTED, MIN_RIGHT_RAYS = 2.0, 0.85
MAX_SHIFT = 0.06
# How far ellipses drawn by hand lay off on photos with truth.
DRAWN_SD_SHARE = 0.025
EDGE_SD_PX, EDGE_SD_SHARE = 0.7, 0.004


@dataclass(frozen=True)
class Outline:
    """points : (36, 2), px, clockwise from above, or as drawn. sd_px : how far the whole outline
    may lie off, one standard deviation. follows : whether an edge of the picture runs there."""

    points: Array
    sd_px: float
    follows: bool


def set_outline(picture: npt.NDArray[np.uint8], drawn: Array) -> Outline:
    """An outline set to the edge that runs all round close to the one drawn, if there is one.

    Parameters
    ----------
    picture : (height, width, 3), red, green, blue. drawn : (n, 2), px, star-shaped about
        its middle, as an ellipse is.

    Raises
    ------
    BadInput : the drawn outline encloses nothing.
    """
    middle, radii, direction = _rays(drawn)
    share = np.linspace(FROM_SHARE, TO_SHARE, STEPS)
    strip = _strip(picture, middle, radii[:, None] * share, direction)
    # How much the colour changes along each ray, in a space where distances look alike.
    change = np.sqrt((np.gradient(strip, axis=1) ** 2).sum(axis=2))
    gain = change / (np.quantile(change, 0.95) + 1e-9) - PULL * ((share - 1.0) / SOUGHT_SHARE) ** 2
    sought = np.flatnonzero(np.abs(share - 1.0) <= SOUGHT_SHARE)
    line = sought[0] + _closed_line(gain[:, sought])
    reach = float(radii.mean())
    if _parts_all_round(strip, line) and abs(float(share[line].mean()) - 1.0) <= MAX_SHIFT:
        sd = float(np.hypot(EDGE_SD_PX, EDGE_SD_SHARE * reach))
        found = middle + (radii * share[line])[:, None] * direction
        return Outline(found[:: RAYS // KEPT], sd, True)
    return Outline(drawn, DRAWN_SD_SHARE * reach, False)


def ellipse_points(a: Array, b: Array, count: int = RAYS) -> Array:
    """Points (count, 2) of the upright ellipse in the box between two corners (2,), px."""
    middle, half = (a + b) / 2, np.abs(b - a) / 2
    turn = np.arange(count) * 2 * np.pi / count
    return np.asarray(middle + half * np.stack([np.sin(turn), -np.cos(turn)], axis=1))


def _rays(drawn: Array) -> tuple[Array, Array, Array]:
    """Middle (2,), radii (rays,) and unit vectors (rays, 2) of an outline seen from its middle."""
    middle = drawn.mean(axis=0)
    away = drawn - middle
    length = np.hypot(*away.T)
    if len(drawn) < 3 or float(length.min()) < 2.0:
        raise BadInput("trunk.outline", "draw it larger, round the whole trunk")
    angle = np.arctan2(away[:, 0], -away[:, 1])
    order = np.argsort(angle)
    turn = np.arange(RAYS) * 2 * np.pi / RAYS
    # Even rays, whichever points were drawn.
    radii = np.interp(turn, angle[order], length[order], period=2 * np.pi)
    return middle, radii, np.stack([np.sin(turn), -np.cos(turn)], axis=1)


def _strip(
    picture: npt.NDArray[np.uint8], middle: Array, lengths: Array, direction: Array
) -> Array:
    """Lightness and two tints (rays, steps, 3) seen along rays from a middle, a little smoothed."""
    import cv2  # heavy: only where a photo is really looked at
    from scipy.ndimage import gaussian_filter

    lab = cv2.cvtColor(picture, cv2.COLOR_RGB2LAB)
    x, y = np.moveaxis((middle + lengths[..., None] * direction[:, None]).astype(np.float32), 2, 0)
    seen = cv2.remap(lab, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    smooth = gaussian_filter(seen.astype(float), (1.0, 2.0, 0.0), mode=("wrap", "nearest", "wrap"))
    return np.asarray(smooth)


def _parts_all_round(strip: Array, line: npt.NDArray[np.intp]) -> bool:
    """Whether what lies just inside a line differs from what lies just outside, on nearly all rays.

    By Fisher's linear discriminant (Annals of Eugenics 7, 1936) of the two rings.
    """
    ray = np.arange(len(line))[:, None]
    rings = [strip[ray, line[:, None] + side * BESIDE] for side in (-1, 1)]
    inner, outer = (ring.reshape(-1, 3) for ring in rings)
    # A touch is added, so that a flat colour gives no singular matrix.
    spread = (np.cov(inner.T) + np.cov(outer.T)) / 2 + 1e-3 * np.eye(3)
    apart = inner.mean(axis=0) - outer.mean(axis=0)
    slope = np.linalg.solve(spread, apart)
    parted = float(np.sqrt(apart @ slope))
    between = (inner.mean(axis=0) + outer.mean(axis=0)) / 2
    sides = [((ring.mean(axis=1) - between) @ slope) for ring in rings]
    right = float(((sides[0] > 0) & (sides[1] < 0)).mean())
    return parted >= MIN_PARTED and right >= MIN_RIGHT_RAYS


def _closed_line(gain: Array) -> npt.NDArray[np.intp]:
    """Column (rays,) of the best line round; walked twice so that its ends meet."""
    line, half = best_line(np.concatenate([gain, gain]), JUMP_COST, MAX_JUMP), len(gain) // 2
    return np.concatenate([line[len(gain) : len(gain) + half], line[half : len(gain)]])
