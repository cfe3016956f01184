"""Measuring a base from above: trunk, spread, every root, radiality, with error bars."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from mirvo.core.errors import BadInput
from mirvo.core.measure import geometry
from mirvo.core.measure.calibration import COARSE_PX_PER_MM, PhotoInfo, PlaneMap, calibrate
from mirvo.core.measure.faults import Fault, RootShape, Thresholds, find_faults
from mirvo.core.measure.marks import RootMark, TopMarks
from mirvo.core.measure.radiality import RadialityDraws, radiality
from mirvo.core.measure.uncertainty import Array, Draws, Figure, figure, figure_of_angle

CREST_SHARE_OF_WIDTH = 0.6
ROOTS_COUNT_TO_TRUNKS = 2.0
STEPS_PER_TRUNK = 8
DISC_POINTS = 36


@dataclass(frozen=True)
class Spread:
    """Spread of one outline: across, least and mean diameter in mm, and mean / D."""

    across_mm: Figure
    least_mm: Figure
    mean_mm: Figure
    ratio: Figure


@dataclass(frozen=True)
class RootMeasure:
    """Figures of one root; `path_mm` and widths are in the plan frame for drawing."""

    label: str
    azimuth_deg: Figure
    clock: float
    base_width_mm: Figure | None
    end_width_mm: float | None
    reach_mm: Figure
    heading_error_deg: Figure
    sweep_deg: float
    turn_deg: float
    taper: float | None
    faults: list[Fault]
    path_mm: list[tuple[float, float]]
    feeders: int | None
    condition: str
    height: str | float | None


@dataclass(frozen=True)
class TopMeasure:
    """Everything measured on one photo from above; outlines in the plan frame, mm."""

    calibration: dict[str, Any]
    trunk_diameter_mm: Figure
    flare: Spread | None
    roots_spread: Spread
    roots: list[RootMeasure]
    radiality: dict[str, Figure]
    largest_gap_clock: float | None
    open_arcs: list[tuple[float, float]]
    trunk_outline_mm: list[tuple[float, float]]
    flare_outline_mm: list[tuple[float, float]] | None


@dataclass
class _Root:
    mark: RootMark
    path: Array
    width: Array | None
    widths_along: Array
    azimuth: Array
    heading: Array = field(default_factory=lambda: np.zeros(0))
    sweep: float = 0.0
    turn: float = 0.0
    sharpest: float = 0.0
    looped: float = 0.0


def clock(azimuth_deg: float) -> float:
    """Hour on the clock for an azimuth: back 12, right 3, front 6, left 9.

    >>> clock(0.0), clock(90.0), clock(265.0)
    (12.0, 3.0, 8.8)
    """
    hour = round(azimuth_deg % 360.0 / 30.0, 1)
    return 12.0 if hour in (0.0, 12.0) else hour


def measure_top(
    marks: TopMarks,
    photo: PhotoInfo,
    card_corners: Array | None = None,
    leave_out: frozenset[str] = frozenset(),
    limits: Thresholds | None = None,
    draws: Draws | None = None,
) -> TopMeasure:
    """Measure one photo from above.

    Parameters
    ----------
    marks : checked marks, see `read_marks`.
    photo : size and focal length; a focal length in the marks overrides it.
    card_corners : (16, 2) px from `find_card`, needed for the card calibration only.
    leave_out : labels of roots planned for removal; measured, but not counted in
        radiality nor in the spread on the roots basis.

    Raises
    ------
    BadInput : the marks do not determine the figures; says which mark and why.
    """
    if marks.focal_length_35mm is not None:
        photo = PhotoInfo(photo.width, photo.height, marks.focal_length_35mm)
    draws = draws or Draws(marks.click_sd_px)
    plane = calibrate(marks.calibration, photo, draws, card_corners)
    trunk = plane.to_plane(draws.points(marks.trunk.outline), marks.trunk.height_mm)
    area, centre = geometry.area_and_centroid(trunk)
    diameter = 2.0 * np.sqrt(area / np.pi)
    north = _front_direction(marks, photo, plane, centre) + 180.0
    roots = _lay_out_roots(marks, plane, draws, centre, diameter, north)
    standing = [r for r in roots if r.mark.label not in leave_out]
    flare = plane.to_plane(draws.points(marks.flare.outline)) if marks.flare else None
    spread = _roots_spread(standing, trunk, centre, diameter)
    round_about = _radiality(standing)
    faults = _faults(roots, centre, float(diameter[0]), limits)
    turned = _PlanFrame(centre[0], float(north[0]))
    return TopMeasure(
        calibration=_quality(plane, marks, faults),
        trunk_diameter_mm=figure(diameter),
        flare=None if flare is None else _spread(flare, flare, centre, diameter),
        roots_spread=spread,
        roots=[_root_measure(root, centre, faults[root.mark.label], turned) for root in roots],
        radiality=_radiality_figures(round_about),
        largest_gap_clock=_gap_clock(round_about),
        open_arcs=round_about.open_arcs,
        trunk_outline_mm=turned.points(trunk[0]),
        flare_outline_mm=None if flare is None else turned.points(flare[0]),
    )


@dataclass(frozen=True)
class _PlanFrame:
    """From mm on the photo's plane to the plan frame: x viewer's right, y away from the viewer."""

    centre: Array
    north_deg: float

    def points(self, points: Array) -> list[tuple[float, float]]:
        turn = np.radians(self.north_deg)
        x, y = (points - self.centre).T
        right = x * np.cos(turn) + y * np.sin(turn)
        down = -x * np.sin(turn) + y * np.cos(turn)
        return [(round(float(a), 2), round(float(-b), 2)) for a, b in zip(right, down, strict=True)]


def _front_direction(marks: TopMarks, photo: PhotoInfo, plane: PlaneMap, centre: Array) -> Array:
    """Direction (rows,) of the front from the trunk centre; the picture's foot if unmarked."""
    if marks.front is None:
        column = float(np.mean([x for x, _ in marks.trunk.outline]))
        point = (column, photo.height - 1.0)
    else:
        point = marks.front
    rows = len(centre)
    there = plane.to_plane(np.broadcast_to(np.array([[point]]), (rows, 1, 2)))[:, 0]
    away = there - centre
    if float(np.hypot(*away[0])) < 1.0:
        raise BadInput("front", "the front is marked on the trunk's centre; mark it outside")
    return geometry.direction_deg(away)


def _lay_out_roots(
    marks: TopMarks, plane: PlaneMap, draws: Draws, centre: Array, diameter: Array, north: Array
) -> list[_Root]:
    bases, ends = [], []
    for root in marks.roots:
        bases.append(_width(root.base_width, plane, draws))
        ends.append(_width(root.end_width, plane, draws))
    marked = [float(base[1][0]) for base in bases if base is not None]
    median = float(np.median(marked)) if marked else 0.0
    roots = []
    for root, base, end in zip(marks.roots, bases, ends, strict=True):
        pixels = draws.points(root.path)
        along = _widths_along(pixels, base, end, median)
        path = plane.to_plane(pixels, CREST_SHARE_OF_WIDTH * along)
        middle = base[0] if base is not None else path[:, 0]
        azimuth = (geometry.direction_deg(middle - centre) - north) % 360.0
        laid = _Root(root, path, None if base is None else base[1], along, azimuth)
        _follow(laid, centre, diameter)
        roots.append(laid)
    return roots


def _width(
    pair: tuple[tuple[float, float], tuple[float, float]] | None, plane: PlaneMap, draws: Draws
) -> tuple[Array, Array] | None:
    """Middle (rows, 2) and distance (rows,) of two width points, mm; edges lie on the plane."""
    if pair is None:
        return None
    ends = plane.to_plane(draws.points(pair))
    return ends.mean(axis=1), np.hypot(*(ends[:, 1] - ends[:, 0]).T)


def _widths_along(
    pixels: Array,
    base: tuple[Array, Array] | None,
    end: tuple[Array, Array] | None,
    median: float,
) -> Array:
    """Width (rows, n) at each path point: base to end if both are marked, else constant."""
    rows = len(pixels)
    first = base[1] if base is not None else np.full(rows, median)
    last = end[1] if end is not None else first
    length = geometry.arc_lengths(pixels)
    share = length / np.maximum(length[:, -1:], 1e-9)
    return np.asarray(first[:, None] + (last - first)[:, None] * share)


def _follow(root: _Root, centre: Array, diameter: Array) -> None:
    """Heading error, sweep, turns and looping of one root."""
    path = root.path
    length = geometry.arc_lengths(path)
    total = length[:, -1]
    chord_end = geometry.points_at(path, length, np.minimum(diameter, total)[:, None])[:, 0]
    radial = path[:, 0] - centre
    chord = chord_end - path[:, 0]
    dot = (radial * chord).sum(1)
    cross = radial[:, 0] * chord[:, 1] - radial[:, 1] * chord[:, 0]
    root.heading = np.abs(np.degrees(np.arctan2(cross, dot)))
    step = float(diameter[0]) / STEPS_PER_TRUNK
    at = np.arange(0.0, float(total[0]), step)
    at = np.append(at, float(total[0]))
    even = geometry.points_at(path[:1], length[:1], at[None])[0]
    away = even - centre[0]
    azimuth = np.unwrap(np.radians(geometry.direction_deg(away)))
    root.sweep = abs(float(np.degrees(azimuth[-1] - azimuth[0])))
    distance = np.hypot(*away.T)
    root.looped = float((1.0 - distance / np.maximum.accumulate(distance)).max())
    root.turn, root.sharpest = _turning(even)


def _turning(even: Array) -> tuple[float, float]:
    """Total turning and the most within half a trunk diameter, degrees, of an even path."""
    if len(even) < 3:
        return 0.0, 0.0
    smooth = even.copy()
    smooth[1:-1] = (even[:-2] + even[1:-1] + even[2:]) / 3.0
    steps = np.diff(smooth, axis=0)
    headings = np.unwrap(np.arctan2(steps[:, 1], steps[:, 0]))
    turns = np.abs(np.degrees(np.diff(headings)))
    window = STEPS_PER_TRUNK // 2
    sharpest = max(float(turns[i : i + window].sum()) for i in range(len(turns)))
    return float(turns.sum()), sharpest


def _spread(outline: Array, boundary: Array, centre: Array, diameter: Array) -> Spread:
    hull = boundary[:, geometry.hull_indices(boundary[0])]
    greatest, least = geometry.feret(hull)
    mean = 2.0 * geometry.mean_radius(outline, centre)
    return Spread(figure(greatest), figure(least), figure(mean), figure(mean / diameter))


def _roots_spread(roots: list[_Root], trunk: Array, centre: Array, diameter: Array) -> Spread:
    """Spread of the hull of trunk and roots widened by half their width, cut at 2 D."""
    centres, radii = [trunk], [np.zeros(trunk.shape[:2])]
    for root in roots:
        path = geometry.cut_at_radius(root.path, centre, ROOTS_COUNT_TO_TRUNKS * diameter)
        centres.append(path)
        radii.append(root.widths_along[:, : path.shape[1]] / 2.0)
    hull = _hull_of_discs(np.concatenate(centres, axis=1), np.concatenate(radii, axis=1))
    return _spread(hull, hull, centre, diameter)


def _hull_of_discs(centres: Array, radii: Array) -> Array:
    """Convex hull (rows, m, 2) of discs; which points lie on it is found on row 0."""
    angle = np.arange(DISC_POINTS) * 2 * np.pi / DISC_POINTS
    disc = np.stack([np.cos(angle), np.sin(angle)], axis=1)
    first = centres[0][:, None] + radii[0][:, None, None] * disc
    which, turn = np.divmod(geometry.hull_indices(first.reshape(-1, 2)), DISC_POINTS)
    return np.asarray(centres[:, which] + radii[:, which, None] * disc[turn.astype(int)])


def _radiality(roots: list[_Root]) -> RadialityDraws:
    living = [root for root in roots if root.mark.condition != "dead"]
    if not living:
        return radiality(np.zeros((2, 0)), np.zeros((2, 0)), np.zeros((2, 0)))
    marked = [root.width for root in living if root.width is not None]
    rows = len(living[0].azimuth)
    usual = np.median(np.stack(marked), axis=0) if marked else np.ones(rows)
    weights = np.stack([usual if r.width is None else r.width for r in living], axis=1)
    azimuths = np.stack([r.azimuth for r in living], axis=1)
    return radiality(azimuths, weights, np.stack([r.heading for r in living], axis=1))


def _faults(
    roots: list[_Root], centre: Array, trunk_mm: float, limits: Thresholds | None
) -> dict[str, list[Fault]]:
    shapes = [
        RootShape(
            label=root.mark.label,
            path=root.path[0] - centre[0],
            azimuth_deg=float(root.azimuth[0]),
            base_width_mm=None if root.width is None else float(root.width[0]),
            heading_error_deg=float(root.heading[0]),
            sweep_deg=root.sweep,
            sharpest_turn_deg=root.sharpest,
            looped_share=root.looped,
            height=root.mark.height,
            feeders=root.mark.feeders,
            condition=root.mark.condition,
        )
        for root in roots
    ]
    return find_faults(shapes, trunk_mm, limits)


def _quality(plane: PlaneMap, marks: TopMarks, faults: dict[str, list[Fault]]) -> dict[str, Any]:
    at = np.mean(np.asarray(marks.trunk.outline), axis=0)
    density = plane.px_per_mm(at)
    warnings = list(plane.warnings)
    if density < COARSE_PX_PER_MM:
        warnings.append(f"Only {density:.1f} px per mm: go closer or use the full-size photo.")
    height = float(plane.camera_height[0])
    return {
        "kind": plane.kind,
        "px_per_mm": round(density, 2),
        "tilt_deg": None if plane.tilt_deg is None else round(plane.tilt_deg, 1),
        "camera_height_mm": round(height) if np.isfinite(height) else None,
        "residual_mm": None if plane.residual_mm is None else round(plane.residual_mm, 2),
        "warnings": warnings,
    }


def _root_measure(
    root: _Root, centre: Array, faults: list[Fault], turned: _PlanFrame
) -> RootMeasure:
    away = np.hypot(*np.moveaxis(root.path - centre[:, None], 2, 0))
    azimuth = figure_of_angle(root.azimuth)
    width = None if root.width is None else figure(root.width)
    end = None if root.mark.end_width is None else float(root.widths_along[0, -1])
    taper = None if width is None or end is None else round(1.0 - end / width.value, 3)
    return RootMeasure(
        label=root.mark.label,
        azimuth_deg=azimuth,
        clock=clock(azimuth.value),
        base_width_mm=width,
        end_width_mm=end,
        reach_mm=figure(away.max(axis=1)),
        heading_error_deg=figure(root.heading),
        sweep_deg=round(root.sweep, 1),
        turn_deg=round(root.turn, 1),
        taper=taper,
        faults=faults,
        path_mm=turned.points(root.path[0]),
        feeders=root.mark.feeders,
        condition=root.mark.condition,
        height=root.mark.height,
    )


def _radiality_figures(parts: RadialityDraws) -> dict[str, Figure]:
    names = ("index", "coverage", "evenness", "balance", "heading", "largest_gap_deg")
    return {name: figure(getattr(parts, name)) for name in names}


def _gap_clock(parts: RadialityDraws) -> float | None:
    middle = parts.largest_gap_middle_deg
    return None if middle is None else clock(middle)
