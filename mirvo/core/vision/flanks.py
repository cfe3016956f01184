"""The two ends of a root's width set to the flanks the photo shows, as far as it shows them.

A hand strays by a pixel or two; the run of a flank beside the click says where it should have
been. Both are weighed (Bayes): the hand as a normal distribution, the picture as the odds of
bark against ground on each side of a straight flank that widens or tapers. What bark and ground
look like is learnt beside that very root (Fisher's linear discriminant, Annals of Eugenics 7,
1936). Where the picture shows nothing, the points stay where the hand set them.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from mirvo.core.measure.geometry import arc_lengths, dense, normals
from mirvo.core.measure.uncertainty import Array
from mirvo.core.vision.edges import profiles

# Longer runs would follow the root into its taper.
ALONG_WIDTHS = 1.5
CLEAR_OF_BASE = 0.05
SMOOTH_WIDTHS = 0.6
REACH_SDS = 3.5
CLEAR_SDS = 2.5
# Half a pixel is as fine as a lens resolves.
STEP_PX = 0.5
BLUR_PX = 1.0
MIN_WIDTH_PX, MAX_WIDTH_PX, MIN_RUN_PX = 8.0, 800.0, 6.0
DARKEST = 8.0
# No single sample may speak louder than a typical one and a half times.
TYPICAL = 1.5
# Neighbouring samples repeat one another; so many square pixels count as one.
SAME_SAMPLE_PX2 = 350.0
SOFT_EDGE_PX = 0.5
# Roots taper outward by some six parts in a hundred of their length.
USUAL_SLOPE, SLOPE_SD = -0.06, 0.06
SLOPES = np.linspace(-0.25, 0.10, 8)


@dataclass(frozen=True)
class Flanks:
    """points : (2, 2), px, in the order given. sd_px : (2,), how far each may still be off."""

    points: Array
    sd_px: Array


def set_to_flanks(
    picture: npt.NDArray[np.uint8], width: Array, path: Array, click_sd_px: float
) -> Flanks:
    """Ends of a width moved to the flanks seen near them.

    Parameters
    ----------
    picture : (height, width, 3), red, green, blue, full size.
    width : (2, 2), px, the two points as they were set.
    path : (n, 2), px, n >= 2, of the root, from the trunk outward.
    click_sd_px : standard deviation of a click; 0 leaves the points as they are. So do widths
        too small to show a flank, or so large that a click's error is nothing to them.
    """
    hand = Flanks(width, np.full(2, float(click_sd_px)))
    wide = float(np.hypot(*(width[1] - width[0])))
    # A large width suffers little from a click, a small one shows no flank.
    if click_sd_px <= 0 or not MIN_WIDTH_PX <= wide <= MAX_WIDTH_PX:
        return hand
    run = _run_beside(width, path, wide)
    if run is None:
        return hand
    middles, across, along = run
    reach = wide + REACH_SDS * click_sd_px
    at = np.arange(-reach, reach + STEP_PX / 2, STEP_PX)
    colours = _colours(picture, middles, across, at)
    moved = [_flank(colours[:, ::side], at, along, wide / 2, click_sd_px) for side in (-1, 1)]
    outward = (width[1] - width[0]) / wide * np.array([[-1.0], [1.0]])
    shift, sd = np.array(moved).T
    return Flanks(width + shift[:, None] * outward, sd)


def _run_beside(width: Array, path: Array, wide: float) -> tuple[Array, Array, Array] | None:
    """Middles (n, 2) of the root beside its width, unit vectors across it, and how far along.

    Outward from the width, or inward when the path ends there; None when it is too short.
    """
    total = float(arc_lengths(path[None])[0, -1])
    if total < MIN_RUN_PX:
        return None
    line = dense(path, STEP_PX)
    at = np.linspace(0.0, total, len(line))
    middle = width.mean(axis=0)
    start = int(np.hypot(*(line - middle).T).argmin())
    steps = np.arange(CLEAR_OF_BASE * wide, ALONG_WIDTHS * wide, 1.0)
    # At the end of a path there is no root left outward, so it is read inward.
    inward = total - at[start] < max(MIN_RUN_PX, 0.3 * wide)
    along = -steps if inward else steps
    along = along[(at[start] + along >= 0.0) & (at[start] + along <= total)]
    if len(along) < MIN_RUN_PX:
        return None
    there = np.rint((at[start] + along) / at[1]).astype(int)
    across = normals(line, SMOOTH_WIDTHS * wide / STEP_PX)[there]
    # The way across follows the hand's two points, so that left stays left.
    across = across * np.sign(across.mean(axis=0) @ (width[1] - width[0]))
    aside = ((middle - line[start]) * across).sum(axis=1, keepdims=True)
    return line[there] + aside * across, across, along


def _colours(picture: npt.NDArray[np.uint8], middles: Array, across: Array, at: Array) -> Array:
    """Brightness and two tints (n, m, 3) beside the run; logarithms, so that shade counts less."""
    import cv2  # heavy: only where a photo is really looked at

    rim = np.abs(at).max() + 4 * BLUR_PX
    size = np.array(picture.shape[1::-1])
    low = np.clip(np.floor(middles.min(axis=0) - rim), 0, size - 1).astype(int)
    high = np.clip(np.ceil(middles.max(axis=0) + rim), 1, size).astype(int)
    part = picture[low[1] : high[1], low[0] : high[0]].astype(np.float32)
    logs = cv2.GaussianBlur(np.log(part + DARKEST), (0, 0), BLUR_PX)
    evidence = [logs.mean(axis=2), logs[..., 0] - logs[..., 1], logs[..., 2] - logs[..., 1]]
    spots = middles - low
    return np.stack(
        [profiles(np.ascontiguousarray(layer), spots, across, at) for layer in evidence], -1
    )


def _flank(
    colours: Array, at: Array, along: Array, half: float, click_sd: float
) -> tuple[float, float]:
    """How far outward one flank lies from the hand's point, px, and the deviation left."""
    odds = _odds(colours, at, half, CLEAR_SDS * click_sd)
    inside = np.cumsum(odds * STEP_PX, axis=1) - odds * STEP_PX / 2
    offsets = np.arange(-REACH_SDS, REACH_SDS + 0.01, 0.25) * click_sd
    edge = half + offsets[:, None, None] + SLOPES[None, :, None] * along
    place = ((edge - at[0]) / STEP_PX).clip(0, len(at) - 1.001)
    row, column, share = np.arange(len(along)), place.astype(int), place % 1.0
    summed = inside[row, column] * (1 - share) + inside[row, column + 1] * share
    seen = summed.sum(axis=2) / SAME_SAMPLE_PX2
    hand = ((offsets / click_sd) ** 2)[:, None] / 2
    taper = ((SLOPES - USUAL_SLOPE) / SLOPE_SD) ** 2 / 2
    # Less the greatest before the exponential, so that it cannot overflow.
    chance = np.exp(seen - hand - taper - (seen - hand - taper).max()).sum(axis=1)
    chance /= chance.sum()
    mean = float(chance @ offsets)
    return mean, float(np.hypot(np.sqrt(chance @ (offsets - mean) ** 2), SOFT_EDGE_PX))


def _odds(colours: Array, at: Array, half: float, clear: float) -> Array:
    """Log odds (n, m) of bark against ground, learnt from what surely is the one or the other."""
    kinds = [
        colours[:, (at > -half / 2) & (at < max(0.9 * half - clear, 0.2 * half))],
        colours[:, (at > half + 0.6 * clear) & (at < half + clear + max(10.0, 0.7 * half))],
    ]
    bark, ground = (kind.reshape(-1, colours.shape[-1]) for kind in kinds)
    spread = (np.cov(bark.T) + np.cov(ground.T)) / 2 + 1e-5 * np.eye(bark.shape[1])
    slope = np.linalg.solve(spread, bark.mean(axis=0) - ground.mean(axis=0))
    odds = (colours - (bark.mean(axis=0) + ground.mean(axis=0)) / 2) @ slope
    # Odds are capped: a glint is not proof.
    most = TYPICAL * float((bark.mean(axis=0) - ground.mean(axis=0)) @ slope) / 2
    return np.asarray(np.clip(odds, -most, most))
