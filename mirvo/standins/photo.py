"""Photographs of a made-up base, with the truth beside them."""

from __future__ import annotations

import io
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from datetime import date
from typing import Protocol

import cv2
import numpy as np
import numpy.typing as npt
from PIL import Image

from mirvo.standins.base import (
    Array,
    Base,
    Truth,
    flare_outline,
    root_path,
    root_widths,
    trunk_outline,
)
from mirvo.standins.camera import Camera, random_camera
from mirvo.standins.card import CardPlace, lay_card
from mirvo.standins.scene import (
    CELL_MM,
    CREST_SHARE,
    TRUNK_TOP_MM,
    Grid,
    Layout,
    Surface,
    build_surface,
)
from mirvo.standins.truth import true_figures

MODEL = "Simulated overhead camera"
# Finer than the thinnest root is high.
MARCH_MM = 3.0
# Nearly from above a ray meets what it first points at; tilted it may be stopped earlier.
STEEP_DEG = 8.0
LOW_MM, LOW_REACH_MM = 15.0, 130.0
SENSOR_NOISE = 3.2
BENCH_LIT = np.array([158, 147, 130], np.float32)
JPEG_QUALITY = 88


@dataclass(frozen=True)
class Light:
    """How the scene is lit and kept: a shadow's edge across the picture, noise, compression."""

    shadow: float = 0.0
    noise: float = SENSOR_NOISE
    quality: int = JPEG_QUALITY


def take_photo(
    base: Base,
    camera: Camera,
    taken_on: date,
    layout: Layout | None = None,
    light: Light | None = None,
) -> bytes:
    """JPEG with EXIF of one scene."""
    layout, light = layout or Layout(), light or Light()
    rng = np.random.default_rng(base.seed + 13)
    surface = build_surface(base, layout, float(rng.uniform(200, 340)))
    picture, level = _render(surface, camera, base)
    if layout.card is not None:
        lay_card(picture, layout.card, _sheet_seen(layout.card, camera), level)
    if light.shadow:
        picture *= _shadow(picture.shape[:2], light.shadow, rng)[..., None]
    noise = np.float32(light.noise) * rng.standard_normal(picture.shape, dtype=np.float32)
    down, across = (
        np.linspace(-1, 1, side, dtype=np.float32) ** 2 for side in (camera.height, camera.width)
    )
    # Lenses are darker toward the corners.
    dim = 1 - np.float32(0.10) * (down[:, None] + across)
    shot = np.clip((picture + noise) * dim[..., None], 0, 255).astype(np.uint8)
    return as_jpeg(shot, taken_on, camera, light.quality)


def as_jpeg(
    shot: npt.NDArray[np.uint8],
    taken_on: date,
    camera: Camera,
    quality: int = JPEG_QUALITY,
    model: str = MODEL,
) -> bytes:
    """The picture, softened as by a lens, as JPEG with date and focal length."""
    out = io.BytesIO()
    # No lens draws a pixel-sharp edge.
    soft = cv2.GaussianBlur(shot, (0, 0), 0.7)
    exif = _exif(taken_on, camera, model)
    Image.fromarray(soft).save(out, "JPEG", quality=quality, exif=exif)
    return out.getvalue()


def shoot(base: Base, seed: int, taken_on: date, size: tuple[int, int]) -> tuple[bytes, Truth]:
    """A photo from a hand-held camera and what it truly shows."""
    camera = random_camera(seed, *size)
    return take_photo(base, camera, taken_on), truth(base, camera)


def truth(base: Base, camera: Camera, layout: Layout | None = None) -> Truth:
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


class Projects(Protocol):
    """A camera as far as truth asks: pixels (n, 2) of points (n, 2), mm, at heights, mm."""

    def project(self, points: Array, height_mm: Array | float) -> Array: ...


def true_marks(
    base: Base, camera: Projects, layout: Layout, letters: Mapping[str, str] | None = None
) -> Truth:
    """Marks as a person without any error would set them, its roots in order of their letters.

    Calibrated on the card when one lies in the scene, else on the pot's rim.
    letters : of the roots, by key; A, B, C … in the order of the base without them.
    """
    letters = letters or {root.key: chr(ord("A") + i) for i, root in enumerate(base.roots)}
    order = sorted(range(len(base.roots)), key=lambda i: letters[base.roots[i].key])
    front = camera.project(np.array([[0.0, -layout.pot_width_mm * 0.45]]), 0.0)[0]
    return {
        "view": "top",
        "calibration": _true_calibration(camera, layout),
        "front": front.tolist(),
        "trunk": {
            "outline": camera.project(trunk_outline(base)[::3], base.trunk_height_mm).tolist(),
            "height_mm": base.trunk_height_mm,
        },
        "flare": {"outline": camera.project(flare_outline(base)[::3], 0.0).tolist()},
        "roots": [_root_marks(base, i, camera, letters) for i in order],
    }


def _true_calibration(camera: Projects, layout: Layout) -> Truth:
    if layout.card is not None:
        return {"kind": "card", "height_above_root_plane_mm": layout.card.height_mm}
    corners = camera.project(layout.pot_corners(), layout.rim_height_mm)
    return {
        "kind": "rectangle",
        "corners": corners.tolist(),
        "length_mm": layout.pot_length_mm,
        "width_mm": layout.pot_width_mm,
        "height_above_root_plane_mm": layout.rim_height_mm,
    }


def card_seen(card: CardPlace, camera: Projects) -> Array:
    """Marker corners (16, 2) px, in the order ids 0 to 3, each clockwise from its top left."""
    return camera.project(card.corners(), card.height_mm)


def _sheet_seen(card: CardPlace, camera: Camera) -> Array:
    return camera.project(card.sheet(), card.height_mm)


def _root_marks(base: Base, index: int, camera: Projects, letters: Mapping[str, str]) -> Truth:
    root = base.roots[index]
    path = root_path(base, root)
    widths = root_widths(root, len(path))
    # A person sets a point every few millimetres, not every two.
    keep = sorted({*range(0, len(path), 4), len(path) - 1})
    # A root is marked along its crest, which stands above the root plane.
    crest = camera.project(path[keep], CREST_SHARE * widths[keep])
    return {
        "label": letters[root.key],
        "path": crest.tolist(),
        "base_width": _across(path, widths, 1, camera),
        "end_width": _across(path, widths, len(path) - 2, camera),
        "height": root.height,
        "feeders": root.feeders,
        "condition": root.condition,
    }


def _across(path: Array, widths: Array, at: int, camera: Projects) -> list[list[float]]:
    step = path[at + 1] - path[at - 1]
    side = np.array([step[1], -step[0]]) / np.hypot(*step) * widths[at] / 2
    ends = camera.project(np.stack([path[at] - side, path[at] + side]), 0.0)
    return [[float(x), float(y)] for x, y in ends]


def _exif(taken_on: date, camera: Camera, model: str) -> Image.Exif:
    exif = Image.Exif()
    exif[0x0110] = model
    # Upright: the picture is stored as it is seen.
    exif[0x0112] = 1
    detail = exif.get_ifd(0x8769)
    detail[0x9003] = f"{taken_on:%Y:%m:%d} 10:30:00"
    detail[0xA405] = round(camera.focal_35mm)
    exif[0x0132] = detail[0x9003]
    return exif


def _shadow(shape: tuple[int, int], depth: float, rng: np.random.Generator) -> Grid:
    """A soft-edged shadow over one side of the picture; `depth` of the light is lost there."""
    turn = rng.uniform(0, 2 * np.pi)
    down, across = np.meshgrid(np.linspace(-1, 1, shape[0]), np.linspace(-1, 1, shape[1]))
    past = (across * np.cos(turn) + down * np.sin(turn) - rng.uniform(-0.4, 0.4)).T
    return np.asarray(1 - depth / (1 + np.exp(-past * 60)), np.float32)


def _render(surface: Surface, camera: Camera, base: Base) -> tuple[Grid, Grid]:
    """Colour (h, w, 3) and height seen (h, w), mm."""
    ray = camera.rays()
    slope = np.ascontiguousarray(ray[..., :2] / -ray[..., 2:])
    place = camera.place().astype(np.float32)
    level = _first_hit(surface, place, slope, base, steep=camera.tilt_deg > STEEP_DEG)
    col, row = _cells(surface, place, slope, level)
    picture = cv2.remap(surface.colour, col, row, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    beyond = (np.minimum(col, row) < 1) | (col > surface.colour.shape[1] - 2)
    beyond |= row > surface.colour.shape[0] - 2
    grain = 1.0 + 0.06 * np.sin(row[beyond] * np.float32(CELL_MM * 0.5))
    picture[beyond] = BENCH_LIT * grain[:, None]
    return np.asarray(picture, np.float32), level


def _cells(surface: Surface, place, slope, level):  # type: ignore[no-untyped-def]
    drop = place[2] - level
    x = place[0] + slope[..., 0] * drop
    y = place[1] + slope[..., 1] * drop
    col = (x + surface.half_width_mm) / CELL_MM
    row = (surface.half_depth_mm - y) / CELL_MM
    return col.astype(np.float32), row.astype(np.float32)


def _first_hit(surface: Surface, place, slope, base: Base, steep: bool):  # type: ignore[no-untyped-def]
    """Height at which each ray meets the surface: march near what stands up, settle elsewhere."""
    level = np.zeros(slope.shape[:2], np.float32)
    # Three rounds settle gentle ground to a tenth of a millimetre.
    for _ in range(3):
        col, row = _cells(surface, place, slope, level)
        level = cv2.remap(surface.height, col, row, cv2.INTER_LINEAR, borderValue=-60.0)
        level = np.maximum(level, -60.0)
    ground = np.hypot(place[0] + slope[..., 0] * place[2], place[1] + slope[..., 1] * place[2])
    lean = TRUNK_TOP_MM * float(np.hypot(slope[..., 0], slope[..., 1]).max()) if steep else 45.0
    trunk = base.radius_mm + base.flare_mm * 1.6 + lean
    if steep:
        _march_within(level, ground < trunk + LOW_REACH_MM, LOW_MM, surface, place, slope)
    _march_within(level, ground < trunk, TRUNK_TOP_MM, surface, place, slope)
    return level


def _march_within(level, near, top_mm, surface, place, slope) -> None:  # type: ignore[no-untyped-def]
    rows, cols = np.flatnonzero(near.any(1)), np.flatnonzero(near.any(0))
    part = (slice(rows[0], rows[-1] + 1), slice(cols[0], cols[-1] + 1))
    rays = np.ascontiguousarray(slope[part])
    level[part] = _march(surface, place, rays, level[part], top_mm)


def _march(surface: Surface, place, rays, settled, top_mm):  # type: ignore[no-untyped-def]
    """Walk the rays down from a height; between two steps the meeting is interpolated."""
    # The first meeting from above is what is seen.
    hit = np.full(rays.shape[:2], np.nan, np.float32)
    over = np.full(rays.shape[:2], MARCH_MM, np.float32)
    for at in np.arange(top_mm + MARCH_MM, -6.0, -MARCH_MM, dtype=np.float32):
        col, row = _cells(surface, place, rays, at)
        here = cv2.remap(surface.height, col, row, cv2.INTER_LINEAR)
        gap = at - here
        fresh = np.isnan(hit) & (gap <= 0)
        share = -gap[fresh] / np.maximum(over[fresh] - gap[fresh], 1e-6)
        hit[fresh] = at + MARCH_MM * np.clip(share, 0, 1)
        over = gap
    return np.where(np.isnan(hit), settled, hit)
