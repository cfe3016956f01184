"""A camera with the small faults of a phone's: tilt, lens bending, a rounded focal length."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tools.traced.base import Array

FULL_FRAME_DIAGONAL_MM = 43.267
MAX_TILT_DEG = 46.0
# Rendered a little larger, so that bending the picture leaves no empty rim.
RIM = 1.06
# Left, top, width and height of what is rendered, in px of the picture with its rim.
Part = tuple[int, int, int, int]


@dataclass(frozen=True)
class TracedCamera:
    """place : optical centre (3,) mm. turn : rows right, down, sight (3, 3) in the world.

    bend : first radial term of the lens; the picture is rendered straight and bent afterwards.
    """

    width: int
    height: int
    focal_px: float
    place: Array
    turn: Array
    bend: float = 0.0

    @property
    def middle(self) -> Array:
        return np.array([(self.width - 1) / 2, (self.height - 1) / 2])

    @property
    def focal_35mm(self) -> float:
        return self.focal_px * FULL_FRAME_DIAGONAL_MM / float(np.hypot(self.width, self.height))

    def see(self, points: Array) -> Array:
        """Pixels (n, 2), whole numbers at centres, of points (n, 3) in the world."""
        seen = (np.atleast_2d(points) - self.place) @ self.turn.T
        flat = seen[:, :2] / seen[:, 2:]
        bent = flat * (1 + self.bend * (flat**2).sum(1, keepdims=True))
        return np.asarray(self.focal_px * bent + self.middle)

    def project(self, points: Array, height_mm: Array | float) -> Array:
        """Pixels (n, 2) of places (n, 2) at heights above the root plane, mm."""
        tall = np.broadcast_to(np.asarray(height_mm, float), len(points))
        return self.see(np.column_stack([points, tall]))

    def straight_pixels(self) -> Array:
        """For every pixel of the bent picture the place in a straight one (height, width, 2)."""
        u, v = np.meshgrid(np.arange(self.width), np.arange(self.height))
        bent = (np.stack([u, v], axis=-1) - self.middle) / self.focal_px
        flat = bent
        for _ in range(8):
            flat = bent / (1 + self.bend * (flat**2).sum(-1, keepdims=True))
        return np.asarray(flat * self.focal_px + self.middle)


def random_traced_camera(
    rng: np.random.Generator, width: int, height: int, reach_mm: float, hard: float
) -> TracedCamera:
    """A hand-held camera that has the base in view."""
    focal_35mm = float(rng.uniform(23, 52))
    focal = focal_35mm * float(np.hypot(width, height)) / FULL_FRAME_DIAGONAL_MM
    # So that the roots fill a third to nine tenths of the picture.
    fill = float(rng.uniform(0.4, 0.95)) * height / 2
    away = float(np.clip(focal * reach_mm / fill, 260, 1500))
    tilt = np.radians(float(abs(rng.normal(0, 6 + 15 * hard))))
    tilt = float(np.clip(tilt, 0, np.radians(MAX_TILT_DEG)))
    side, roll = rng.uniform(0, 2 * np.pi, 2)
    sight = np.array([np.sin(tilt) * np.cos(side), np.sin(tilt) * np.sin(side), -np.cos(tilt)])
    right = np.array([np.cos(roll), np.sin(roll), 0.0])
    right = right - sight * (right @ sight)
    right /= np.linalg.norm(right)
    aim = np.append(rng.normal(0, 0.18 * reach_mm, 2), 0.0)
    turn = np.stack([right, np.cross(sight, right), sight])
    return TracedCamera(width, height, focal, aim - sight * away, turn, float(rng.normal(0, 0.012)))
