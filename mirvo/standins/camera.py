"""A pinhole camera over the plan frame, with the small faults of a real one."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from mirvo.standins.base import Array

FOCAL_35MM = 48
PHONE_FOCAL_35MM = 26
# Each step gains about a digit; six are below a hundredth of a pixel.
UNDISTORT_STEPS = 6


@dataclass(frozen=True)
class Camera:
    """Where the camera is and what lens it has.

    `roll_deg` turns the picture about its axis, clockwise seen from above; `radial` is the
    lens's first radial term: a point at distance r (in focal lengths) is seen at r(1 + radial r²).
    """

    width: int = 2016
    height: int = 1512
    above_mm: float = 700.0
    tilt_deg: float = 3.0
    tilt_toward_deg: float = 40.0
    roll_deg: float = 0.0
    aim_mm: tuple[float, float] = (0.0, 0.0)
    focal_35mm: float = FOCAL_35MM
    radial: float = 0.0

    @property
    def focal_px(self) -> float:
        # A full frame's diagonal is 43.27 mm; the focal length is given for that.
        return self.focal_35mm * float(np.hypot(self.width, self.height)) / 43.27

    @property
    def middle(self) -> Array:
        return np.array([(self.width - 1) / 2, (self.height - 1) / 2])

    def axes(self) -> Array:
        """Rows: picture right, picture down, line of sight, in plan coordinates (z up)."""
        side = np.radians(self.tilt_toward_deg)
        lean = np.radians(self.tilt_deg)
        sight = np.array([np.sin(side) * np.sin(lean), np.cos(side) * np.sin(lean), -np.cos(lean)])
        roll = np.radians(self.roll_deg)
        right = np.array([np.cos(roll), np.sin(roll), 0.0])
        # Made square to the line of sight, so that roll and tilt stay apart.
        right -= sight * (right @ sight)
        right /= np.linalg.norm(right)
        return np.stack([right, np.cross(sight, right), sight])

    def place(self) -> Array:
        """Optical centre: so that the line of sight meets the aim on the root plane."""
        sight = self.axes()[2]
        return np.asarray(np.array([*self.aim_mm, 0.0]) - sight * (self.above_mm / -sight[2]))

    def project(self, points: Array, height_mm: Array | float) -> Array:
        """Pixels (n, 2) of plan points (n, 2) at heights above the root plane."""
        return self.see(np.column_stack([points, np.broadcast_to(height_mm, len(points))]))

    def see(self, solid: Array) -> Array:
        """Pixels (n, 2) of points in space (n, 3), mm, z up from the root plane."""
        seen = (solid - self.place()) @ self.axes().T
        flat = seen[:, :2] / seen[:, 2:]
        bent = flat * (1 + self.radial * (flat**2).sum(1, keepdims=True))
        return np.asarray(self.focal_px * bent + self.middle)

    def rays(self) -> Array:
        """Direction (height, width, 3) of every pixel, one along the line of sight."""
        u, v = np.meshgrid(
            np.arange(self.width, dtype=np.float32), np.arange(self.height, dtype=np.float32)
        )
        # The lens bends where a ray is seen, so the way back is found step by step.
        du, dv = (u - self.middle[0]) / self.focal_px, (v - self.middle[1]) / self.focal_px
        flat_u, flat_v = du, dv
        for _ in range(UNDISTORT_STEPS if self.radial else 0):
            stretch = 1 + self.radial * (flat_u**2 + flat_v**2)
            flat_u, flat_v = du / stretch, dv / stretch
        axes = self.axes().astype(np.float32)
        return np.asarray(
            flat_u[..., None] * axes[0] + flat_v[..., None] * axes[1] + axes[2], np.float32
        )


def random_camera(seed: int, width: int = 2016, height: int = 1512) -> Camera:
    """A hand-held camera looking down: height, tilt, roll and aim as a person holds it."""
    rng = np.random.default_rng(seed + 99)
    return Camera(
        width,
        height,
        above_mm=float(rng.uniform(690, 800)),
        tilt_deg=float(rng.uniform(0.5, 6)),
        tilt_toward_deg=float(rng.uniform(0, 360)),
        roll_deg=float(rng.normal(0, 3)),
        aim_mm=(float(rng.uniform(-7, 7)), float(rng.uniform(-7, 7))),
    )


def phone_camera(
    seed: int,
    most_tilt_deg: float = 18.0,
    size: tuple[int, int] = (4032, 3024),
    aim_mm: tuple[float, float] = (0.0, -70.0),
) -> Camera:
    """A phone held anywhere: 450 to 1200 mm above, tilted up to a limit, rolled freely."""
    rng = np.random.default_rng(seed + 4242)
    return Camera(
        *size,
        above_mm=float(rng.uniform(450, 1200)),
        tilt_deg=float(rng.uniform(0, most_tilt_deg)),
        tilt_toward_deg=float(rng.uniform(0, 360)),
        roll_deg=float(rng.normal(0, 8)),
        aim_mm=(aim_mm[0] + float(rng.uniform(-15, 15)), aim_mm[1] + float(rng.uniform(-15, 15))),
        focal_35mm=PHONE_FOCAL_35MM,
    )


def oblique_camera(seed: int, number: int, of: int) -> Camera:
    """One of several shots from round about, as a crown in the way forces them."""
    rng = np.random.default_rng(seed + 808)
    start = float(rng.uniform(0, 360))
    return Camera(
        2016,
        1512,
        above_mm=float(rng.uniform(430, 520)),
        # A crown is in the way from above, so one shoots from beside it.
        tilt_deg=float(rng.uniform(32, 42)),
        tilt_toward_deg=(start + 360.0 / of * number) % 360.0,
        roll_deg=float(rng.normal(0, 5)),
        aim_mm=(0.0, -70.0),
        focal_35mm=PHONE_FOCAL_35MM,
    )
