"""Measuring a base from above: trunk, spread, every root, radiality, with error bars."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from mirvo.core.angles import clock_hour
from mirvo.core.errors import BadInput
from mirvo.core.measure import geometry
from mirvo.core.measure.calibration import calibrate_by
from mirvo.core.measure.faults import RootShape, Thresholds, find_faults
from mirvo.core.measure.marks import TopMarks, Trunk
from mirvo.core.measure.plane_map import PhotoInfo
from mirvo.core.measure.radiality import RadialityDraws, radiality
from mirvo.core.measure.records import (
    CalibrationQuality,
    Fault,
    OffPlane,
    Outline,
    Radiality,
    RootRecord,
    Spread,
    Spreads,
    TopRecord,
    TrunkRecord,
)
from mirvo.core.measure.roots import PlaneRoot, measure_about_trunk, roots_on_plane
from mirvo.core.measure.uncertainty import Array, Draws, figure, figure_of_angle

# Beyond twice the trunk a root is feeding root, not flare.
ROOTS_COUNT_TO_TRUNKS = 2.0
DISC_POINTS = 36
OFF_PLANE = ("above_plane", "below_plane")
# A smooth trunk strays from the curve through its clicks by so much of what a polygon cuts off;
# from wavy trunks clicked 5 to 30 times.
BETWEEN_CLICKS = 0.12


def measure_top(
    marks: TopMarks,
    photo: PhotoInfo,
    card_corners: Array | None = None,
    leave_out: frozenset[str] = frozenset(),
    limits: Thresholds | None = None,
    draws: Draws | None = None,
) -> TopRecord:
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
    scene = read_scene(marks, photo, draws or Draws(marks.click_sd_px), card_corners)
    return measure_scene(scene, leave_out, limits)


@dataclass
class Scene:
    """What was marked, in millimetres on one root plane, x right, y down, for every draw.

    trunks : outlines, each (rows, n, 2). flare : (rows, n, 2) or None.
    front : (rows, 2), a point on the front side of the trunk.
    """

    trunks: list[Array]
    flare: Array | None
    roots: list[PlaneRoot]
    front: Array
    quality: CalibrationQuality
    front_is_marked: bool = True
    flare_on_plane_only: bool = False


def read_scene(
    marks: TopMarks,
    photo: PhotoInfo,
    draws: Draws,
    card_corners: Array | None = None,
    from_below: bool = False,
) -> Scene:
    """Rectify the marks of one photo; without a trunk the picture's foot is the front.

    from_below : it shows the lifted tree's underside.
    """
    plane = calibrate_by(marks, photo, draws, card_corners)
    trunks = [
        _outline(plane.to_plane(_strayed(trunk, draws), trunk.height_mm), draws)
        for _, trunk in marks.trunk_marks()
    ]
    outlines = [trunk.outline for _, trunk in marks.trunk_marks()]
    looked_at = [point for outline in outlines for point in outline]
    # A photo of a set may show no trunk; its roots then say where it was looked at.
    looked_at = looked_at or [point for root in marks.roots for point in root.path]
    middle = np.mean(np.asarray(looked_at), axis=0) if looked_at else photo.centre
    front = (float(middle[0]), photo.height - 1.0) if marks.front is None else marks.front
    return Scene(
        trunks=trunks,
        flare=_outline(plane.to_plane(draws.points(marks.flare.outline)), draws)
        if marks.flare
        else None,
        roots=roots_on_plane(marks.roots, plane, draws, from_below),
        front=plane.to_plane(np.broadcast_to(np.array([[front]]), (draws.rows, 1, 2)))[:, 0],
        quality=plane.quality(middle),
        front_is_marked=marks.front is not None,
        flare_on_plane_only=marks.flare_on_plane_only,
    )


def _strayed(trunk: Trunk, draws: Draws) -> Array:
    """A trunk's outline (rows, n, 2), px: each point strays as a click does.

    One that was not clicked round is moved and swollen as a whole too.
    """
    points = draws.points(trunk.outline)
    if trunk.outline_sd_px == 0:
        return points
    middle = points.mean(axis=1)
    # The whole outline together: a fitted one is not off point by point.
    moved = draws.points(np.zeros((1, 2)), trunk.outline_sd_px)
    away = geometry.away_from(middle, points)
    radius = geometry.length_of(away).mean(axis=1)
    swollen = 1.0 + draws.scalars(0.0, trunk.outline_sd_px) / radius
    return geometry.scaled(middle, away, swollen[:, None]) + moved


def _outline(marked: Array, draws: Draws) -> Array:
    """The smooth outline through the points; its draws may bulge between the clicks."""
    return geometry.smooth_outline(geometry.bulged(marked, draws.scalars(0.0, BETWEEN_CLICKS)))


def measure_scene(
    scene: Scene,
    leave_out: frozenset[str] = frozenset(),
    limits: Thresholds | None = None,
) -> TopRecord:
    """The figures of one plan, from one photo or joined from several.

    Raises
    ------
    BadInput : the front is marked on the trunk's centre.
    """
    areas, centre = _areas_and_centre(scene.trunks)
    # The circle of the same area: it does not depend on from where an uneven trunk is seen.
    diameter = 2.0 * np.sqrt(np.sum(areas, axis=0) / np.pi)
    # Azimuths begin at the back, so that the front stands at 6 o'clock.
    north = _front_direction(scene, centre) + 180.0
    for root in scene.roots:
        measure_about_trunk(root, centre, diameter, north)
    # Those planned for removal are measured, but the figures are those without them.
    standing = [r for r in scene.roots if r.mark.label not in leave_out]
    spread = _roots_spread(standing, scene.trunks, centre, diameter)
    faults = _faults(scene.roots, centre, float(diameter[0]), limits)
    round_about, off_plane = _radialities(standing, faults, scene.flare_on_plane_only)
    turned = _PlanFrame(centre[0], float(north[0]))
    flare = scene.flare
    return TopRecord(
        calibration=scene.quality,
        trunk_diameter_mm=figure(diameter),
        trunks=tuple(
            TrunkRecord(
                diameter_mm=figure(2.0 * np.sqrt(area / np.pi)), outline_mm=turned.points(trunk[0])
            )
            for area, trunk in zip(areas, scene.trunks, strict=True)
        ),
        spread=Spreads(
            flare=None if flare is None else _spread(flare, _hull(flare), centre, diameter),
            roots=spread,
        ),
        roots=tuple(
            _root_record(root, centre, faults[root.mark.label], turned) for root in scene.roots
        ),
        radiality=_radiality_record(round_about),
        flare_outline_mm=None if flare is None else turned.points(flare[0]),
        off_plane=off_plane,
    )


def plan_axes(scene: Scene) -> tuple[Array, float]:
    """Trunk centre (2,) mm and direction of the plan's north, degrees, for the marks as set."""
    _, centre = _areas_and_centre(scene.trunks)
    return centre[0], float(_front_direction(scene, centre)[0]) + 180.0


def _areas_and_centre(trunks: list[Array]) -> tuple[list[Array], Array]:
    """Area (rows,) mm² of each trunk and the centroid weighted by area (rows, 2) mm."""
    each = [geometry.area_and_centroid(trunk) for trunk in trunks]
    areas = [area for area, _ in each]
    weighed = np.sum([area[:, None] * middle for area, middle in each], axis=0)
    return areas, weighed / np.sum(areas, axis=0)[:, None]


def _front_direction(scene: Scene, centre: Array) -> Array:
    """Direction (rows,) of the front from the trunk centre, degrees."""
    away = scene.front - centre
    if float(np.hypot(*away[0])) < 1.0:
        # Within a millimetre of the centre its direction means nothing.
        raise BadInput("front", "the front is marked on the trunk's centre; mark it outside")
    return geometry.direction_deg(away)


@dataclass(frozen=True)
class _PlanFrame:
    """From mm on the photo's plane to the plan frame: x viewer's right, y away from the viewer."""

    centre: Array
    north_deg: float

    def points(self, points: Array) -> Outline:
        turn = np.radians(self.north_deg)
        x, y = (points - self.centre).T
        right = x * np.cos(turn) + y * np.sin(turn)
        down = -x * np.sin(turn) + y * np.cos(turn)
        return tuple(
            (round(float(a), 2), round(float(-b), 2)) for a, b in zip(right, down, strict=True)
        )


def _hull(outline: Array) -> Array:
    """Convex hull (rows, m, 2) of outlines (rows, n, 2); who lies on it is found on row 0."""
    return outline[:, geometry.hull_indices(outline[0])]


def _spread(outline: Array, hull: Array, centre: Array, diameter: Array) -> Spread:
    greatest, least = geometry.feret(hull)
    mean = 2.0 * geometry.mean_radius(outline, centre)
    return Spread(
        across_mm=figure(greatest),
        least_mm=figure(least),
        mean_mm=figure(mean),
        ratio=figure(mean / diameter),
    )


def _roots_spread(
    roots: list[PlaneRoot], trunks: list[Array], centre: Array, diameter: Array
) -> Spread:
    """Spread of the hull of trunk and roots widened by half their width, cut at 2 D."""
    centres, radii = [*trunks], [np.zeros(trunk.shape[:2]) for trunk in trunks]
    for root in roots:
        # A long root would else decide the spread alone.
        path = geometry.cut_at_radius(root.path, centre, ROOTS_COUNT_TO_TRUNKS * diameter)
        centres.append(path)
        radii.append(root.widths_along[:, : path.shape[1]] / 2.0)
    hull = _hull_of_discs(np.concatenate(centres, axis=1), np.concatenate(radii, axis=1))
    return _spread(hull, hull, centre, diameter)


def _hull_of_discs(centres: Array, radii: Array) -> Array:
    """Convex hull (rows, m, 2) of discs; which points lie on it is found on row 0."""
    angle = np.arange(DISC_POINTS) * 2 * np.pi / DISC_POINTS
    disc = np.stack([np.cos(angle), np.sin(angle)], axis=1)
    # Which points lie outermost is found once, on the marks as set; the draws differ by little.
    first = centres[0][:, None] + radii[0][:, None, None] * disc
    which, turn = np.divmod(geometry.hull_indices(first.reshape(-1, 2)), DISC_POINTS)
    edge = disc[turn.astype(int)]
    x, y = (centres[:, which, axis] + radii[:, which] * edge[:, axis] for axis in (0, 1))
    return np.stack([x, y], axis=-1)


def _radialities(
    roots: list[PlaneRoot], faults: dict[str, list[Fault]], on_plane_only: bool
) -> tuple[RadialityDraws, OffPlane | None]:
    """Radiality as the artist counts, and with and without roots that lie off the plane."""
    off = tuple(
        root.mark.label
        for root in roots
        if any(fault.code in OFF_PLANE for fault in faults[root.mark.label])
    )
    every = _radiality(roots)
    if not off:
        return every, None
    on_plane = _radiality([root for root in roots if root.mark.label not in off])
    compared = OffPlane(
        labels=off,
        counted=not on_plane_only,
        index_with=figure(every.index),
        index_without=figure(on_plane.index),
    )
    return on_plane if on_plane_only else every, compared


def _radiality(roots: list[PlaneRoot]) -> RadialityDraws:
    # A dead root holds nothing and feeds nothing.
    living = [root for root in roots if root.mark.condition != "dead"]
    if not living:
        return radiality(np.zeros((2, 0)), np.zeros((2, 0)), np.zeros((2, 0)))
    marked = [root.width for root in living if root.width is not None]
    rows = len(living[0].azimuth)
    # A root whose width is not marked counts as a usual one, so that it is not left out.
    usual = np.median(np.stack(marked), axis=0) if marked else np.ones(rows)
    weights = np.stack([usual if r.width is None else r.width for r in living], axis=1)
    azimuths = np.stack([r.azimuth for r in living], axis=1)
    return radiality(azimuths, weights, np.stack([r.heading for r in living], axis=1))


def _faults(
    roots: list[PlaneRoot], centre: Array, trunk_mm: float, limits: Thresholds | None
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


def _root_record(
    root: PlaneRoot, centre: Array, faults: list[Fault], turned: _PlanFrame
) -> RootRecord:
    away = geometry.length_of(geometry.away_from(centre, root.path))
    azimuth = figure_of_angle(root.azimuth)
    width = None if root.width is None else figure(root.width)
    end = None if root.mark.end_width is None else float(root.widths_along[0, -1])
    taper = None if width is None or end is None else round(1.0 - end / width.value, 3)
    return RootRecord(
        label=root.mark.label,
        azimuth_deg=azimuth,
        clock=clock_hour(azimuth.value),
        base_width_mm=width,
        end_width_mm=end,
        reach_mm=figure(away.max(axis=1)),
        heading_error_deg=figure(root.heading),
        sweep_deg=round(root.sweep, 1),
        turn_deg=round(root.turn, 1),
        taper=taper,
        faults=tuple(faults),
        path_mm=turned.points(root.path[0]),
        feeders=root.mark.feeders,
        condition=root.mark.condition,
        height=root.mark.height,
        feeds=tuple(root.mark.feeds),
        photo=root.photo,
    )


def _radiality_record(parts: RadialityDraws) -> Radiality:
    middle = parts.largest_gap_middle_deg
    return Radiality(
        index=figure(parts.index),
        coverage=figure(parts.coverage),
        evenness=figure(parts.evenness),
        balance=figure(parts.balance),
        heading=figure(parts.heading),
        largest_gap_deg=figure(parts.largest_gap_deg),
        largest_gap_clock=None if middle is None else clock_hour(middle),
        open_arcs=tuple((round(a, 1), round(b, 1)) for a, b in parts.open_arcs),
    )
