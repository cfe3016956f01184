"""The simulated turntable: a base photographed from the side, turned from shot to shot.

The base is a wall of quads about the trunk's axis, wider toward the soil and drawn out to
each root; quads are painted from far to near.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

import cv2
import numpy as np

from mirvo.standins.base import Array, Base, Truth, radius_at
from mirvo.standins.camera import Camera
from mirvo.standins.card import ACROSS_MM, DOWN_MM, MARGIN_MM, MARKER_MM, lay_card_print
from mirvo.standins.photo import as_jpeg
from mirvo.standins.scene import BARK, BENCH, SOIL, Grid

MODEL = "Simulated turntable"
TOP_MM = 190.0
LEVELS = 64
SECTORS = 144
# Beside the trunk and clear of it in every view.
CARD_ASIDE_MM = 125.0
CARD_MIDDLE_MM = 75.0
# A root is seen to leave the trunk only where it faces the camera.
FACING = 0.35
EDGE_STEP_MM = 8.0


@dataclass(frozen=True)
class SideCamera:
    """A camera before the turntable: how far from the axis, how it looks down, its picture."""

    distance_mm: float = 720.0
    pitch_deg: float = 6.0
    width: int = 2016
    height: int = 1512
    focal_35mm: float = 40.0
    aim_high_mm: float = 70.0

    def camera(self) -> Camera:
        """The same as a camera of the plan frame: a look down by 90° less its pitch."""
        pitch = np.radians(self.pitch_deg)
        # The aim lies up the trunk; the camera looks at it from a little higher.
        above = self.distance_mm * float(np.sin(pitch)) + self.aim_high_mm
        beyond = self.aim_high_mm / float(np.tan(pitch))
        return Camera(
            self.width,
            self.height,
            above_mm=above,
            tilt_deg=90.0 - self.pitch_deg,
            tilt_toward_deg=0.0,
            aim_mm=(0.0, beyond),
            focal_35mm=self.focal_35mm,
        )


def side_camera(seed: int, size: tuple[int, int] = (2016, 1512)) -> SideCamera:
    """A camera as a person sets it up before the turntable."""
    rng = np.random.default_rng(seed + 31)
    return SideCamera(
        float(rng.uniform(560, 820)), float(rng.uniform(3, 13)), *size, float(rng.uniform(32, 44))
    )


def plane_of(base: Base) -> tuple[float, float, float]:
    """The true root plane z = a + bx + cy, mm, bound to the base's seed."""
    rng = np.random.default_rng(base.seed + 55)
    tilt, toward = np.radians(rng.uniform(1, 8)), rng.uniform(0, 2 * np.pi)
    return (
        float(rng.uniform(3, 9)),
        float(np.tan(tilt) * np.sin(toward)),
        float(np.tan(tilt) * np.cos(toward)),
    )


def wall_radius(base: Base, azimuth_deg: Array, z: Array) -> Array:
    """Radius of the base at heights (m,) and azimuths (n,), (m, n) mm."""
    trunk = radius_at(base, azimuth_deg)[None] * (1 - 0.00035 * z[:, None])
    flare = np.zeros_like(azimuth_deg)
    for root in base.roots:
        away = (azimuth_deg - root.azimuth_deg + 180) % 360 - 180
        flare = np.maximum(flare, np.exp(-((away / 22.0) ** 2)))
    # The flare dies away within half a trunk radius of height.
    foot = np.exp(-z[:, None] / (0.42 * base.radius_mm))
    return np.asarray(trunk + base.flare_mm * (0.35 + 0.65 * flare)[None] * foot)


def emergence(base: Base, index: int) -> Array:
    """Where root `index` leaves the base: x, y, z of the plan frame, mm."""
    a, b, c = plane_of(base)
    rng = np.random.default_rng(base.seed + 70 + index)
    azimuth = np.array([base.roots[index].azimuth_deg])
    turn = np.radians(azimuth[0])
    z = a
    # The wall's radius depends on the height and the height on the radius.
    for _ in range(4):
        radius = float(wall_radius(base, azimuth, np.array([max(z, 0.0)]))[0, 0])
        x, y = radius * np.sin(turn), radius * np.cos(turn)
        z = a + b * x + c * y
    return np.array([x, y, z + rng.normal(0, 0.4)])


def turned(points: Array, turn_deg: float) -> Array:
    """Points (..., 3) after the tree was turned clockwise seen from above."""
    turn = np.radians(turn_deg)
    x = points[..., 0] * np.cos(turn) + points[..., 1] * np.sin(turn)
    y = points[..., 1] * np.cos(turn) - points[..., 0] * np.sin(turn)
    return np.stack([x, y, points[..., 2]], axis=-1)


def wall(base: Base, turn_deg: float) -> Array:
    """Vertices (levels, sectors, 3) of the base, mm."""
    # Levels lie closer near the soil, where the flare bends.
    z = TOP_MM * np.linspace(0, 1, LEVELS) ** 1.6
    azimuth = np.arange(SECTORS) * 360.0 / SECTORS
    radius = wall_radius(base, azimuth, z)
    turn = np.radians(azimuth)
    x, y = radius * np.sin(turn), radius * np.cos(turn)
    return turned(np.stack([x, y, np.broadcast_to(z[:, None], x.shape)], axis=-1), turn_deg)


def true_width(base: Base, turn_deg: float, z: float) -> tuple[float, float]:
    """x of the left and right silhouette at height z, mm, seen level from far away."""
    azimuth = np.arange(0, 360, 0.25)
    radius = wall_radius(base, azimuth, np.array([z]))[0]
    x = radius * np.sin(np.radians(azimuth + turn_deg))
    return float(x.min()), float(x.max())


def side_photo(base: Base, shot: SideCamera, turn_deg: float, taken_on: date) -> bytes:
    """JPEG of one view."""
    camera = shot.camera()
    rng = np.random.default_rng(base.seed + 17)
    picture = np.full((shot.height, shot.width, 3), (198, 196, 188), np.float32)
    picture += rng.normal(0, 2, (shot.height, 1, 1))
    _soil(picture, camera, rng)
    _paint_wall(picture, wall(base, turn_deg), camera, rng)
    lay_card_print(picture, camera.see(card_sheet()))
    picture += rng.normal(0, 3.0, picture.shape)
    return as_jpeg(np.clip(picture, 0, 255).astype(np.uint8), taken_on, camera, model=MODEL)


def card_sheet() -> Array:
    """Corners of the card standing upright beside the trunk, in the plane of its axis."""
    half_x = ACROSS_MM / 2 + MARKER_MM / 2 + MARGIN_MM
    half_z = DOWN_MM / 2 + MARKER_MM / 2 + MARGIN_MM
    return np.array(
        [
            [CARD_ASIDE_MM + x, 0.0, CARD_MIDDLE_MM + z]
            for x, z in ((-half_x, half_z), (half_x, half_z), (half_x, -half_z), (-half_x, -half_z))
        ]
    )


def side_truth(base: Base, shot: SideCamera, turn_deg: float) -> Truth:
    """Marks as a person without any error would set them, and the true figures."""
    camera = shot.camera()
    soil = true_width(base, turn_deg, 0.0)
    heights = np.arange(0.0, 2.15 * (soil[1] - soil[0]), EDGE_STEP_MM)
    edges = np.array([true_width(base, turn_deg, float(z)) for z in heights])
    flat = np.zeros_like(heights)
    emergences = []
    for index in range(len(base.roots)):
        place = turned(emergence(base, index), turn_deg)
        if -place[1] > FACING * np.hypot(place[0], place[1]):
            seen = camera.see(place[None])[0].tolist()
            emergences.append({"label": chr(ord("A") + index), "point": seen})
    return {
        "view": "side",
        "calibration": {"kind": "card"},
        "soil_line": camera.see(np.array([[soil[0], 0, 0], [soil[1], 0, 0]])).tolist(),
        "left_edge": camera.see(np.stack([edges[:, 0], flat, heights], axis=1)).tolist(),
        "right_edge": camera.see(np.stack([edges[:, 1], flat, heights], axis=1)).tolist(),
        "emergences": emergences,
        "turntable_deg": turn_deg,
    }


def side_figures(base: Base, turn_deg: float) -> Truth:
    """True figures of one view: widths and their ratio, heights of the emergences."""

    def width(z: float) -> float:
        left, right = true_width(base, turn_deg, z)
        return right - left

    soil = width(0.0)
    narrowest = min(width(float(z)) for z in np.linspace(0.5 * soil, 2 * soil, 60))
    return {
        "soil_line_width_mm": soil,
        "narrowest_width_mm": narrowest,
        "flare_ratio": soil / narrowest,
        "emergences": {
            chr(ord("A") + i): float(emergence(base, i)[2]) for i in range(len(base.roots))
        },
    }


def _soil(picture: Grid, camera: Camera, rng: np.random.Generator) -> None:
    """The soil as a round field about the trunk, the bench behind it."""
    turn = np.radians(np.arange(0, 360, 4))
    for radius, level, tint in ((400.0, -30.0, BENCH), (150.0, 0.0, SOIL.mean(0))):
        ring = np.stack(
            [radius * np.sin(turn), radius * np.cos(turn), np.full_like(turn, level)], axis=1
        )
        outline = camera.see(ring).astype(np.int32)
        mask = np.zeros(picture.shape[:2], np.uint8)
        cv2.fillPoly(mask, [outline], 1)
        grain = cv2.GaussianBlur(
            rng.standard_normal(picture.shape[:2]).astype(np.float32), (0, 0), 4.0
        )
        inside = mask.astype(bool)
        picture[inside] = (tint * (1 + 0.9 * grain[..., None]))[inside]


def _paint_wall(picture: Grid, vertices: Array, camera: Camera, rng: np.random.Generator) -> None:
    seen = camera.see(vertices.reshape(-1, 3)).reshape(*vertices.shape[:2], 2)
    a, b = vertices[:-1], np.roll(vertices, -1, axis=1)[:-1]
    normal = np.cross(b - a, vertices[1:] - a)
    normal /= np.maximum(np.linalg.norm(normal, axis=2, keepdims=True), 1e-9)
    lit = 0.55 + 0.45 * np.clip(-(normal @ np.array([0.5, -0.75, 0.43])), -0.6, 1)
    grain = cv2.GaussianBlur(rng.standard_normal(lit.shape), (0, 0), 1.0)
    tint = BARK * (np.clip(lit + 0.25 * grain, 0.2, 1.4))[..., None]
    # From far to near, so that nearer quads hide farther ones.
    away = np.linalg.norm(a - camera.place(), axis=2)
    for flat in np.argsort(-away, axis=None):
        level, sector = np.unravel_index(flat, away.shape)
        after = (sector + 1) % SECTORS
        quad = np.array(
            [
                seen[level, sector],
                seen[level, after],
                seen[level + 1, after],
                seen[level + 1, sector],
            ]
        )
        cv2.fillConvexPoly(
            picture, np.round(quad * 16).astype(np.int32), tint[level, sector].tolist(), shift=4
        )
