"""Measuring a base from the side: flare ratio and angles, taper, undercut, lean, emergences."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from mirvo.core.errors import BadInput
from mirvo.core.measure.ball import BallMeasure, measure_ball
from mirvo.core.measure.calibration import PhotoInfo
from mirvo.core.measure.elevation import Elevation, elevation
from mirvo.core.measure.side_marks import SideMarks
from mirvo.core.measure.silhouette import Silhouette, silhouette
from mirvo.core.measure.uncertainty import Array, Draws, Figure, figure

NARROWEST_FROM, NARROWEST_TO = 0.5, 2.0
ANGLE_OVER = 0.25
ANGLE_STEPS = 6
EXCESS = 1.03
SURE_SHARE = 0.975
TAPER_DROP_MM = 10.0
DEPTH_SD_SHARE = 0.15


@dataclass(frozen=True)
class EmergenceMeasure:
    """Where one root leaves the trunk: mm from the trunk's middle and above the soil line."""

    label: str
    height_mm: Figure
    x_mm: Figure


@dataclass(frozen=True)
class SideMeasure:
    """Everything measured on one side photo; figures that the marks do not reach are None.

    flare_angle_deg : left and right, from upright, positive where the base widens downward.
    lean_deg : of the trunk's middle line from upright, positive to the right.
    reverse_taper : heights in mm; reverse_taper_sure : whether at any of them it is beyond
    the measuring error. widths : height and width in mm, every 5 mm.
    """

    calibration: dict[str, Any]
    flare_ratio: Figure | None
    soil_line_width_mm: Figure
    narrowest_width_mm: Figure | None
    flare_angle_deg: dict[str, Figure]
    lean_deg: Figure
    reverse_taper: list[float]
    reverse_taper_sure: bool
    undercut: bool
    emergences: list[EmergenceMeasure]
    widths: list[tuple[float, float]]
    ball: BallMeasure | None


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
    frame.shift_x(middle)
    seen = draws.points([one.point for one in marks.emergences] or np.zeros((0, 2)))
    return SideView(marks, frame, outline.shifted(middle), width, seen)


def measure_side(
    marks: SideMarks,
    photo: PhotoInfo,
    card_corners: Array | None = None,
    draws: Draws | None = None,
) -> SideMeasure:
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


def measure_view(view: SideView) -> SideMeasure:
    """The figures of a view already set up."""
    outline, soil_width = view.outline, view.soil_width
    narrowest = _narrowest(outline, soil_width)
    z = outline.heights
    widths = outline.widths()
    width = widths[0]
    tapered = _reverse_taper(z, widths, float(soil_width[0]))
    measured = SideMeasure(
        calibration=_quality(view),
        flare_ratio=None if narrowest is None else figure(soil_width / narrowest),
        soil_line_width_mm=figure(soil_width),
        narrowest_width_mm=None if narrowest is None else figure(narrowest),
        flare_angle_deg=_flare_angles(outline, soil_width),
        lean_deg=_lean(outline),
        reverse_taper=[height for height, _ in tapered],
        reverse_taper_sure=any(sure for _, sure in tapered),
        undercut=_undercut(z, width, float(soil_width[0])),
        emergences=_emergences(view),
        widths=[(float(h), round(float(w), 2)) for h, w in zip(z, width, strict=True)],
        ball=None,
    )
    if view.marks.ball is None:
        return measured
    plane_z = _root_plane_height(measured.emergences)
    least = measured.narrowest_width_mm or measured.soil_line_width_mm
    return replace(measured, ball=measure_ball(view.marks.ball, view.frame, plane_z, least.value))


def at_soil_line(marks: SideMarks, line: Any) -> SideMarks:
    """The same marks with another soil line or pot rim tried on them, two points in px."""
    return marks.model_copy(update={"soil_line": tuple(tuple(map(float, p)) for p in line)})


def _narrowest(outline: Silhouette, soil_width: Array) -> Array | None:
    """Least width (rows,) between 0.5 and 2 soil-line widths above the soil line.

    None where the edges end below that range.
    """
    low, high = NARROWEST_FROM * soil_width[0], NARROWEST_TO * soil_width[0]
    inside = (outline.heights >= low) & (outline.heights <= high)
    if outline.top < low:
        return None
    if not inside.any():
        return np.asarray(outline.widths_at(np.array([low]))[:, 0])
    least = np.asarray(outline.smooth_widths()[:, inside].min(axis=1))
    return _without_twice_the_bias(least)


def _without_twice_the_bias(least: Array) -> Array:
    """The least of noisy widths lies low; draws are noisy once more and lie lower still.

    They are moved back by their own mean offset, so that it is not taken for spread
    (the bootstrap's bias; Efron & Tibshirani, An Introduction to the Bootstrap, ch. 10).
    """
    offset = np.mean(least[1:]) - least[0] if len(least) > 1 else 0.0
    return np.concatenate([least[:1], least[1:] - offset])


def _flare_angles(outline: Silhouette, soil_width: Array) -> dict[str, Figure]:
    """Slope of both edges over the lowest quarter of the soil-line width, from upright."""
    heights = np.linspace(0, ANGLE_OVER * float(soil_width[0]), ANGLE_STEPS)
    left, right = outline.edges_at(heights)
    away = heights - heights.mean()
    slopes = {"left": left @ away, "right": -(right @ away)}
    return {
        side: figure(np.degrees(np.arctan(slope / (away @ away)))) for side, slope in slopes.items()
    }


def _lean(outline: Silhouette) -> Figure:
    """Angle from upright of the line fitted to the trunk's middle over all marked heights."""
    left, right = outline.edges_at(outline.heights)
    if len(outline.heights) < 2:
        return Figure(0.0, 90.0)
    away = outline.heights - outline.heights.mean()
    slope = ((left + right) / 2) @ away / (away @ away)
    return figure(np.degrees(np.arctan(slope)))


def _reverse_taper(z: Array, widths: Array, soil_width: float) -> list[tuple[float, bool]]:
    """Heights wider than 10 mm below by over 3 %, and whether surely wider: in 95 % of draws."""
    found = []
    for height in z[z - TAPER_DROP_MM >= NARROWEST_FROM * soil_width]:
        here, below = (_width_at(z, widths, at) for at in (height, height - TAPER_DROP_MM))
        if here[0] > EXCESS * below[0]:
            found.append((float(height), bool(np.mean(here > below) > SURE_SHARE)))
    return found


def _width_at(z: Array, widths: Array, height: float) -> Array:
    """Width (rows,) at a height between the marked ones."""
    place = int(np.clip(np.searchsorted(z, height), 1, len(z) - 1))
    share = (height - z[place - 1]) / (z[place] - z[place - 1])
    return np.asarray(widths[:, place - 1] * (1 - share) + widths[:, place] * share)


def _undercut(z: Array, width: Array, soil_width: float) -> bool:
    near = z <= NARROWEST_FROM * soil_width
    return bool(width[near].max() > EXCESS * soil_width)


def _emergences(view: SideView) -> list[EmergenceMeasure]:
    if not view.marks.emergences:
        return []
    flat = view.frame.of_draws(view.emergence_px)
    places = view.frame.of_draws(view.emergence_px, view.nearer(flat[..., 0]))
    return [
        EmergenceMeasure(one.label, figure(places[:, i, 1]), figure(places[:, i, 0]))
        for i, one in enumerate(view.marks.emergences)
    ]


def _root_plane_height(emergences: list[EmergenceMeasure]) -> float:
    """Median emergence height, the soil line where none is marked, mm."""
    heights = [one.height_mm.value for one in emergences]
    return float(np.median(heights)) if heights else 0.0


def _quality(view: SideView) -> dict[str, Any]:
    plane = view.frame.plane
    at = np.mean(np.asarray(view.marks.soil_line), axis=0)
    said = plane.quality(at)
    if view.outline.top < NARROWEST_TO * float(view.soil_width[0]):
        said["warnings"].append(
            f"The edges end {view.outline.top:.0f} mm above the soil line; the narrowest width is "
            f"sought up to {NARROWEST_TO * float(view.soil_width[0]):.0f} mm. Mark them higher."
        )
    return said
