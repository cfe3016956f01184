"""From picture to millimetres: every kind of calibration ends as one `PlaneMap`."""

from __future__ import annotations

from typing import Protocol

import numpy as np

from mirvo.core.errors import BadInput
from mirvo.core.measure.contract import (
    AnyCalibration,
    CardCalibration,
    EllipseCalibration,
    RectangleCalibration,
    SegmentCalibration,
)
from mirvo.core.measure.ellipse import ellipse_to_circle
from mirvo.core.measure.geometry import length_of
from mirvo.core.measure.plane_map import PhotoInfo, PlaneMap, apply_homography
from mirvo.core.measure.pose import (
    KNOWN_FOCAL_LOG_SD,
    NO_CAMERA,
    RADIAL_SD,
    UNKNOWN_FOCAL_LOG_SD,
    Pose,
    Prior,
    homography_from_points,
    solve_pose,
    unbend,
)
from mirvo.core.measure.uncertainty import Array, Draws

# Beyond this a pixel at the far side covers several millimetres.
STEEP_TILT_DEG = 60.0
# Of the reference's size: a careful hand misses by less, swapped lengths by far more.
POSE_MISFIT = 0.015
# How far a hand that means to look straight down is off.
UNKNOWN_TILT_SD_DEG = 4.0
# Where nothing tells the height: as most people hold a phone over a pot.
USUAL_CAMERA_HEIGHT_MM = 735.0
USUAL_CAMERA_HEIGHT_LOG_SD = 0.25
# What the corner finder reaches on photos that were not rendered here.
CARD_CORNER_SD_PX = 0.12
VAGUE_FOCAL_LOG_SD = 0.05
MIN_POINT_SD_PX = 0.1
# The card's check line, and how true a print is: measured with a ruler, or never.
CHECK_LINE_MM = 100.0
CHECKED_PRINT_SD, UNCHECKED_PRINT_SD = 0.001, 0.003
# How level a card lies that is put down on soil or a rim.
LEVEL_SD_DEG = 1.0
MISFIT_TOLD, MISFIT_SAID_PX = 1.5, 0.6
BENT_MM = 1.2
SHEET_HALF_MM = np.array([85.0, 65.0])
UNKNOWN_HEIGHT = (
    "The camera's height is unknown, so heights above the root plane cannot be allowed for; "
    "the ± is wider for it. Enter the camera's height or the focal length."
)
ASSUMED_FOCAL = (
    "The photo does not tell its focal length; a usual phone's is assumed, so heights above the "
    "root plane are allowed for only roughly. Enter the focal length or the camera's height."
)
CROPPED = (
    "The card does not stand as the whole of a camera's picture would show it: the photo is "
    "cropped. That is allowed for, but put in the photo as the camera made it."
)
STRAIGHT_DOWN = "Two points give the scale only: the camera is taken to have looked straight down."


class Marks(Protocol):
    """Marks of any view: how the photo is calibrated, and its focal length where they tell it."""

    @property
    def calibration(self) -> AnyCalibration: ...

    @property
    def focal_length_35mm(self) -> float | None: ...


def calibrate_by(
    marks: Marks, photo: PhotoInfo, draws: Draws, card_corners: Array | None = None
) -> PlaneMap:
    """`calibrate` with the focal length the marks tell, if any, in place of the photo's own."""
    # What a person entered goes before what the file says: a cropped photo keeps its old
    # figure.
    given = marks.focal_length_35mm or marks.calibration.focal_length_35mm
    if given is not None:
        photo = PhotoInfo(photo.width, photo.height, given)
    return calibrate(marks.calibration, photo, draws, card_corners)


def calibrate(
    calibration: AnyCalibration,
    photo: PhotoInfo,
    draws: Draws,
    card_corners: Array | None = None,
) -> PlaneMap:
    """Build the map for one photo.

    Parameters
    ----------
    card_corners : (16, 2) px, marker corners in the order of `card_layout`, for kind card; NaN
        for a marker that is hidden.

    Raises
    ------
    BadInput : when the marks do not determine a map.
    """
    if isinstance(calibration, SegmentCalibration):
        plane = _from_segment(calibration, photo, draws)
    elif isinstance(calibration, EllipseCalibration):
        plane = _from_ellipse(calibration, photo, draws)
    else:
        try:
            plane = _from_known_points(calibration, photo, draws, card_corners)
        except (np.linalg.LinAlgError, ZeroDivisionError):
            # Points on one line or one spot, or all but: nothing can be solved for.
            raise BadInput("calibration", NO_CAMERA) from None
    # Without a height the figure stands for roots on the plane alone; that must be said.
    if not np.isfinite(plane.camera_height[0]):
        plane.warnings.append(UNKNOWN_HEIGHT)
    if plane.tilt_deg is not None and plane.tilt_deg > STEEP_TILT_DEG:
        plane.warnings.append(
            f"The camera was tilted by {plane.tilt_deg:.0f}°; beyond 60° figures become unsafe."
        )
    return plane


def _from_segment(cal: SegmentCalibration, photo: PhotoInfo, draws: Draws) -> PlaneMap:
    ends = draws.points([cal.a, cal.b])
    length_px = length_of(ends[:, 1] - ends[:, 0])
    scale = cal.length_mm / length_px
    matrix = np.zeros((draws.rows, 3, 3))
    # Two points give one scale and no perspective.
    matrix[:, 0, 0] = matrix[:, 1, 1] = scale
    matrix[:, 2, 2] = 1.0
    height = _camera_height(cal.camera_height_mm, scale, photo, draws)
    foot = apply_homography(matrix, np.broadcast_to(photo.centre, (draws.rows, 1, 2)))[:, 0]
    tilted = tilt_draws(foot, height, draws, UNKNOWN_TILT_SD_DEG) @ matrix
    # Tilting stretches the known length; it is known, so it is put right again.
    again = apply_homography(tilted, ends)
    tilted[:, :2] *= (cal.length_mm / length_of(again[:, 1] - again[:, 0]))[:, None, None]
    plane = PlaneMap(
        "segment", tilted, foot, height, _reference_height(cal, draws), *_lens(photo, draws)
    )
    plane.warnings.append(STRAIGHT_DOWN)
    return plane


def _from_ellipse(cal: EllipseCalibration, photo: PhotoInfo, draws: Draws) -> PlaneMap:
    rim = draws.points(cal.points)
    ends = None if cal.long_axis is None else draws.points(cal.long_axis)
    matrix, residual, tilt = ellipse_to_circle(rim, cal.length_mm, cal.width_mm, ends)
    # The scale an ellipse has on the whole: the root of how it swells areas.
    scale = np.sqrt(np.abs(np.linalg.det(matrix[:, :2, :2])))
    height = _camera_height(cal.camera_height_mm, scale, photo, draws)
    foot = apply_homography(matrix, np.broadcast_to(photo.centre, (draws.rows, 1, 2)))[:, 0]
    matrix = tilt_draws(foot, height, draws, max(UNKNOWN_TILT_SD_DEG, tilt)) @ matrix
    plane = PlaneMap(
        "ellipse", matrix, foot, height, _reference_height(cal, draws), *_lens(photo, draws)
    )
    plane.residual_mm, plane.tilt_deg = residual, tilt
    if cal.long_axis is None and abs(cal.length_mm - cal.width_mm) > 0.02 * cal.length_mm:
        plane.warnings.append(
            "The ends of the long axis are not marked; the longest line seen is taken for it."
        )
    return plane


def _from_known_points(
    cal: CardCalibration | RectangleCalibration,
    photo: PhotoInfo,
    draws: Draws,
    card_corners: Array | None,
) -> PlaneMap:
    known, seen, sd = _known_points(cal, draws, card_corners)
    picture = draws.points(seen, sd)
    of_paper = isinstance(cal, CardCalibration)
    bends = _ways_to_bend(known) if of_paper else None
    # The misfit is judged against how large the reference is.
    size = float(np.ptp(known, axis=0).max())
    prior = _prior(cal.camera_height_mm, photo)
    sd = max(sd, MIN_POINT_SD_PX)
    pose = solve_pose(known, picture, sd, photo.centre, prior, draws, bends)
    if of_paper and pose.misfit_px > MISFIT_TOLD * sd:
        # What the corners are off, they are off for the camera too.
        sd = pose.misfit_px
        picture = draws.points(seen, sd)
        pose = solve_pose(known, picture, sd, photo.centre, prior, draws, bends)
    # A bent lens must not be taken for a wrong pose.
    straight = unbend(picture[:1], pose.centre, pose.focal[:1], pose.radial[:1])
    misfit = _rms(apply_homography(pose.to_plane[:1], straight)[0] - known)
    if misfit < POSE_MISFIT * size:
        matrix, lens = pose.to_plane, (pose.centre, pose.focal, pose.radial)
        # Four points fix a plane without any lens; a guessed focal length could only spoil it.
        if photo.focal_px is None and len(known) == 4:
            matrix, lens = homography_from_points(picture, known), _lens(photo, draws)
        height = _reference_height(cal, draws)
        foot, above = pose.foot, pose.height
        if of_paper:
            uneven, above = _uneven(foot, above, known.mean(axis=0), draws)
            matrix = uneven @ matrix
        printed = _printed_scale(cal, draws)
        matrix = matrix * np.stack([printed, printed, np.ones(draws.rows)], axis=1)[:, :, None]
        foot, above = foot * printed[:, None], above * printed
        plane = PlaneMap(cal.kind, matrix, foot, above, height, *lens)
        plane.residual_mm, plane.tilt_deg = misfit, pose.tilt_deg
        if of_paper:
            plane.warnings += _said_of_paper(pose)
        # Of a cropped photo more than that is found anew, and was said.
        if not pose.cropped and prior.log_height is None and pose.focal_log_sd > VAGUE_FOCAL_LOG_SD:
            plane.warnings.append(ASSUMED_FOCAL)
        return plane
    return _without_pose(cal, photo, draws, known, picture, misfit)


def _without_pose(
    cal: CardCalibration | RectangleCalibration,
    photo: PhotoInfo,
    draws: Draws,
    known: Array,
    picture: Array,
    misfit: float,
) -> PlaneMap:
    """The plain homography, for a picture that no camera at that focal length can have taken."""
    warnings = [
        "The corners do not fit the focal length (photo cropped, or the lengths swapped?), "
        f"off by {misfit:.1f} mm; the focal length is left aside."
    ]
    if isinstance(cal, RectangleCalibration):
        warnings += _swapped_lengths(cal)
    # Any four points fit some plane: better that than no figures at all.
    free = homography_from_points(picture, known)
    foot = apply_homography(free, np.broadcast_to(photo.centre, (draws.rows, 1, 2)))[:, 0]
    height = _entered_height(cal.camera_height_mm, draws)
    lens = _lens(photo, draws)
    plane = PlaneMap(cal.kind, free, foot, height, _reference_height(cal, draws), *lens)
    plane.warnings = warnings
    if len(known) > 4:
        plane.residual_mm = _rms(apply_homography(free[:1], picture[:1])[0] - known)
    return plane


def _ways_to_bend(known: Array) -> Array:
    """Ways a sheet of paper bends (5, n): folded along and across, curled along and across, and
    twisted; each 1 mm at the sheet's ends."""
    x, y = ((known - known.mean(axis=0)) / SHEET_HALF_MM).T
    return np.stack([np.abs(x), np.abs(y), x**2, y**2, x * y])


def _uneven(foot: Array, height: Array, middle: Array, draws: Draws) -> tuple[Array, Array]:
    """A card that does not lie quite level with the roots: maps of mm to mm, camera heights.

    Tilted about its middle (2,), mm, by some angle nobody sees; row 0 lies level. A ray from the
    camera through p on the card meets the level plane at f + (p - f)(H - s·(f - m)) / (H + s·(p -
    f)), with f the camera's foot, H its height and s the slopes.
    """
    sd = np.tan(np.radians(LEVEL_SD_DEG))
    slope = np.stack([draws.scalars(0.0, sd), draws.scalars(0.0, sd)], axis=1)
    slope[0] = 0.0
    above = np.maximum(height - (slope * (foot - middle)).sum(axis=1), 1.0)
    matrix = np.zeros((draws.rows, 3, 3))
    matrix[:, 2, :2] = slope
    matrix[:, 2, 2] = height - (slope * foot).sum(axis=1)
    matrix[:, 0, 0] = matrix[:, 1, 1] = above
    matrix[:, :2, 2] = -above[:, None] * foot
    matrix[:, :2] += np.einsum("ki,kj->kij", foot, matrix[:, 2])
    return matrix / height[:, None, None], above


def _printed_scale(cal: CardCalibration | RectangleCalibration, draws: Draws) -> Array:
    """How much larger a card may be printed than it is taken to be (rows,); row 0 is 1."""
    if not isinstance(cal, CardCalibration):
        return np.ones(draws.rows)
    # Nobody has looked: printers are true to half a percent, unless told to fit the page.
    unchecked = cal.check_line_mm is None
    return draws.scalars(1.0, UNCHECKED_PRINT_SD if unchecked else CHECKED_PRINT_SD)


def _said_of_paper(pose: Pose) -> list[str]:
    said = [CROPPED] if pose.cropped else []
    lifted = float(np.ptp(pose.lifted)) if len(pose.lifted) else 0.0
    if lifted > BENT_MM:
        said.append(
            f"The card is bent or creased: parts of it stand {lifted:.1f} mm higher than others. "
            "That is allowed for, but lay it on something flat."
        )
    if pose.misfit_px > MISFIT_SAID_PX:
        said.append(
            f"The card's corners are {pose.misfit_px:.1f} px off where a flat or bent card has "
            "them; the ± is wider for it. Take the photo again: sharp, the card whole and clean."
        )
    return said


def _prior(camera_height_mm: float | None, photo: PhotoInfo) -> Prior:
    known = photo.focal_px is not None
    return Prior(
        float(np.log(photo.usual_focal_px)),
        KNOWN_FOCAL_LOG_SD if known else UNKNOWN_FOCAL_LOG_SD,
        None if camera_height_mm is None else float(np.log(camera_height_mm)),
    )


def _lens(photo: PhotoInfo, draws: Draws) -> tuple[Array, Array, Array]:
    """Centre, focal lengths and radial terms of a lens the reference tells nothing about."""
    focal = np.full(draws.rows, photo.usual_focal_px)
    return photo.centre, focal, draws.scalars(0.0, RADIAL_SD)


def _known_points(
    cal: CardCalibration | RectangleCalibration, draws: Draws, card_corners: Array | None
) -> tuple[Array, Array, float]:
    if isinstance(cal, RectangleCalibration):
        length, width = cal.length_mm, cal.width_mm
        known = np.array([[0.0, 0.0], [length, 0.0], [length, width], [0.0, width]])
        return known, np.asarray(cal.corners, dtype=float), draws.click_sd_px
    if card_corners is None:
        raise BadInput("calibration", "no card was found in the photo")
    # Corners of a marker that is hidden are no numbers; three markers are enough.
    seen = np.isfinite(card_corners).all(axis=1)
    # As large as it was printed: heights a person measured are in true millimetres too.
    printed = (cal.check_line_mm or CHECK_LINE_MM) / CHECK_LINE_MM
    return card_layout()[seen] * printed, card_corners[seen], CARD_CORNER_SD_PX


def card_layout() -> Array:
    """Marker corners of the card, (16, 2) mm: ids 0 to 3, each clockwise from its top left.

    Markers are 30 mm square, their centres on a rectangle of 120 x 80 mm.
    """
    # The printed card is a file contract: these numbers never change.
    centres = np.array([[0.0, 0.0], [120.0, 0.0], [120.0, 80.0], [0.0, 80.0]])
    square = np.array([[-15.0, -15.0], [15.0, -15.0], [15.0, 15.0], [-15.0, 15.0]])
    return np.asarray((centres[:, None, :] + square[None, :, :]).reshape(16, 2))


def _camera_height(
    entered: float | None, mm_per_px: Array, photo: PhotoInfo, draws: Draws
) -> Array:
    """Height above the reference: entered, else from scale and focal length, else unknown."""
    if entered is None and photo.focal_px is not None:
        focal = photo.focal_px * np.exp(draws.scalars(0.0, KNOWN_FOCAL_LOG_SD))
        return np.asarray(mm_per_px * focal)
    return _entered_height(entered, draws)


def _entered_height(entered: float | None, draws: Draws) -> Array:
    if entered is not None:
        # A tape held to a phone is good to about 2 %.
        return draws.scalars(entered, 0.02 * entered)
    spread = np.exp(draws.scalars(0.0, USUAL_CAMERA_HEIGHT_LOG_SD)) * USUAL_CAMERA_HEIGHT_MM
    # The figure itself allows for nothing, its ± for what might be.
    spread[0] = np.inf
    return np.asarray(spread)


def _reference_height(cal: AnyCalibration, draws: Draws) -> Array:
    # People enter a ± they mean as 95 %; draws want a standard deviation.
    return draws.scalars(cal.height_above_root_plane_mm, cal.height_plus_minus_mm / 1.96)


def tilt_draws(foot: Array, height: Array, draws: Draws, sd_deg: float) -> Array:
    """Projective maps of mm to mm for a camera that looked a little askew; row 0 identity."""
    sd = np.tan(np.radians(sd_deg))
    slope = np.stack([draws.scalars(0.0, sd), draws.scalars(0.0, sd)], axis=1)
    matrix = np.zeros((draws.rows, 3, 3))
    matrix[:, 0, 0] = matrix[:, 1, 1] = 1.0
    matrix[:, 2, :2] = slope / height[:, None]
    matrix[:, 2, 2] = 1.0 - (slope * foot).sum(1) / height
    shift = np.einsum("ki,kj->kij", foot, matrix[:, 2])
    matrix[:, :2] += shift
    matrix[:, :2, 2] -= foot
    return matrix


def _swapped_lengths(cal: RectangleCalibration) -> list[str]:
    corners = np.asarray(cal.corners, dtype=float)
    sides = length_of(np.roll(corners, -1, axis=0) - corners)
    seen = np.log((sides[0] + sides[2]) / (sides[1] + sides[3]))
    entered = np.log(cal.length_mm / cal.width_mm)
    if abs(seen - entered) > 0.2 and abs(seen + entered) < abs(seen - entered) - 0.1:
        return ["The length and width look swapped: the length lies between the first two corners."]
    return []


def _rms(difference: Array) -> float:
    return float(np.sqrt((difference**2).sum(-1).mean()))
