"""A photo laid flat: the base as seen straight from above, in the tree's plan, at a set scale."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from mirvo.core.measure.calibration import calibrate_by
from mirvo.core.measure.marks import TopMarks
from mirvo.core.measure.plane_map import PhotoInfo
from mirvo.core.measure.top import plan_axes, read_scene
from mirvo.core.measure.uncertainty import Array, Draws

FEW_DRAWS = 1


def plan_picture(
    marks: TopMarks,
    photo: PhotoInfo,
    picture: npt.NDArray[np.uint8],
    turn_deg: float,
    reach_mm: float,
    side_px: int,
    card_corners: Array | None = None,
) -> npt.NDArray[np.uint8]:
    """The root plane as a square picture, trunk centre in its middle, back of the tree on top.

    Parameters
    ----------
    picture : (height, width, 3). turn_deg : added to azimuths, so that two dates fit.
    reach_mm : from the middle to each side. side_px : of the square returned.

    Raises
    ------
    BadInput : the marks do not determine the plan.
    """
    import cv2  # heavy: only where a photo is really looked at

    draws = Draws(0.0, FEW_DRAWS)
    centre, north_deg = plan_axes(read_scene(marks, photo, draws, card_corners))
    plane = calibrate_by(marks, photo, Draws(0.0, FEW_DRAWS), card_corners)
    axis = (np.arange(side_px) - (side_px - 1) / 2) * (2 * reach_mm / side_px)
    right, down = np.meshgrid(axis, axis)
    turn = np.radians(north_deg - turn_deg)
    x = centre[0] + right * np.cos(turn) - down * np.sin(turn)
    y = centre[1] + right * np.sin(turn) + down * np.cos(turn)
    seen = plane.to_photo(np.stack([x.ravel(), y.ravel()], axis=1)).astype(np.float32)
    u, v = seen.reshape(side_px, side_px, 2).transpose(2, 0, 1)
    coarse = plane.px_per_mm(np.array(photo.centre)) * 2 * reach_mm / side_px
    smooth = cv2.GaussianBlur(picture, (0, 0), 0.4 * coarse) if coarse > 1.5 else picture
    flat = cv2.remap(smooth, u, v, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)
    return np.asarray(flat, np.uint8)
