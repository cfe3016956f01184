"""The elevation frame of one side photo: x right, z up, z = 0 on the marked soil line.

The photo is read on the upright plane through the trunk's axis. A point that stands
nearer to the camera than that plane is drawn back by the camera's place, as heights
above the root plane are in a view from above.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from mirvo.core.measure.calibration import calibrate_by, tilt_draws
from mirvo.core.measure.plane_map import PhotoInfo, PlaneMap
from mirvo.core.measure.side_marks import SideMarks
from mirvo.core.measure.uncertainty import Array, Draws

UNKNOWN_PITCH_SD_DEG = 6.0
# How well a reference stands in the plane of the trunk's axis, put there by eye.
BESIDE_SD_MM, TURNED_SD_DEG = 4.0, 3.5
USUAL_DISTANCE_MM = 600.0
FLAT_KINDS = ("segment", "ellipse")
UNKNOWN_PITCH = (
    "The camera's pitch is unknown, so nearer points may stand higher than they look; the ± is "
    "wider for it. Stand a card upright beside the trunk to have it solved."
)


@dataclass
class Elevation:
    """Map of one side photo for every draw; `origin`, `right` and `up` are (rows, 2)."""

    plane: PlaneMap
    draws: Draws
    origin: Array
    right: Array
    up: Array

    @property
    def has_pitch(self) -> bool:
        """Whether the calibration shows how the camera looks up or down."""
        return self.plane.kind not in FLAT_KINDS

    def points(self, pixels: Any, nearer_mm: Array | float = 0.0) -> Array:
        """x and z (rows, n, 2), mm, of marked points that stand `nearer_mm` to the camera.

        nearer_mm : a number or broadcasts to (rows, n).
        """
        return self.of_draws(self.draws.points(pixels), nearer_mm)

    def of_draws(self, pixels: Array, nearer_mm: Array | float = 0.0) -> Array:
        """As `points`, for pixels already drawn, (rows, n, 2)."""
        away = self.plane.to_plane(pixels, nearer_mm) - self.origin[:, None]
        x = (away * self.right[:, None]).sum(-1)
        z = (away * self.up[:, None]).sum(-1)
        return np.stack([x, z], axis=-1)

    def shift_x(self, x: Array) -> None:
        """Move x = 0 to `x` (rows,)."""
        self.origin = self.origin + x[:, None] * self.right


def elevation(
    marks: SideMarks, photo: PhotoInfo, draws: Draws, card_corners: Array | None = None
) -> Elevation:
    """The elevation frame of one photo; x = 0 is still where the soil line's first mark lies.

    Raises
    ------
    BadInput : when the calibration does not determine a map.
    """
    plane = calibrate_by(marks, photo, draws, card_corners)
    if plane.kind not in FLAT_KINDS:
        _draw_place(plane, draws)
    ends = plane.to_plane(draws.points(marks.soil_line))
    along = ends[:, 1] - ends[:, 0]
    if (marks.soil_line[1][0] - marks.soil_line[0][0]) < 0:
        along = -along
    right = along / np.hypot(along[:, 0], along[:, 1])[:, None]
    up = np.stack([right[:, 1], -right[:, 0]], axis=1)
    if plane.kind in FLAT_KINDS:
        _draw_pitch(plane, up, draws)
    return Elevation(plane, draws, ends[:, 0], right, up)


def _draw_place(plane: PlaneMap, draws: Draws) -> None:
    """Let the reference stand nearer or farther than the trunk's axis, and not quite along it.

    Nobody sees a few millimetres of depth, a card that is turned a little, or a trunk that leans
    toward the camera; each of them moves widths by a percent.
    """
    plane.reference_height = plane.reference_height + draws.scalars(0.0, BESIDE_SD_MM)
    height = np.where(np.isfinite(plane.camera_height), plane.camera_height, USUAL_DISTANCE_MM)
    turned = tilt_draws(plane.foot, height, draws, TURNED_SD_DEG)
    plane.to_reference = turned @ plane.to_reference


def _draw_pitch(plane: PlaneMap, up: Array, draws: Draws) -> None:
    """Let the camera stand a little higher or lower in every draw."""
    rise = np.tan(draws.scalars(0.0, np.radians(UNKNOWN_PITCH_SD_DEG)))
    distance = np.where(np.isfinite(plane.camera_height), plane.camera_height, 0.0)
    plane.foot = plane.foot + (rise * distance)[:, None] * up
    plane.warnings.append(UNKNOWN_PITCH)
