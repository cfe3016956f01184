"""The simulated overhead camera: a photograph of a made-up base, with its truth beside it."""

from __future__ import annotations

import io
from dataclasses import asdict, dataclass
from datetime import date
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt
from PIL import Image

from mirvo.standins.base import (
    Array,
    Base,
    flare_outline,
    root_path,
    root_widths,
    trunk_outline,
)
from mirvo.standins.scene import CELL_MM, CREST_SHARE, TRUNK_TOP_MM, Layout, Surface, build_surface
from mirvo.standins.truth import true_figures

FOCAL_35MM = 48
MODEL = "Simulated overhead camera"
MARCH_MM = 3.0


@dataclass(frozen=True)
class Camera:
    """Pinhole camera over the plan frame. `roll_deg` turns the picture about its axis."""

    width: int = 2016
    height: int = 1512
    above_mm: float = 700.0
    tilt_deg: float = 3.0
    tilt_toward_deg: float = 40.0
    roll_deg: float = 0.0
    aim_mm: tuple[float, float] = (0.0, 0.0)

    @property
    def focal_px(self) -> float:
        return FOCAL_35MM * float(np.hypot(self.width, self.height)) / 43.27

    def axes(self) -> Array:
        """Rows: picture right, picture down, line of sight, in plan coordinates (z up)."""
        sight = np.array([0.0, 0.0, -1.0])
        side = np.radians(self.tilt_toward_deg)
        lean = np.radians(self.tilt_deg)
        sight = np.array([np.sin(side) * np.sin(lean), np.cos(side) * np.sin(lean), -np.cos(lean)])
        roll = np.radians(self.roll_deg)
        right = np.array([np.cos(roll), np.sin(roll), 0.0])
        right -= sight * (right @ sight)
        right /= np.linalg.norm(right)
        return np.stack([right, np.cross(sight, right), sight])

    def place(self) -> Array:
        """Optical centre: so that the line of sight meets the aim on the root plane."""
        sight = self.axes()[2]
        return np.asarray(np.array([*self.aim_mm, 0.0]) - sight * (self.above_mm / -sight[2]))

    def project(self, points: Array, height_mm: Array | float) -> Array:
        """Pixels (n, 2) of plan points (n, 2) at heights above the root plane."""
        solid = np.column_stack([points, np.broadcast_to(height_mm, len(points))])
        seen = (solid - self.place()) @ self.axes().T
        centre = np.array([(self.width - 1) / 2, (self.height - 1) / 2])
        return np.asarray(self.focal_px * seen[:, :2] / seen[:, 2:] + centre)


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


def take_photo(base: Base, camera: Camera, taken_on: date, layout: Layout | None = None) -> bytes:
    """JPEG with EXIF of one scene."""
    layout = layout or Layout()
    rng = np.random.default_rng(base.seed + 13)
    surface = build_surface(base, layout, float(rng.uniform(200, 340)))
    picture = _render(surface, camera, base)
    noise = np.float32(3.2) * rng.standard_normal(picture.shape, dtype=np.float32)
    down, across = (
        np.linspace(-1, 1, side, dtype=np.float32) ** 2 for side in (camera.height, camera.width)
    )
    dim = 1 - np.float32(0.10) * (down[:, None] + across)
    shot = np.clip((picture + noise) * dim[..., None], 0, 255).astype(np.uint8)
    shot = cv2.GaussianBlur(shot, (0, 0), 0.7)
    out = io.BytesIO()
    Image.fromarray(shot).save(out, "JPEG", quality=88, exif=_exif(taken_on))
    return out.getvalue()


def single_threaded() -> None:
    """For worker processes: they share the cores already, threads within only get in the way."""
    cv2.setNumThreads(1)


def shoot(
    base: Base, seed: int, taken_on: date, size: tuple[int, int]
) -> tuple[bytes, dict[str, Any]]:
    """A photo from a hand-held camera and what it truly shows."""
    camera = random_camera(seed, *size)
    return take_photo(base, camera, taken_on), truth(base, camera)


def truth(base: Base, camera: Camera, layout: Layout | None = None) -> dict[str, Any]:
    """What the photo really shows: figures in mm and degrees, marks at their true pixels."""
    layout = layout or Layout()
    return {
        "base": base.as_json(),
        "camera": asdict(camera),
        "figures": true_figures(base),
        "marks": true_marks(base, camera, layout),
        "segment": {
            "points": camera.project(layout.ruler_ends(), layout.ruler_height_mm).tolist(),
            "length_mm": layout.ruler_length_mm,
            "height_mm": layout.ruler_height_mm,
        },
    }


def true_marks(base: Base, camera: Camera, layout: Layout) -> dict[str, Any]:
    """Marks as a person without any error would set them, calibrated on the pot rim."""
    corners = camera.project(layout.pot_corners(), layout.rim_height_mm)
    front = camera.project(np.array([[0.0, -layout.pot_width_mm * 0.45]]), 0.0)[0]
    return {
        "view": "top",
        "calibration": {
            "kind": "rectangle",
            "corners": corners.tolist(),
            "length_mm": layout.pot_length_mm,
            "width_mm": layout.pot_width_mm,
            "height_above_root_plane_mm": layout.rim_height_mm,
        },
        "front": front.tolist(),
        "trunk": {
            "outline": camera.project(trunk_outline(base)[::3], base.trunk_height_mm).tolist(),
            "height_mm": base.trunk_height_mm,
        },
        "flare": {"outline": camera.project(flare_outline(base)[::3], 0.0).tolist()},
        "roots": [_root_marks(base, i, camera) for i in range(len(base.roots))],
    }


def _root_marks(base: Base, index: int, camera: Camera) -> dict[str, Any]:
    root = base.roots[index]
    path = root_path(base, root)
    widths = root_widths(root, len(path))
    keep = sorted({*range(0, len(path), 4), len(path) - 1})
    crest = camera.project(path[keep], CREST_SHARE * widths[keep])
    return {
        "label": chr(ord("A") + index),
        "path": crest.tolist(),
        "base_width": _across(path, widths, 1, camera),
        "end_width": _across(path, widths, len(path) - 2, camera),
        "height": root.height,
        "feeders": root.feeders,
        "condition": root.condition,
    }


def _across(path: Array, widths: Array, at: int, camera: Camera) -> list[list[float]]:
    step = path[at + 1] - path[at - 1]
    side = np.array([step[1], -step[0]]) / np.hypot(*step) * widths[at] / 2
    ends = camera.project(np.stack([path[at] - side, path[at] + side]), 0.0)
    return [[float(x), float(y)] for x, y in ends]


def _exif(taken_on: date) -> Image.Exif:
    exif = Image.Exif()
    exif[0x0110] = MODEL
    exif[0x0112] = 1
    detail = exif.get_ifd(0x8769)
    detail[0x9003] = f"{taken_on:%Y:%m:%d} 10:30:00"
    detail[0xA405] = FOCAL_35MM
    exif[0x0132] = detail[0x9003]
    return exif


def _render(surface: Surface, camera: Camera, base: Base) -> npt.NDArray[np.float32]:
    u, v = np.meshgrid(
        np.arange(camera.width, dtype=np.float32), np.arange(camera.height, dtype=np.float32)
    )
    axes = camera.axes().astype(np.float32)
    du = (u - (camera.width - 1) / 2) / camera.focal_px
    dv = (v - (camera.height - 1) / 2) / camera.focal_px
    ray = du[..., None] * axes[0] + dv[..., None] * axes[1] + axes[2]
    slope = np.ascontiguousarray(ray[..., :2] / -ray[..., 2:])
    place = camera.place().astype(np.float32)
    level = _first_hit(surface, place, slope, base)
    col, row = _cells(surface, place, slope, level)
    return np.asarray(
        cv2.remap(surface.colour, col, row, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)
    )


def _cells(surface: Surface, place, slope, level):  # type: ignore[no-untyped-def]
    drop = place[2] - level
    x = place[0] + slope[..., 0] * drop
    y = place[1] + slope[..., 1] * drop
    col = (x + surface.half_width_mm) / CELL_MM
    row = (surface.half_depth_mm - y) / CELL_MM
    return col.astype(np.float32), row.astype(np.float32)


def _first_hit(surface: Surface, place, slope, base: Base):  # type: ignore[no-untyped-def]
    """Height at which each ray meets the surface: march near the trunk, settle elsewhere."""
    level = np.zeros(slope.shape[:2], np.float32)
    for _ in range(3):
        col, row = _cells(surface, place, slope, level)
        level = cv2.remap(surface.height, col, row, cv2.INTER_LINEAR, borderValue=-60.0)
        level = np.maximum(level, -60.0)
    ground = np.hypot(place[0] + slope[..., 0] * place[2], place[1] + slope[..., 1] * place[2])
    near = ground < base.radius_mm + base.flare_mm * 1.6 + 45
    rows, cols = np.flatnonzero(near.any(1)), np.flatnonzero(near.any(0))
    part = (slice(rows[0], rows[-1] + 1), slice(cols[0], cols[-1] + 1))
    rays = np.ascontiguousarray(slope[part])
    hit = np.full(rays.shape[:2], np.nan, np.float32)
    for at in np.arange(TRUNK_TOP_MM + MARCH_MM, -6.0, -MARCH_MM, dtype=np.float32):
        col, row = _cells(surface, place, rays, at)
        ground_here = cv2.remap(surface.height, col, row, cv2.INTER_LINEAR)
        fresh = np.isnan(hit) & (ground_here >= at)
        hit[fresh] = np.minimum(ground_here[fresh], at + MARCH_MM)
    level[part] = np.where(np.isnan(hit), level[part], hit)
    return level
