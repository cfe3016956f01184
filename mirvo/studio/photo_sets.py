"""Photos of one day joined into one plan: a card left in place, or places named in both.

Every photo of a set keeps its own marks; the figures belong to its lead, the first photo
in which the trunk is marked.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session as Unit

from mirvo.core.errors import BadInput
from mirvo.core.measure.report import top_as_record
from mirvo.core.measure.top_set import MarkedPhoto, measure_top_set
from mirvo.records.database import reading, writing
from mirvo.records.models import Measurement, Photo
from mirvo.studio.context import Studio
from mirvo.studio.marked import corners_for, info_of, read_draft
from mirvo.studio.photos import take_oblique


@dataclass(frozen=True)
class SetPhoto:
    """One photo of a set, and what is marked in it."""

    photo: Photo
    letters: list[str]
    trunk: bool
    underside: bool


Member = tuple[Photo, dict[str, Any]]
NO_TRUNK = "Draw the trunk's outline in the photo of the set that shows it best."
NO_ROOTS = "Draw each root in the photo that shows it best."


def joined(
    studio: Studio, photo: Photo, draft: dict[str, Any]
) -> tuple[dict[str, Any] | None, str | None]:
    """Figures of the set a photo belongs to, with its draft as it stands, or what is missing.

    Raises
    ------
    BadInput : the photo's own marks are wrong, or the set cannot be joined.
    """
    with reading(studio.engine) as unit:
        others = [one for one in _members(unit, photo) if one[0].id != photo.id]
    members = sorted([*others, (photo, draft)], key=lambda one: one[0].id)
    read_draft(studio, photo, draft, in_set=True)
    if not any(marks.get("trunk") or marks.get("trunks") for _, marks in members):
        return None, NO_TRUNK
    figures = measured_set(studio, members)
    return figures, None if figures["roots"] else NO_ROOTS


def settle_set(studio: Studio, photo: Photo, figures: dict[str, Any] | None = None) -> None:
    """Keep the figures of a day's set with its lead, and with no other of its photos.

    figures : the set's, where they were just worked out; else they are here.
    """
    with reading(studio.engine) as unit:
        members = _members(unit, photo)
    if not members:
        return
    lead = next(
        (one.id for one, marks in members if marks.get("trunk") or marks.get("trunks")), None
    )
    try:
        if lead is not None and figures is None:
            figures = measured_set(studio, members)
    except BadInput:
        pass  # each photo's own desk says what is wrong with it
    with writing(studio.engine) as unit:
        for one, _ in members:
            row = unit.scalar(select(Measurement).where(Measurement.photo_id == one.id))
            if row is not None:
                row.figures = figures if one.id == lead else None


def rows_of_set(unit: Unit, row: Measurement) -> list[Measurement]:
    """All measurements of the set a measurement leads; it alone when it leads none."""
    photo = unit.get(Photo, row.photo_id)
    if photo is None or not row.marks.get("set"):
        return [row]
    ids = [one.id for one, _ in _members(unit, photo)]
    return list(unit.scalars(select(Measurement).where(Measurement.photo_id.in_(ids))))


def photos_of_set(studio: Studio, photo: Photo) -> list[SetPhoto]:
    """The photos joined with one on its day, in the order they were put in."""
    with reading(studio.engine) as unit:
        members = _members(unit, photo)
    return [
        SetPhoto(
            one,
            [str(root.get("label")) for root in marks.get("roots", [])],
            bool(marks.get("trunk") or marks.get("trunks")),
            bool(marks.get("underside")),
        )
        for one, marks in members
    ]


def letters_elsewhere(members: list[SetPhoto], photo: Photo) -> list[str]:
    """Letters that roots bear in the set's other photos."""
    others = (one for one in members if one.photo.id != photo.id)
    return sorted({letter for one in others for letter in one.letters})


def shoot_set(studio: Studio, tree_id: int) -> int:
    """Three simulated oblique photos with the card left in place, and one of the underside;
    the first one's number."""
    taken = take_oblique(studio, tree_id)
    with writing(studio.engine) as unit:
        for photo, height, under in taken:
            calibration = {"kind": "card", "height_above_root_plane_mm": height}
            marks: dict[str, Any] = {
                "view": "top",
                "set": True,
                "calibration": calibration,
                "front": None,
                "trunk": None,
                "flare": None,
                "roots": [],
                **({"underside": True} if under else {}),
            }
            row = Measurement(tree_id=tree_id, photo_id=photo.id, revision=1, marks=marks)
            row.measured_on, row.updated_at = photo.taken_on, studio.now
            unit.add(row)
    return taken[0][0].id


def _members(unit: Unit, photo: Photo) -> list[Member]:
    query = (
        select(Photo, Measurement.marks)
        .join(Measurement, Measurement.photo_id == Photo.id)
        .where(
            Photo.tree_id == photo.tree_id,
            Photo.taken_on == photo.taken_on,
            Measurement.view == "top",
        )
        .order_by(Photo.id)
    )
    found = unit.execute(query).all()
    return [(one, marks) for one, marks in found if marks.get("set")]


def measured_set(studio: Studio, members: list[Member]) -> dict[str, Any]:
    """Figures of the set; photos not calibrated yet, and an underside not marked yet, are
    left out. Raises BadInput."""
    ready = []
    for photo, draft in members:
        under = bool(draft.get("underside"))
        unmarked = not (draft.get("roots") or draft.get("points"))
        if not draft.get("calibration") or (under and unmarked):
            continue
        marks = read_draft(studio, photo, draft, in_set=True)
        corners = corners_for(studio.photos, photo, marks.calibration.kind)
        ready.append(MarkedPhoto(photo.file_name, marks, info_of(photo), corners, under))
    return top_as_record(measure_top_set(ready))
