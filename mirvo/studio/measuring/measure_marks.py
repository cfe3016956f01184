"""From marks as the desk keeps them to checked marks and a record."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from mirvo.core.measure.calibration import calibrate_by
from mirvo.core.measure.drafts import SideDraft, TopDraft, finished_part
from mirvo.core.measure.marks import TopMarks, read_marks
from mirvo.core.measure.plane_map import PhotoInfo
from mirvo.core.measure.records import CalibrationQuality, SideRecord, TopRecord
from mirvo.core.measure.side import measure_side
from mirvo.core.measure.side_marks import SideMarks, read_side_marks
from mirvo.core.measure.top import measure_top
from mirvo.core.measure.uncertainty import Array, Draws
from mirvo.records.models import Photo, Yard
from mirvo.records.photos import PhotoStore
from mirvo.studio.photos.photo_view import card_corners, info_of

# To say where things lie no error bars are needed.
FEW_DRAWS = 1
# Revisions of marks whose figures are kept in memory, a few kB each.
REVISIONS = 256


def checked_marks(photo: Photo, draft: TopDraft, yard: Yard, in_set: bool = False) -> TopMarks:
    """The finished part of a draft, checked: open marks and roots without a path left out.

    yard : whose hand clicked, and whose card lies in the photo. in_set : one photo of several,
    which may leave the trunk to another.

    Raises
    ------
    BadInput : names the first mark that cannot be used and why.
    """
    size = photo.width, photo.height
    drafted = draft.model_dump_json(exclude_unset=True)
    return _checked(drafted, yard.click_sd_px, yard.card_line_mm, size, in_set)


@lru_cache(maxsize=REVISIONS)
def _checked(
    drafted: str,
    click_sd_px: float,
    check_line_mm: float | None,
    size: tuple[int, int],
    in_set: bool,
) -> TopMarks:
    """One revision of marks checked; a page asks for them at every look at it."""
    draft = TopDraft.model_validate_json(drafted)
    return read_marks(finished_part(draft, click_sd_px, check_line_mm), size, in_set)


def checked_side_marks(photo: Photo, draft: SideDraft, yard: Yard) -> SideMarks:
    """As `checked_marks`, for a photo from the side. Raises BadInput."""
    done = finished_part(draft, yard.click_sd_px, yard.card_line_mm)
    return read_side_marks(done, (photo.width, photo.height))


def measure_photo(photos: PhotoStore, photo: Photo, marks: TopMarks) -> TopRecord:
    """What one photo from above gives. Raises BadInput."""
    corners = corners_for(photos, photo, marks.calibration.kind)
    known = None if corners is None else tuple(map(tuple, corners.tolist()))
    return _measured(marks.model_dump_json(), info_of(photo), known)


@lru_cache(maxsize=REVISIONS)
def _measured(
    marks: str, photo: PhotoInfo, corners: tuple[tuple[float, float], ...] | None
) -> TopRecord:
    """Figures of one revision of marks; a page asks for them at every look at it."""
    given = None if corners is None else np.array(corners)
    return measure_top(TopMarks.model_validate_json(marks), photo, given).as_kept()


def calibration_seen(
    photos: PhotoStore, photo: Photo, draft: TopDraft, yard: Yard
) -> CalibrationQuality:
    """What a calibration says by itself, before a trunk or a root is marked. Raises BadInput."""
    bare = draft.model_copy(update={"trunk": None, "trunks": None, "flare": None, "roots": ()})
    marks = checked_marks(photo, bare, yard, in_set=True)
    info, corners = info_of(photo), corners_for(photos, photo, marks.calibration.kind)
    plane = calibrate_by(marks, info, Draws(0.0, FEW_DRAWS), corners)
    return plane.quality(np.array(info.centre) if corners is None else corners.mean(axis=0))


def measure_side_photo(photos: PhotoStore, photo: Photo, marks: SideMarks) -> SideRecord:
    """What one photo from the side gives. Raises BadInput."""
    corners = corners_for(photos, photo, marks.calibration.kind)
    return measure_side(marks, info_of(photo), corners).as_kept()


def corners_for(photos: PhotoStore, photo: Photo, kind: str) -> Array | None:
    """The card's corners when a calibration is by card. Raises BadInput."""
    return card_corners(photos, photo.digest) if kind == "card" else None
