"""A base drawn for the purpose: a disc of bark with four straight roots, seen straight down."""

import cv2
import numpy as np

from mirvo.core.measure.calibration import calibrate
from mirvo.core.measure.marks import read_marks
from mirvo.core.measure.plane_map import PhotoInfo
from mirvo.core.measure.uncertainty import Draws
from mirvo.core.vision.outline import ellipse_points
from mirvo.core.vision.plan_view import plan_view
from tests.marks import top_marks

SIDE = 1000
TRUNK_PX, SCALE = 90.0, 4.0


def base_picture():
    """A disc of bark with four straight tapering roots on grainy soil, seen straight down."""
    rng = np.random.default_rng(4)
    grain = cv2.resize(rng.normal(0, 26, (250, 250, 1)), (SIDE, SIDE))[..., None]
    picture = np.full((SIDE, SIDE, 3), (118.0, 112.0, 104.0)) + grain
    mask = np.zeros((SIDE, SIDE), np.uint8)
    cv2.circle(mask, (500, 500), int(TRUNK_PX), 1, -1)
    for angle in (20, 110, 200, 300):
        turn = np.radians(angle)
        out = np.array([np.sin(turn), -np.cos(turn)])
        across = np.array([-out[1], out[0]])
        start, end = 500 + 80 * out, 500 + 260 * out
        corners = [start + 22 * across, end + 9 * across, end - 9 * across, start - 22 * across]
        cv2.fillPoly(mask, [np.round(corners).astype(np.int32)], 1)
    bark = np.full((SIDE, SIDE, 3), (124.0, 92.0, 62.0)) + rng.normal(0, 4, (SIDE, SIDE, 1))
    picture = np.where(mask[..., None] > 0, bark, picture)
    return np.clip(picture, 0, 255).astype(np.uint8), mask


def view_of(picture, card_px=None):
    ruler = {"kind": "segment", "a": [100.0, 50.0], "b": [500.0, 50.0], "length_mm": 400 / SCALE}
    marks = read_marks(top_marks(calibration=ruler))
    plane = calibrate(marks.calibration, PhotoInfo(SIDE, SIDE, None), Draws(0.0, 1))
    outline = ellipse_points(np.full(2, 500 - TRUNK_PX), np.full(2, 500 + TRUNK_PX))
    return plan_view(picture, plane, outline, 0.0, card_px)
