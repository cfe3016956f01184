"""A measured photo laid flat: the base as seen straight from above, in the tree's plan."""

from __future__ import annotations

from pathlib import Path

from mirvo.core.errors import NotFound
from mirvo.records.database import DbSession, find_kept
from mirvo.records.models import Measurement, Photo
from mirvo.records.pictures import colour_of, jpeg_of
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.measuring.measure_marks import checked_marks, corners_for
from mirvo.studio.photos.photo_view import info_of

PLAN_SIDE_PX, BASE_SIDE_PX = 720, 800
# A base is shown beside others to one scale, so its photo reaches beyond its own frame.
AROUND_BASE = 2.2
# Raised when the picture is made otherwise.
MADE = 2
BASE = "base"


def plan_photo(
    db: DbSession, studio: Studio, measurement_id: int, turn_deg: float, reach_mm: float
) -> bytes:
    """JPEG of a measured photo laid flat, turned so that it fits another date's plan.

    Raises
    ------
    NotFound : there is no such measurement. BadInput : its marks do not determine the plan.
    """
    row, photo = _measured(db, measurement_id)
    content = studio.photos.read(photo.digest)
    return _flat(db, studio, row, photo, content, turn_deg, reach_mm, PLAN_SIDE_PX)


def base_photo(db: DbSession, studio: Studio, measurement_id: int) -> Path:
    """JPEG of a base laid flat, `AROUND_BASE` of its frame from the trunk's centre to each side;
    kept until the marks change. Raises NotFound, BadInput."""
    row, photo = _measured(db, measurement_id)
    reach = 0.0 if row.top is None else AROUND_BASE * row.top.frame_mm

    def make(content: bytes) -> bytes:
        return _flat(db, studio, row, photo, content, 0.0, reach, BASE_SIDE_PX)

    return studio.photos.made(photo.digest, BASE, f"{row.id}-{row.revision}-{MADE}", make)


def _measured(db: DbSession, measurement_id: int) -> tuple[Measurement, Photo]:
    row = find_kept(db, Measurement, measurement_id)
    photo = None if row is None else find_kept(db, Photo, row.photo_id)
    if row is None or photo is None or row.top is None:
        raise NotFound("measurement", "there is no such measurement")
    return row, photo


def _flat(
    db: DbSession,
    studio: Studio,
    row: Measurement,
    photo: Photo,
    content: bytes,
    turn_deg: float,
    reach_mm: float,
    side_px: int,
) -> bytes:
    from mirvo.core.vision.plan_picture import plan_picture  # heavy: looks at the photo

    marks = checked_marks(photo, row.top_marks, yard_of(db), in_set=bool(row.top_marks.set))
    corners = corners_for(studio.photos, photo, marks.calibration.kind)
    flat = plan_picture(
        marks, info_of(photo), colour_of(content), turn_deg, reach_mm, side_px, corners
    )
    return jpeg_of(flat)
