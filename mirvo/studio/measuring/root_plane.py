"""Side views of one day together: the root plane, how to tilt the tree level, and the height of
each root off that plane."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from functools import lru_cache

import numpy as np
from sqlalchemy import select

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.measure.drafts import SideDraft, TopDraft
from mirvo.core.measure.plane_map import PhotoInfo
from mirvo.core.measure.records import RootPlane
from mirvo.core.measure.side_marks import SideMarks
from mirvo.core.measure.side_set import MarkedSide, root_plane_of
from mirvo.records.database import DbSession
from mirvo.records.models import Measurement, Photo, Root
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.measuring.measure_marks import checked_side_marks, corners_for
from mirvo.studio.photos.photo_view import info_of

# Less than this a height may move from one reading to the next and mean nothing.
SAME_HEIGHT_MM = 0.2
# Planes of views as they are marked, kept in memory; some kB each.
PLANES_KEPT = 32
UNCHANGED: Mapping[int, SideDraft] = {}


@dataclass(frozen=True)
class SideView:
    """One photo from the side, and its marks so far; None before anything was marked."""

    photo: Photo
    marks: SideDraft | None

    @property
    def turntable_deg(self) -> float:
        """How far the tree was turned clockwise since the first view."""
        return (self.marks.turntable_deg or 0.0) if self.marks else 0.0


def views_of_day(db: DbSession, tree_id: int, day: date) -> list[SideView]:
    """Side photos of a day, by how far the tree was turned."""
    query = (
        select(Photo, Measurement)
        .outerjoin(Measurement, Measurement.photo_id == Photo.id)
        .where(Photo.tree_id == tree_id, Photo.kind == "side", Photo.taken_on == day, Photo.kept())
        .order_by(Photo.id)
    )
    views = [
        SideView(photo, None if row is None else row.side_marks) for photo, row in db.execute(query)
    ]
    # As one walks round the tree.
    return sorted(views, key=lambda view: (view.turntable_deg, view.photo.id))


def root_plane_of_day(
    db: DbSession,
    studio: Studio,
    tree_id: int,
    day: date,
    without: frozenset[str] = frozenset(),
    changed: Mapping[int, SideDraft] = UNCHANGED,
) -> RootPlane | None:
    """The root plane of a day's finished side views; None with fewer than three roots.

    Roots `without` are left out. changed : marks by the photo's number that are not kept yet.
    """
    marked = []
    for view in views_of_day(db, tree_id, day):
        draft = changed.get(view.photo.id, view.marks)
        if draft is None:
            continue
        try:
            draft = draft.without_emergences(without)
            marks = checked_side_marks(view.photo, draft, yard_of(db))
            corners = corners_for(studio.photos, view.photo, marks.calibration.kind)
        except (BadInput, NotFound):
            continue  # an unfinished view says so on its own desk
        known = None if corners is None else tuple(map(tuple, corners.tolist()))
        marked.append((view.photo.file_name, marks.model_dump_json(), info_of(view.photo), known))
    try:
        return _plane_of(tuple(marked)) if marked else None
    except BadInput:
        return None


@lru_cache(maxsize=PLANES_KEPT)
def _plane_of(
    views: tuple[tuple[str, str, PhotoInfo, tuple[tuple[float, ...], ...] | None], ...],
) -> RootPlane | None:
    """The plane of one state of some views: worked out before a write, it is not in it."""
    return root_plane_of(
        [
            MarkedSide(
                name,
                SideMarks.model_validate_json(marks),
                info,
                None if corners is None else np.array(corners),
            )
            for name, marks, info, corners in views
        ]
    )


def newest_root_plane(
    db: DbSession,
    studio: Studio,
    tree_id: int,
    without: frozenset[str],
    changed: Mapping[int, SideDraft] = UNCHANGED,
) -> RootPlane | None:
    """The root plane of the newest side views without some roots; None where there is none.

    changed : marks that are not kept yet, as `root_plane_of_day` has them.
    """
    query = (
        select(Photo.taken_on)
        .outerjoin(Measurement, Measurement.photo_id == Photo.id)
        .where(
            Photo.tree_id == tree_id,
            Measurement.side.is_not(None) | Photo.id.in_(changed),
            Photo.kept(),
        )
        .order_by(Photo.taken_on.desc())
        .limit(1)
    )
    day = db.scalar(query)
    return None if day is None else root_plane_of_day(db, studio, tree_id, day, without, changed)


def settle_heights(db: DbSession, studio: Studio, tree_id: int) -> bool:
    """Keep with each root how far the newest side views see it off the root plane.

    Returns whether anything changed, so that the base wants measuring again.
    """
    plane = newest_root_plane(db, studio, tree_id, frozenset())
    seen = {} if plane is None else plane.residuals_mm
    changed = False
    for root in db.scalars(select(Root).where(Root.tree_id == tree_id)):
        height = seen.get(root.label)
        if differs(height, root.height_mm):
            root.height_mm, changed = height, True
    return changed


def differs(height: float | None, before: float | None) -> bool:
    """Whether a height moved by more than readings of it do, mm."""
    if height is None or before is None:
        return height is not before
    return abs(height - before) > SAME_HEIGHT_MM


def with_side_heights(db: DbSession, tree_id: int, draft: TopDraft) -> TopDraft:
    """Marks from above in which roots without a height of their own have the side views'."""
    return with_heights(draft, kept_heights(db, tree_id))


def kept_heights(db: DbSession, tree_id: int) -> dict[str, float]:
    """How far the side views see each root off the root plane, mm, by letter."""
    query = select(Root.label, Root.height_mm).where(
        Root.tree_id == tree_id, Root.height_mm.is_not(None)
    )
    return {label: height for label, height in db.execute(query) if height is not None}


def with_heights(draft: TopDraft, heights: Mapping[str, float]) -> TopDraft:
    """Marks from above in which roots without a height of their own have a given one."""
    roots = tuple(
        root.model_copy(update={"height": heights[root.label]})
        # What the artist said of a root counts more than what was measured of it.
        if root.height is None and root.label in heights
        else root
        for root in draft.roots
    )
    return draft.model_copy(update={"roots": roots}) if heights else draft
