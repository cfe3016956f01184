"""Measuring a base from the side: flare ratio and angles, taper, undercut, lean, emergences."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from mirvo.core.errors import BadInput
from mirvo.core.measure.ball import measure_ball
from mirvo.core.measure.elevation import Elevation, elevation
from mirvo.core.measure.flare import (
    NARROWEST_TO,
    flare_angles,
    flare_ratio,
    lean,
    narrowest,
    reverse_taper,
    undercut,
)
from mirvo.core.measure.plane_map import PhotoInfo
from mirvo.core.measure.records import (
    CalibrationQuality,
    EmergenceRecord,
    SideRecord,
    SoilLineTrial,
)
from mirvo.core.measure.side_marks import SideMarks
from mirvo.core.measure.silhouette import Silhouette, silhouette
from mirvo.core.measure.soil_line_trial import try_soil_line
from mirvo.core.measure.uncertainty import Array, Draws, figure

# A base is not quite round; so far its front lies off the half circle.
DEPTH_SD_SHARE = 0.15


@dataclass
class SideView:
    """One photo in its frame, with x = 0 in the middle of the trunk at the soil line."""

    marks: SideMarks
    frame: Elevation
    outline: Silhouette
    soil_width: Array
    emergence_px: Array

    def nearer(self, x: Array) -> Array:
        """How far towards the camera a point of the base at `x` (rows, n) stands, mm.

        The base is taken as round: the depth of its front half there. Where the camera's
        pitch is not known nothing is drawn back, and the depth goes into the ± alone.
        """
        radius = self.soil_width[:, None] / 2
        depth = np.sqrt(np.maximum(radius**2 - x**2, 0.0))
        return self.known(depth * (1 + self.frame.draws.scalars(0.0, DEPTH_SD_SHARE))[:, None])

    def known(self, depth: Array) -> Array:
        """A depth (rows, n) as far as this view may use it."""
        if self.frame.has_pitch:
            return depth
        # Row 0 is the figure; only its ± knows of the depth.
        return np.concatenate([np.zeros_like(depth[:1]), depth[1:]])


def read_view(
    marks: SideMarks, photo: PhotoInfo, draws: Draws, card_corners: Array | None = None
) -> SideView:
    """Set up one photo in the elevation frame.

    Raises
    ------
    BadInput : the edges do not reach the soil line or lie the wrong way round.
    """
    frame = elevation(marks, photo, draws, card_corners)
    outline = silhouette(frame, marks)
    at_soil = outline.edges_at(np.zeros(1))[:, :, 0]
    width = at_soil[1] - at_soil[0]
    if width[0] <= 0:
        raise BadInput("left_edge", "the left edge lies right of the right one; exchange them")
    middle = at_soil.mean(axis=0)
    # x counts from the trunk's middle at the soil, where the root plane is asked for.
    frame.shift_x(middle)
    seen = draws.points([emergence.point for emergence in marks.emergences] or np.zeros((0, 2)))
    return SideView(marks, frame, outline.shifted(middle), width, seen)


def measure_side(
    marks: SideMarks,
    photo: PhotoInfo,
    card_corners: Array | None = None,
    draws: Draws | None = None,
) -> SideRecord:
    """Measure one photo from the side.

    Parameters
    ----------
    marks : checked marks, see `read_side_marks`.
    photo : size and focal length; a focal length in the marks overrides it.
    card_corners : (16, 2) px from `find_card`, needed for the card calibration only.

    Raises
    ------
    BadInput : the marks do not determine the figures; says which mark and why.
    """
    draws = draws or Draws(marks.click_sd_px)
    return measure_view(read_view(marks, photo, draws, card_corners))


def measure_view(view: SideView) -> SideRecord:
    """The figures of a view already set up."""
    outline, soil_width = view.outline, view.soil_width
    least = narrowest(outline, soil_width)
    z = outline.heights
    widths = outline.widths()
    width = widths[0]
    tapered = reverse_taper(z, widths, float(soil_width[0]))
    places = _emergence_places(view)
    trials = _trials(view, places)
    ratio = None if least is None else flare_ratio(soil_width, least, view.frame.draws)
    measured = SideRecord(
        calibration=_quality(view),
        flare_ratio=ratio,
        soil_line_width_mm=figure(soil_width),
        narrowest_width_mm=None if least is None else figure(least),
        flare_angle_deg=flare_angles(outline, soil_width),
        lean_deg=lean(outline),
        reverse_taper=tuple(height for height, _ in tapered),
        reverse_taper_sure=any(sure for _, sure in tapered),
        undercut=undercut(z, width, float(soil_width[0])),
        emergences=tuple(_emergence(label, place) for label, place in places.items()),
        widths=tuple((float(h), round(float(w), 2)) for h, w in zip(z, width, strict=True)),
        soil_line_trials=trials,
    )
    if view.marks.ball is None:
        return measured
    plane_z = _root_plane_height(measured.emergences)
    trunk = measured.narrowest_width_mm or measured.soil_line_width_mm
    ball = measure_ball(view.marks.ball, view.frame, plane_z, trunk.value)
    return measured.model_copy(update={"ball": ball})


def _emergence_places(view: SideView) -> dict[str, Array]:
    """x and z (rows, 2), mm, of each root where it leaves the trunk, by its letter."""
    if not view.marks.emergences:
        return {}
    # First where it is seen, then drawn back by how much nearer it stands.
    flat = view.frame.of_draws(view.emergence_px)
    places = view.frame.of_draws(view.emergence_px, view.nearer(flat[..., 0]))
    return {emergence.label: places[:, i] for i, emergence in enumerate(view.marks.emergences)}


def _emergence(label: str, place: Array) -> EmergenceRecord:
    return EmergenceRecord(label=label, height_mm=figure(place[:, 1]), x_mm=figure(place[:, 0]))


def _trials(view: SideView, places: dict[str, Array]) -> tuple[SoilLineTrial, ...]:
    if not view.marks.tried:
        return ()
    heights = view.frame.points([trial.point for trial in view.marks.tried])[..., 1]
    above = {label: place[:, 1] for label, place in places.items()}
    return tuple(
        try_soil_line(trial, view.outline, heights[:, i], above, view.frame.draws)
        for i, trial in enumerate(view.marks.tried)
    )


def _root_plane_height(emergences: tuple[EmergenceRecord, ...]) -> float:
    """Median emergence height, the soil line where none is marked, mm."""
    heights = [emergence.height_mm.value for emergence in emergences]
    # One root far off must not tilt what the ball's depth is counted from.
    return float(np.median(heights)) if heights else 0.0


def _quality(view: SideView) -> CalibrationQuality:
    plane = view.frame.plane
    at = np.mean(np.asarray(view.marks.soil_line), axis=0)
    quality = plane.quality(at)
    sought_to = NARROWEST_TO * float(view.soil_width[0])
    if view.outline.top >= sought_to:
        return quality
    return quality.warned(
        f"The edges end {view.outline.top:.0f} mm above the soil line; the narrowest width is "
        f"sought up to {sought_to:.0f} mm. Mark them higher."
    )
