"""Roots laid out on the plan: from marks on one photo to paths and widths in millimetres."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from math import dist

import numpy as np

from mirvo.core.measure import geometry
from mirvo.core.measure.marks import RootMark
from mirvo.core.measure.plane_map import PlaneMap
from mirvo.core.measure.uncertainty import Array, Draws

# How far both points across a root found in the picture stray together, of how far each does
# alone, where the mark does not say: it was made before that was told.
FOUND_TOGETHER = 1.3
# How far the middle between two flanks lies beside the root's own line, of their distance: one
# flank is steeper than the other. From path-traced roots whose line is known.
FLANKS_ASIDE_SD = 0.035
# How high a root's crest stands, of its width: at its base, and where it dives at its tip. The
# quick camera's roots keep the first to the end, path-traced ones go down to nothing.
CREST_SHARE, CREST_SHARE_SD = 0.6, 0.2
TIP_CREST_SHARE, TIP_CREST_SHARE_SD = 0.3, 0.3
# From where on it goes down, of its length.
DIVES_FROM = 0.5
# A root's width at its visible tip, of that at its base, where nobody has marked it.
USUAL_END, USUAL_END_SD = 0.45, 0.12
# How high the flanks of a root's base stand, of its width: between bases that are path-traced
# and those of the quick camera, which lie flat.
FLANK_SHARE, FLANK_SHARE_SD = 0.08, 0.25
# Where a base is marked, of the trunk's radius; how far a root bends aside beyond, of its way.
USUAL_BASE, ASIDE_SD = 1.15, 0.35
STEPS_PER_TRUNK = 8
Pair = tuple[tuple[float, float], tuple[float, float]]
Width = tuple[Array, Array]


@dataclass
class PlaneRoot:
    """One root on the plan for every draw.

    path : (rows, n, 2), mm. base : middle of the base width or first path point, (rows, 2).
    width : (rows,), mm, or None. widths_along : (rows, n), mm. aside : (rows,), how far it may
    bend aside on the way from the trunk to where its path begins, of that way.
    What follows from the trunk's centre is set by `measure_about_trunk`.
    """

    mark: RootMark
    path: Array
    base: Array
    width: Array | None
    widths_along: Array
    aside: Array
    photo: str | None = None
    azimuth: Array = field(default_factory=lambda: np.zeros(0))
    heading: Array = field(default_factory=lambda: np.zeros(0))
    sweep: float = 0.0
    turn: float = 0.0
    sharpest: float = 0.0
    looped: float = 0.0


def roots_on_plane(
    marks: Sequence[RootMark], plane: PlaneMap, draws: Draws, from_below: bool = False
) -> list[PlaneRoot]:
    """Rectify the roots of one photo: widths a little above the root plane, paths at crest height.

    from_below : it shows the lifted tree's underside, where no flank is known to stand higher.
    """
    if not marks:
        return []
    share = 0.0 if from_below else FLANK_SHARE
    bases = _widths([root.base_width for root in marks], marks, plane, draws, share)
    bases = [_loosened(*row, draws) for row in zip(bases, marks, strict=True)]
    ends = _widths([root.end_width for root in marks], marks, plane, draws, 0.0)
    marked = [float(base[1][0]) for base in bases if base is not None]
    median = float(np.median(marked)) if marked else 0.0
    pixels = [_path_drawn(root, draws) for root in marks]
    along = [_widths_along(*row, median, draws) for row in zip(pixels, bases, ends, strict=True)]
    paths = _at_crest(pixels, along, plane, draws)
    roots = []
    for root, base, path, widths in zip(marks, bases, paths, along, strict=True):
        middle, width = (path[:, 0], None) if base is None else base
        aside = draws.scalars(0.0, ASIDE_SD) if base is None else np.zeros(draws.rows)
        roots.append(PlaneRoot(root, path, middle, width, widths, aside))
    return roots


def _path_drawn(root: RootMark, draws: Draws) -> Array:
    """Copies (rows, n, 2), px, of a root's path; found to its end, it is longer or shorter too."""
    strays = np.full((len(root.path), 1), _sd_px(root, draws))
    if root.tip_sd_px == 0:
        # An end that was not found was set by hand, and strays as clicks do.
        strays[-1] = draws.click_sd_px
    drawn = draws.points(root.path, strays)
    length = geometry.arc_lengths(drawn[:1])[0, -1]
    if root.tip_sd_px == 0 or length == 0:
        return drawn
    stretched = draws.scalars(1.0, root.tip_sd_px / length)[:, None, None]
    return np.asarray(drawn[:, :1] + (drawn - drawn[:, :1]) * stretched)


def _at_crest(
    pixels: list[Array], along: list[Array], plane: PlaneMap, draws: Draws
) -> list[Array]:
    """Paths (rows, n, 2), px, with widths (rows, n), mm, on the plan: all mapped at once."""
    crests = [
        _crest_share(path, draws) * widths for path, widths in zip(pixels, along, strict=True)
    ]
    height = np.concatenate(crests, axis=1)
    together = plane.to_plane(np.concatenate(pixels, axis=1), height)
    ends = np.cumsum([path.shape[1] for path in pixels])[:-1]
    return np.split(together, ends, axis=1)


def _crest_share(pixels: Array, draws: Draws) -> Array:
    """How high the crest stands (rows, n) along a path (rows, n, 2), px, of the width there."""
    dive = np.clip((_share_along(pixels) - DIVES_FROM) / (1 - DIVES_FROM), 0.0, 1.0)
    first = draws.scalars(CREST_SHARE, CREST_SHARE_SD)[:, None]
    last = draws.scalars(TIP_CREST_SHARE, TIP_CREST_SHARE_SD)[:, None]
    return np.asarray(first + (last - first) * dive)


def _share_along(pixels: Array) -> Array:
    """Share of its length (rows, n) at which each point of a path (rows, n, 2) lies."""
    length = geometry.arc_lengths(pixels)
    # Two points on one spot have no length; they must not divide by it.
    return np.asarray(length / np.maximum(length[:, -1:], 1e-9))


def _widths(
    pairs: list[Pair | None],
    marks: Sequence[RootMark],
    plane: PlaneMap,
    draws: Draws,
    raised: float,
) -> list[Width | None]:
    """Middle (rows, 2) and distance (rows,) of width points, mm; `raised` : how high they stand,
    of their distance.

    All pairs are mapped at once; a root whose width is not marked has none.
    """
    clicked = [
        _pair_drawn(pair, root, draws)
        for pair, root in zip(pairs, marks, strict=True)
        if pair is not None
    ]
    if not clicked:
        return [None] * len(pairs)
    # One call for all pairs: the map costs the same for two points as for sixty.
    pixels = np.concatenate(clicked, axis=1)
    flat = plane.to_plane(pixels)
    # A root comes down from its trunk, so where it is widest it stands above the plane.
    share = np.stack([draws.scalars(raised, FLANK_SHARE_SD) for _ in clicked], axis=1)
    height = share * geometry.length_of(flat[:, 1::2] - flat[:, ::2])
    ends = plane.to_plane(pixels, np.repeat(height, 2, axis=1))
    first, second = ends[:, ::2], ends[:, 1::2]
    middle, apart = (first + second) / 2, second - first
    wide = geometry.length_of(apart)
    aside = np.stack([draws.scalars(0.0, FLANKS_ASIDE_SD) for _ in clicked], axis=1)
    middle = middle + aside[..., None] * apart
    found = iter([(middle[:, i], wide[:, i]) for i in range(len(clicked))])
    return [None if pair is None else next(found) for pair in pairs]


def _pair_drawn(pair: Pair, root: RootMark, draws: Draws) -> Array:
    """Copies (rows, 2, 2), px, of two points across a root; found in the picture they stray
    together, since a crest that was missed was missed by both."""
    drawn = draws.points(pair, _sd_px(root, draws))
    together = root.base_sd_px
    if together is None:
        # No truer than a click, it is off as clicks are.
        found = root.points_sd_px > draws.click_sd_px
        together = FOUND_TOGETHER * root.points_sd_px if found else 0.0
    return drawn + draws.points(np.zeros((1, 2)), together) if together > 0 else drawn


def _sd_px(root: RootMark, draws: Draws) -> float:
    """How far a point of the root strays, px: where it was found, further than a click does."""
    return max(root.points_sd_px or 0.0, draws.click_sd_px)


def _loosened(base: Width | None, root: RootMark, draws: Draws) -> Width | None:
    """A base width whose draws stray further, as it was found in the picture."""
    if base is None or root.base_width is None or root.base_width_sd_px == 0:
        return base
    middle, wide = base
    # A width found in the picture is off as a whole, not at one end.
    share = root.base_width_sd_px / dist(*root.base_width)
    return middle, np.abs(wide * draws.scalars(1.0, share))


def _widths_along(
    pixels: Array,
    base: Width | None,
    end: Width | None,
    median: float,
    draws: Draws,
) -> Array:
    """Width (rows, n) at each path point, from base to end; unmarked, as roots usually taper."""
    first = base[1] if base is not None else np.full(len(pixels), median)
    usual = np.abs(draws.scalars(USUAL_END, USUAL_END_SD))
    last = end[1] if end is not None else first * usual
    return np.asarray(first[:, None] + (last - first)[:, None] * _share_along(pixels))


def measure_about_trunk(root: PlaneRoot, centre: Array, diameter: Array, north: Array) -> None:
    """Azimuth, heading error, sweep, turns and looping of one root about the trunk's centre."""
    away = root.base - centre
    # Without a base width the path's start stands for the base; the way to it is not marked.
    hidden = np.maximum(0.0, 2.0 * geometry.length_of(away) / diameter - USUAL_BASE)
    turned = np.degrees(np.arctan(root.aside * hidden))
    root.azimuth = (geometry.direction_deg(away) + turned - north) % 360.0
    path = root.path
    length = geometry.arc_lengths(path)
    total = length[:, -1]
    # Over one trunk diameter: nearer, a click decides the heading, farther, the next bend.
    chord_end = geometry.points_at(path, length, np.minimum(diameter, total)[:, None])[:, 0]
    radial = path[:, 0] - centre
    chord = chord_end - path[:, 0]
    dot = (radial * chord).sum(1)
    cross = radial[:, 0] * chord[:, 1] - radial[:, 1] * chord[:, 0]
    root.heading = np.abs(np.degrees(np.arctan2(cross, dot)))
    # Even steps, so that turns do not depend on how densely the path was clicked.
    step = float(diameter[0]) / STEPS_PER_TRUNK
    at = np.arange(0.0, float(total[0]), step)
    at = np.append(at, float(total[0]))
    even = geometry.points_at(path[:1], length[:1], at[None])[0]
    away = even - centre[0]
    # Unwrapped: a root that passes behind the trunk goes on turning, it does not jump.
    azimuth = np.unwrap(np.radians(geometry.direction_deg(away)))
    root.sweep = abs(float(np.degrees(azimuth[-1] - azimuth[0])))
    distance = geometry.length_of(away)
    # How far it comes back toward the trunk, of the farthest it had got.
    root.looped = float((1.0 - distance / np.maximum.accumulate(distance)).max())
    root.turn, root.sharpest = _turning(even)


def _turning(even: Array) -> tuple[float, float]:
    """Total turning and the most within half a trunk diameter, degrees, of an even path."""
    if len(even) < 3:
        return 0.0, 0.0
    smooth = even.copy()
    # A hand trembles from click to click; a root does not.
    smooth[1:-1] = (even[:-2] + even[1:-1] + even[2:]) / 3.0
    steps = np.diff(smooth, axis=0)
    headings = np.unwrap(np.arctan2(steps[:, 1], steps[:, 0]))
    turns = np.abs(np.degrees(np.diff(headings)))
    window = STEPS_PER_TRUNK // 2
    sharpest = max(float(turns[i : i + window].sum()) for i in range(len(turns)))
    return float(turns.sum()), sharpest
