"""Side views of one day together: the root plane, and how to tilt the tree level."""

from __future__ import annotations

from datetime import date
from typing import Any

from sqlalchemy import select

from mirvo.core.errors import BadInput
from mirvo.core.measure.report import plane_as_json
from mirvo.core.measure.side_set import MarkedSide, root_plane_of
from mirvo.records.database import reading
from mirvo.records.models import Measurement, Photo
from mirvo.studio.context import Studio
from mirvo.studio.desk import save_marks
from mirvo.studio.marked import corners_for, info_of, read_side_draft
from mirvo.studio.photos import take_turntable


def shoot_turntable(studio: Studio, tree_id: int) -> int:
    """Take eight simulated side views, their turns entered; the first photo's number."""
    taken = take_turntable(studio, tree_id)
    for photo, turn in taken:
        marks: dict[str, Any] = {
            "view": "side",
            "calibration": {"kind": "card"},
            "soil_line": None,
            "left_edge": None,
            "right_edge": None,
            "emergences": [],
            "turntable_deg": turn,
        }
        save_marks(studio, photo.id, marks, 0)
    return taken[0][0].id


def views_of_day(studio: Studio, tree_id: int, day: date) -> list[tuple[Photo, dict[str, Any]]]:
    """Side photos of a day, by how far the tree was turned, with their marks so far."""
    query = (
        select(Photo, Measurement.marks)
        .outerjoin(Measurement, Measurement.photo_id == Photo.id)
        .where(Photo.tree_id == tree_id, Photo.kind == "side", Photo.taken_on == day)
        .order_by(Photo.id)
    )
    with reading(studio.engine) as unit:
        rows = [(photo, marks or {}) for photo, marks in unit.execute(query).all()]
    return sorted(rows, key=lambda row: (float(row[1].get("turntable_deg") or 0), row[0].id))


def root_plane_of_day(
    studio: Studio, tree_id: int, day: date, without: frozenset[str] = frozenset()
) -> dict[str, Any] | None:
    """The root plane of a day's finished side views; None with fewer than three roots.

    Roots `without` are left out.
    """
    views = []
    for photo, draft in views_of_day(studio, tree_id, day):
        try:
            seen = [one for one in draft.get("emergences", []) if one.get("label") not in without]
            marks = read_side_draft(studio, photo, {**draft, "emergences": seen})
            corners = corners_for(studio.photos, photo, marks.calibration.kind)
        except BadInput:
            continue  # an unfinished view says so on its own desk
        views.append(MarkedSide(photo.file_name, marks, info_of(photo), corners))
    if not views:
        return None
    try:
        plane = root_plane_of(views)
    except BadInput:
        return None
    return None if plane is None else plane_as_json(plane)
