"""The surface the simulated camera looks at: soil grain, bark, pot rim, ruler, light."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt

from mirvo.standins.base import (
    Array,
    Base,
    flare_radius_at,
    radius_at,
    root_path,
    root_widths,
)
from mirvo.standins.card import CardPlace

Grid = npt.NDArray[np.float32]
# Finer than soil grains, coarse enough to be built in a second.
CELL_MM = 0.6
# A surface root lies in the soil for a good third of its thickness.
CREST_SHARE = 0.6
TRUNK_TOP_MM = 60.0
SOIL = np.array([[96, 84, 70], [122, 106, 88], [74, 66, 58], [140, 128, 112]], np.float32)
BARK = np.array([124, 98, 72], np.float32)
BARKS = np.array([[124, 98, 72], [112, 106, 96], [138, 92, 66], [96, 80, 62]], np.float32)
SOILS = np.array([[108, 96, 79], [132, 104, 74], [120, 118, 112], [70, 62, 54]], np.float32)
GLAZE = np.array([70, 82, 92], np.float32)
BENCH = np.array([172, 160, 142], np.float32)


@dataclass(frozen=True)
class Palette:
    """Colours of one scene: bark, and each kind of grain in the soil; red, green, blue."""

    bark: tuple[float, ...] = tuple(BARK.tolist())
    soil: tuple[tuple[float, ...], ...] = tuple(tuple(tint) for tint in SOIL.tolist())


def random_palette(seed: int) -> Palette:
    """One of several barks on one of several soils, each a little off."""
    rng = np.random.default_rng(seed + 311)
    bark = BARKS[rng.integers(len(BARKS))] * rng.uniform(0.85, 1.15)
    middle = SOILS[rng.integers(len(SOILS))] * rng.uniform(0.85, 1.15)
    lights = np.array([0.88, 1.12, 0.72, 1.3])[:, None] ** rng.uniform(0.5, 1.0)
    soil = middle * lights * rng.uniform(0.96, 1.04, (4, 3))
    return Palette(tuple(bark.tolist()), tuple(tuple(tint) for tint in soil.tolist()))


@dataclass(frozen=True)
class Layout:
    """Things about the base with known size: pot rim (inner lengths) and ruler, mm."""

    pot_length_mm: float = 350.0
    pot_width_mm: float = 250.0
    rim_height_mm: float = 10.0
    rim_thickness_mm: float = 9.0
    ruler_length_mm: float = 150.0
    ruler_height_mm: float = 2.0
    card: CardPlace | None = None
    palette: Palette = Palette()

    def pot_corners(self) -> Array:
        """Inner corners of the rim, clockwise from the far left, plan frame."""
        x, y = self.pot_length_mm / 2, self.pot_width_mm / 2
        return np.array([[-x, y], [x, y], [x, -y], [-x, -y]])

    def ruler_ends(self) -> Array:
        y = -self.pot_width_mm / 2 + 16.0
        return np.array([[-self.ruler_length_mm / 2, y], [self.ruler_length_mm / 2, y]])


@dataclass(frozen=True)
class Surface:
    """Height (mm) and lit colour on a grid; row 0 lies farthest from the viewer."""

    height: Grid
    colour: Grid
    half_width_mm: float
    half_depth_mm: float


def build_surface(base: Base, layout: Layout, light_deg: float) -> Surface:
    """Model one scene from a seed-bound base."""
    rng = np.random.default_rng(base.seed + 7)
    half_x, half_y = layout.pot_length_mm / 2 + 90, layout.pot_width_mm / 2 + 90
    x, y = np.meshgrid(
        np.arange(-half_x, half_x, CELL_MM, dtype=np.float32),
        np.arange(half_y, -half_y, -CELL_MM, dtype=np.float32),
    )
    tints = np.array(layout.palette.soil, np.float32)
    bark = np.array(layout.palette.bark, np.float32)
    height, colour = _soil(x.shape, tints, rng)
    for root in base.roots:
        _lay_root(bark, root_path(base, root), root_widths, root, (x, y, height, colour), rng)
    _raise_trunk(base, bark, x, y, height, colour, rng)
    _set_pot(layout, x, y, height, colour, rng)
    _lay_ruler(layout, x, y, height, colour)
    return Surface(height, _light(height, colour, light_deg), half_x, half_y)


def _soil(shape: tuple[int, int], tints: Grid, rng: np.random.Generator) -> tuple[Grid, Grid]:
    """Grains of about 4 mm, each a small dome of one colour."""
    seeds = np.ones(shape, np.uint8)
    # One grain to 11 mm² makes grains of about 4 mm.
    count = int(shape[0] * shape[1] * CELL_MM**2 / 11)
    seeds[rng.integers(0, shape[0], count), rng.integers(0, shape[1], count)] = 0
    away, labels = cv2.distanceTransformWithLabels(
        seeds, cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    tint = tints[rng.integers(0, len(tints), labels.max() + 1)]
    tint = tint * rng.normal(1.0, 0.08, (len(tint), 1)).astype(np.float32)
    lift = rng.uniform(-0.8, 0.8, labels.max() + 1).astype(np.float32)
    dome = np.maximum(0.0, 1.2 - 0.09 * away**2) + lift[labels]
    return (dome - 0.6).astype(np.float32), tint[labels].astype(np.float32)


def _noise(shape: tuple[int, int], cell: int, rng: np.random.Generator) -> Grid:
    small = rng.standard_normal((shape[0] // cell + 2, shape[1] // cell + 2)).astype(np.float32)
    return np.asarray(
        cv2.resize(small, (shape[1], shape[0]), interpolation=cv2.INTER_CUBIC), np.float32
    )


def _lay_root(bark, path, widths_of, root, grids, rng) -> None:  # type: ignore[no-untyped-def]
    x, y, height, colour = grids
    points = path
    widths = widths_of(root, len(points))
    reach = widths.max()
    low, high = points.min(0) - reach, points.max(0) + reach
    cols = np.flatnonzero((x[0] >= low[0]) & (x[0] <= high[0]))
    rows = np.flatnonzero((y[:, 0] >= low[1]) & (y[:, 0] <= high[1]))
    part = (slice(rows[0], rows[-1] + 1), slice(cols[0], cols[-1] + 1))
    gx, gy = x[part], y[part]
    best = np.full(gx.shape, -1.0, np.float32)
    along = np.zeros(gx.shape, np.float32)
    share = np.full(gx.shape, 9.0, np.float32)
    for i in range(len(points) - 1):
        _segment(points, widths, i, gx, gy, (best, along, share))
    inside = share < 1.0
    # Dead bark is grey and dark.
    dull = 0.55 if root.condition == "dead" else 1.0
    streak = 1.0 + 0.10 * np.sin(share * 9.0 + along * 0.35) + 0.08 * np.sin(along * 1.3)
    shade = bark * dull + rng.normal(0, 5)
    tint = shade * streak[..., None]
    # What lies over the other hides it.
    taller = inside & (best > height[part])
    height[part][taller] = best[taller]
    colour[part][taller] = tint[taller]


def _segment(points, widths, i, gx, gy, kept) -> None:  # type: ignore[no-untyped-def]
    best, along, share = kept
    a, step = points[i], points[i + 1] - points[i]
    t = ((gx - a[0]) * step[0] + (gy - a[1]) * step[1]) / float(step @ step)
    t = np.clip(t, 0.0, 1.0)
    away = np.hypot(gx - a[0] - t * step[0], gy - a[1] - t * step[1])
    width = widths[i] + (widths[i + 1] - widths[i]) * t
    ratio = away / (width / 2)
    rise = CREST_SHARE * width * np.sqrt(np.maximum(0.0, 1 - ratio**2))
    better = (ratio < 1) & (rise > best)
    best[better] = rise[better]
    along[better] = ((i + t) * float(np.hypot(*step)))[better]
    share[better] = ratio[better]


def _raise_trunk(
    base: Base,
    bark: Grid,
    x: Grid,
    y: Grid,
    height: Grid,
    colour: Grid,
    rng: np.random.Generator,
) -> None:
    table = np.arange(0, 361.0)
    away = np.hypot(x, y)
    near = away < base.radius_mm + base.flare_mm * 1.6 + 20
    azimuth = np.degrees(np.arctan2(x[near], y[near])) % 360
    trunk = np.interp(azimuth, table, radius_at(base, table))
    flare = np.interp(azimuth, table, flare_radius_at(base, table))
    r = away[near]
    slope = np.clip((flare - r) / np.maximum(flare - trunk, 1e-3), 0, 1)
    rise = base.trunk_height_mm * slope**1.6
    # The trunk rises steeply inside its outline and ends in a cut top.
    inner = np.clip((trunk - r) / (0.34 * trunk), 0, 1)
    rise = np.where(
        r < trunk, base.trunk_height_mm + (TRUNK_TOP_MM - base.trunk_height_mm) * inner, rise
    )
    body = r < flare
    ridges = 1.0 + 0.13 * np.sin(azimuth * 0.6) * np.sin(r * 0.3)
    coarse = _noise(x.shape, 5, rng)[near]
    skin = bark * (0.92 * ridges + 0.10 * coarse)[:, None]
    skin = np.where((inner >= 1)[:, None], bark * 1.25 + 12 * coarse[:, None], skin)
    level, tint = height[near], colour[near]
    taller = body & (rise > level)
    level[taller], tint[taller] = rise[taller], skin[taller]
    height[near], colour[near] = level, tint


def _set_pot(
    layout: Layout, x: Grid, y: Grid, height: Grid, colour: Grid, rng: np.random.Generator
) -> None:
    over = np.maximum(np.abs(x) - layout.pot_length_mm / 2, np.abs(y) - layout.pot_width_mm / 2)
    rim = (over >= 0) & (over < layout.rim_thickness_mm)
    height[rim] = layout.rim_height_mm
    colour[rim] = GLAZE + 6 * _noise(x.shape, 9, rng)[rim][:, None]
    # The bench lies well below the pot.
    outside = over >= layout.rim_thickness_mm
    height[outside] = -60.0
    plank = (
        1.0 + 0.06 * np.sin(y * 0.5 + 2 * _noise(x.shape, 60, rng)) + 0.02 * _noise(x.shape, 3, rng)
    )
    colour[outside] = (BENCH * plank[..., None])[outside]


def _lay_ruler(layout: Layout, x: Grid, y: Grid, height: Grid, colour: Grid) -> None:
    (left, level), (right, _) = layout.ruler_ends()
    body = (x >= left) & (x <= right) & (np.abs(y - level) < 7)
    height[body] = layout.ruler_height_mm
    colour[body] = (226, 216, 190)
    from_left = x - left
    short = (np.abs(from_left % 10 - 5) > 4.5) & (y - level > 2)
    long = (np.abs(from_left % 50 - 25) > 24.4) & (y - level > -3)
    colour[body & (short | long)] = (40, 36, 32)


def _light(height: Grid, colour: Grid, light_deg: float) -> Grid:
    """Lambert light from one side, a soft cast shadow and darker hollows."""
    smooth = cv2.GaussianBlur(np.maximum(height, -8.0), (0, 0), 1.2)
    gx = cv2.Sobel(smooth, cv2.CV_32F, 1, 0, scale=1 / (8 * CELL_MM))
    gy = cv2.Sobel(smooth, cv2.CV_32F, 0, 1, scale=1 / (8 * CELL_MM))
    turn = np.radians(light_deg)
    lx, ly, lz = 0.55 * np.cos(turn), 0.55 * np.sin(turn), 0.83
    lit = (lz - gx * lx - gy * ly) / np.sqrt(1 + gx**2 + gy**2)
    shadow = np.ones_like(height)
    # Higher parts would throw shadows out of the picture.
    solid = np.minimum(height, 40.0)
    for step in range(2, 40, 3):
        moved = cv2.warpAffine(
            solid,
            np.array([[1, 0, -step * lx * 2], [0, 1, -step * ly * 2]], np.float32),
            (height.shape[1], height.shape[0]),
            borderValue=-60.0,
        )
        shadow[moved - step * CELL_MM * 2.6 > solid] = 0.62
    hollow = np.clip(1 + 0.03 * (smooth - cv2.GaussianBlur(smooth, (0, 0), 9)), 0.6, 1.15)
    shade = (0.38 + 0.68 * np.clip(lit, 0, 1.3)) * cv2.GaussianBlur(shadow, (0, 0), 3) * hollow
    return np.asarray(np.clip(colour * shade[..., None], 0, 255), np.float32)
