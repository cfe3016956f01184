"""Photos of one day joined into one plan: a card left in place, or places named in both.

Every photo of a set keeps its own marks; the figures belong to its lead, the first photo
in which the trunk is marked.
"""

from __future__ import annotations

from contextlib import suppress
from dataclasses import dataclass
from datetime import date
from functools import lru_cache

import numpy as np
from sqlalchemy import select

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.measure.drafts import CalibrationDraft, TopDraft, blank_draft
from mirvo.core.measure.marks import TopMarks
from mirvo.core.measure.plane_map import PhotoInfo
from mirvo.core.measure.records import TopRecord
from mirvo.core.measure.top_set import MarkedPhoto, measure_top_set
from mirvo.records.database import DbSession
from mirvo.records.models import Measurement, Photo
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.jobs import Report, unwatched
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.measuring.measure_marks import checked_marks, corners_for
from mirvo.studio.photos.photo_queries import photo_row
from mirvo.studio.photos.photo_view import info_of
from mirvo.studio.photos.shots import CARD_HEIGHT_MM, TakenPhoto, oblique
from mirvo.studio.photos.simulated import take

NO_TRUNK = "Draw the trunk's outline in the photo of the set that shows it best."
# Figures of sets as they are marked, kept in memory; some kB each.
SETS_KEPT = 32
NO_ROOTS = "Draw each root in the photo that shows it best."


@dataclass(frozen=True)
class SetMember:
    """One photo of a set, and what is marked in it."""

    photo: Photo
    marks: TopDraft

    @property
    def letters(self) -> list[str]:
        return self.marks.labels

    @property
    def trunk(self) -> bool:
        return bool(self.marks.every_trunk)

    @property
    def underside(self) -> bool:
        return bool(self.marks.underside)

    @property
    def ready(self) -> bool:
        """Whether it can be joined: calibrated, and an underside marked where it is one."""
        # An underside without a mark in it has nothing to be joined by.
        unmarked = not (self.marks.roots or self.marks.points)
        return self.marks.calibration is not None and not (self.underside and unmarked)


def members_of_set(db: DbSession, tree_id: int, day: date) -> list[SetMember]:
    """The photos of a tree joined on a day, in the order they were put in."""
    query = (
        select(Photo, Measurement)
        .join(Measurement, Measurement.photo_id == Photo.id)
        .where(
            Photo.tree_id == tree_id,
            Photo.taken_on == day,
            Measurement.view == "top",
            Photo.kept(),
        )
        .order_by(Photo.id)
    )
    found = [SetMember(photo, row.top_marks) for photo, row in db.execute(query)]
    return [member for member in found if member.marks.set]


def with_draft(members: list[SetMember], photo: Photo, draft: TopDraft) -> list[SetMember]:
    """A set with one photo's marks as they stand now."""
    others = [member for member in members if member.photo.id != photo.id]
    return sorted([*others, SetMember(photo, draft)], key=lambda member: member.photo.id)


def measure_set(
    db: DbSession, studio: Studio, members: list[SetMember]
) -> tuple[TopRecord | None, str | None]:
    """What a set gives, or what is missing of it.

    Photos not calibrated yet, and an underside not marked yet, are left out.

    Raises
    ------
    BadInput : a photo's marks are wrong, or the set cannot be joined.
    """
    if not any(member.trunk for member in members):
        return None, NO_TRUNK
    ready = []
    for member in members:
        # A photo that was only just put in must not take the figures of the others away.
        if not member.ready:
            continue
        photo = member.photo
        marks = checked_marks(photo, member.marks, yard_of(db), in_set=True)
        corners = corners_for(studio.photos, photo, marks.calibration.kind)
        ready.append(
            (
                photo.file_name,
                marks.model_dump_json(),
                info_of(photo),
                None if corners is None else tuple(map(tuple, corners.tolist())),
                member.underside,
            )
        )
    record = _measured(tuple(ready))
    return record, None if record.roots else NO_ROOTS


@lru_cache(maxsize=SETS_KEPT)
def _measured(
    photos: tuple[tuple[str, str, PhotoInfo, tuple[tuple[float, ...], ...] | None, bool], ...],
) -> TopRecord:
    """Figures of one state of a set: what was worked out before a write is not worked out in it."""
    ready = [
        MarkedPhoto(
            name,
            TopMarks.model_validate_json(marks),
            info,
            None if corners is None else np.array(corners),
            underside,
        )
        for name, marks, info, corners, underside in photos
    ]
    return measure_top_set(ready).as_kept()


def settle_set(db: DbSession, studio: Studio, tree_id: int, day: date) -> None:
    """Keep the figures of a day's set with its lead, and with no other of its photos."""
    members = members_of_set(db, tree_id, day)
    # One photo bears the figures of all; the one with the trunk is where people look for them.
    lead = next((member.photo.id for member in members if member.trunk), None)
    record = None
    with suppress(BadInput, NotFound):  # each photo's own desk says what is wrong with it
        record, _ = measure_set(db, studio, members)
    for row in _rows(db, members):
        row.top = record if row.photo_id == lead else None


def rows_of_set(db: DbSession, row: Measurement) -> list[Measurement]:
    """All measurements of the set a measurement leads; it alone when it leads none."""
    photo = photo_row(db, row.photo_id)
    if photo is None or not row.top_marks.set:
        return [row]
    return _rows(db, members_of_set(db, photo.tree_id, photo.taken_on))


def letters_elsewhere(members: list[SetMember], photo: Photo) -> list[str]:
    """Letters that roots bear in the set's other photos."""
    others = (member for member in members if member.photo.id != photo.id)
    return sorted({letter for member in others for letter in member.letters})


def shoot_set(studio: Studio, tree_id: int, report: Report = unwatched) -> int:
    """Three simulated oblique photos with the card left in place, and one of the underside; the
    first one's number."""
    taken = take(studio, tree_id, oblique, report)
    _join_shots(studio, tree_id, taken)
    return taken[0][0].id


def _join_shots(studio: Studio, tree_id: int, taken: list[tuple[Photo, TakenPhoto]]) -> None:
    """Record photos as a set calibrated by the card left in place."""
    card = CalibrationDraft(kind="card", height_above_root_plane_mm=CARD_HEIGHT_MM)
    joined = {"calibration": card, "set": True}
    with studio.writing() as db:
        for photo, shot in taken:
            marks = blank_draft("top").model_copy(update=joined)
            if shot.underside:
                marks = marks.model_copy(update={"underside": True})
            db.add(
                Measurement(
                    tree_id=tree_id,
                    photo_id=photo.id,
                    measured_on=photo.taken_on,
                    marks=marks,
                    revision=1,
                    updated_at=studio.now,
                )
            )


def _rows(db: DbSession, members: list[SetMember]) -> list[Measurement]:
    ids = [member.photo.id for member in members]
    return list(db.scalars(select(Measurement).where(Measurement.photo_id.in_(ids))))
