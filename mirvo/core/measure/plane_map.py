"""What is known of a photo, and its map to any plane parallel to the roots.

A point that really lies z mm above the reference plane appears there displaced away from the
camera's foot, so it is drawn back by the factor 1 - z / camera height: the plane-induced
homography (Hartley & Zisserman, Multiple View Geometry, 2nd ed., section 13.1) written for
parallel planes.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from mirvo.core.measure.geometry import away_from, scaled
from mirvo.core.measure.pose import USUAL_FOCAL_35MM, unbend
from mirvo.core.measure.records import CalibrationQuality
from mirvo.core.measure.uncertainty import Array

FULL_FRAME_DIAGONAL_MM = 43.27
COARSE_PX_PER_MM = 2.0


@dataclass(frozen=True)
class PhotoInfo:
    """What is known of the photo itself: size in px and focal length as 35 mm equivalent."""

    width: int
    height: int
    focal_length_35mm: float | None = None

    @property
    def focal_px(self) -> float | None:
        return None if self.focal_length_35mm is None else self.px_of_focal(self.focal_length_35mm)

    @property
    def usual_focal_px(self) -> float:
        """The focal length as given, else a usual phone's."""
        return self.focal_px or self.px_of_focal(USUAL_FOCAL_35MM)

    def px_of_focal(self, focal_35mm: float) -> float:
        diagonal = float(np.hypot(self.width, self.height))
        return focal_35mm * diagonal / FULL_FRAME_DIAGONAL_MM

    @property
    def centre(self) -> Array:
        return np.array([(self.width - 1) / 2, (self.height - 1) / 2])


@dataclass
class PlaneMap:
    """Map from photo to planes parallel to the root plane, for every draw.

    to_reference : (rows, 3, 3), px to mm on the reference plane, x right, y down.
    foot : (rows, 2), mm, the point of the reference plane straight below the camera.
    camera_height : (rows,), mm above the reference; infinite in row 0 when unknown.
    reference_height : (rows,), mm of the reference above the root plane.
    centre : (2,), focal : (rows,), radial : (rows,) : the lens, taken out before the map; px.
    """

    kind: str
    to_reference: Array
    foot: Array
    camera_height: Array
    reference_height: Array
    centre: Array
    focal: Array
    radial: Array
    tilt_deg: float | None = None
    residual_mm: float | None = None
    warnings: list[str] = field(default_factory=list)

    def to_plane(self, points: Array, height_mm: Array | float = 0.0) -> Array:
        """Points (rows, n, 2) in px to mm on the plane `height_mm` above the roots.

        `height_mm` is a number or broadcasts to (rows, n).
        """
        straight = unbend(points, self.centre, self.focal, self.radial)
        flat = apply_homography(self.to_reference, straight)
        above = np.asarray(height_mm) - self.reference_height[:, None]
        factor = 1.0 - above / self.camera_height[:, None]
        return scaled(self.foot, away_from(self.foot, flat), factor)

    def to_photo(self, points_mm: Array, height_mm: Array | float = 0.0) -> Array:
        """Pixels (n, 2) of points (n, 2), mm, at heights above the roots, a number or (n,).

        The way back of `to_plane` for the marks as set; inverse of the lens to 0.1 px.
        """
        above = np.asarray(height_mm) - self.reference_height[0]
        factor = np.broadcast_to(1.0 - above / self.camera_height[0], len(points_mm))
        flat = self.foot[0] + (points_mm - self.foot[0]) / factor[:, None]
        back = np.asarray(np.linalg.inv(self.to_reference[:1]), dtype=float)
        straight = apply_homography(back, np.asarray(flat[None], dtype=float))[0]
        away = straight - self.centre
        bend = float(self.radial[0] / self.focal[0] ** 2) * (away**2).sum(-1)
        return np.asarray(self.centre + away * (1.0 + bend)[:, None])

    def px_per_mm(self, at: Array) -> float:
        """Mean magnification near the photo point `at` (2,), px per mm on the root plane."""
        corners = at + np.array([[-5.0, -5.0], [5.0, -5.0], [5.0, 5.0], [-5.0, 5.0]])
        rows = self.to_reference.shape[0]
        mapped = self.to_plane(np.broadcast_to(corners, (rows, 4, 2)), 0.0)[0]
        return float(10.0 / np.sqrt(abs(_area(mapped))))

    def quality(self, at: Array) -> CalibrationQuality:
        """What is said of the map near the photo point `at` (2,): scale, pose, misfit, warnings."""
        density = self.px_per_mm(at)
        warnings = list(self.warnings)
        if density < COARSE_PX_PER_MM:
            warnings.append(f"Only {density:.1f} px per mm: go closer or use the full-size photo.")
        height = float(self.camera_height[0])
        return CalibrationQuality(
            kind=self.kind,
            px_per_mm=round(density, 2),
            tilt_deg=None if self.tilt_deg is None else round(self.tilt_deg, 1),
            camera_height_mm=round(height) if np.isfinite(height) else None,
            residual_mm=None if self.residual_mm is None else round(self.residual_mm, 2),
            warnings=tuple(warnings),
        )


def apply_homography(matrix: Array, points: Array) -> Array:
    """Map points (rows, n, 2) by homographies (rows, 3, 3)."""
    x, y = points[..., 0], points[..., 1]
    across, down, scale = (x * a + y * b + c for a, b, c in matrix.transpose(1, 2, 0)[..., None])
    return np.stack([across / scale, down / scale], axis=-1)


def _area(polygon: Array) -> float:
    x, y = polygon.T
    return float(0.5 * (x @ np.roll(y, -1) - y @ np.roll(x, -1)))
