"""The photos of a tree: one, all, and those that belong to a session."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select

from mirvo.core.errors import NotFound
from mirvo.records.database import DbSession, find_kept
from mirvo.records.models import Measurement, Photo, RootSession, ShelfPot
from mirvo.studio.ground.state_cache import kept_by_tree

MAX_COMPARED = 3
KINDS = {
    "top": "from above",
    "side": "from the side",
    "before": "before",
    "after": "after",
    "follow-up": "follow-up",
    "crown": "crown",
    "wound": "wound",
    "pot": "pot",
    "other": "other",
}
# Kinds that are measured on; the others are only looked at.
MEASURED_ON = ("top", "side")
SHOWN_BEFORE_AND_AFTER = ("before", "top", "after", "follow-up")


def kind_said(kind: str) -> str:
    """A kind of photo in words; one that is offered no more as it stands."""
    return KINDS.get(kind, kind)


def load_photo(db: DbSession, photo_id: int) -> Photo:
    """One photo. Raises NotFound."""
    photo = find_kept(db, Photo, photo_id)
    if photo is None:
        raise NotFound("photo", "there is no such photo")
    return photo


def photo_row(db: DbSession, photo_id: int) -> Photo | None:
    """One photo, also one that lies on the compost heap; None where there is none."""
    return db.get(Photo, photo_id)


@kept_by_tree
def photos_of(db: DbSession, tree_id: int) -> tuple[Photo, ...]:
    """Photos of a tree, newest first."""
    query = (
        select(Photo)
        .where(Photo.tree_id == tree_id, Photo.kept())
        .order_by(Photo.taken_on.desc(), Photo.id.desc())
    )
    return tuple(db.scalars(query))


def photos_with_state(db: DbSession, tree_id: int) -> list[tuple[Photo, bool]]:
    """Photos of a tree, newest first, each with whether it gave figures."""
    figures = Measurement.top.is_not(None) | Measurement.side.is_not(None)
    query = select(Measurement.photo_id).where(Measurement.tree_id == tree_id, figures)
    measured = set(db.scalars(query))
    return [(photo, photo.id in measured) for photo in photos_of(db, tree_id)]


@dataclass(frozen=True)
class PhotoView:
    """One photo of a tree among its others.

    earlier, later : its neighbours in time, None at the ends. others : all but it, newest first.
    beside : the one it is laid against, None where none is.
    """

    photo: Photo
    measured: bool
    earlier: Photo | None
    later: Photo | None
    others: list[Photo]
    beside: Photo | None


def view_photo(db: DbSession, photo_id: int, beside: int | None = None) -> PhotoView:
    """A photo with its neighbours. Raises NotFound; a photo of another tree is laid aside."""
    listed = photos_with_state(db, load_photo(db, photo_id).tree_id)
    photos = [one for one, _ in listed]
    at = next(place for place, one in enumerate(photos) if one.id == photo_id)
    return PhotoView(
        *listed[at],
        photos[at + 1] if at + 1 < len(photos) else None,
        photos[at - 1] if at else None,
        [one for one in photos if one.id != photo_id],
        next((one for one in photos if one.id == beside and one.id != photo_id), None),
    )


def photos_of_session(db: DbSession, session_id: int) -> list[Photo]:
    """Photos put in with a session, those from before it first."""
    query = (
        select(Photo)
        .where(Photo.session_id == session_id, Photo.kept())
        .order_by(Photo.kind.desc(), Photo.id)
    )
    return list(db.scalars(query))


def compared_photos(db: DbSession, session: RootSession) -> list[Photo]:
    """Photos to lay side by side: the last one before a session, then its after and follow-ups."""
    shown = [
        photo
        for photo in reversed(photos_of(db, session.tree_id))
        if photo.kind in SHOWN_BEFORE_AND_AFTER
    ]
    # A session's own photos before any others of its day.
    own = [photo for photo in shown if photo.session_id == session.id]
    after = [photo for photo in own if photo.kind in ("after", "follow-up")]
    earlier = [p for p in shown if p.taken_on <= session.done_on and p not in after]
    # Without one of its own, the last photo that was taken before it.
    before = [photo for photo in own if photo.kind == "before"] or earlier
    if not before or not after:
        return []
    return [before[-1], *after[-MAX_COMPARED:]]


def digests_in_use(db: DbSession) -> set[str]:
    """Digests of all files a record names: photos of trees and of pots, on the heap or not."""
    of_pots = select(ShelfPot.photo_digest).where(ShelfPot.photo_digest != "")
    return {*db.scalars(select(Photo.digest)), *db.scalars(of_pots)}
