"""The compost heap: what is laid on it is gone from every page, and can be put back for 30 days."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

from sqlalchemy import exists, select

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.rootwork.kinds import kind_name
from mirvo.records.database import DbSession, find_kept
from mirvo.records.models import (
    CareTask,
    Compostable,
    HandMeasurement,
    Measurement,
    Photo,
    RootSession,
    ShelfPot,
    Tree,
)
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.set_aside import forget_old
from mirvo.studio.ground.settings import put_yard, yard_of
from mirvo.studio.measuring.after_cuts import settle_tree
from mirvo.studio.measuring.desk import follow_side_views
from mirvo.studio.measuring.photo_sets import settle_set
from mirvo.studio.photos.photo_queries import digests_in_use
from mirvo.studio.standing.tree_queries import sessions_of

KEPT_DAYS = 30
# Longer between two starts and the clock may be what is wrong.
MOST_AWAY_DAYS = 60
Lying = Tree | Photo | RootSession | ShelfPot | HandMeasurement
KINDS: dict[str, type[Lying]] = {
    "tree": Tree,
    "photo": Photo,
    "session": RootSession,
    "pot": ShelfPot,
    "figures": HandMeasurement,
}


@dataclass(frozen=True)
class Laid:
    """One thing on the heap. kind : by its name in `KINDS`. tree_id : None of a pot. until :
    last day to put it back."""

    kind: str
    number: int
    name: str
    tree_id: int | None
    since: date
    until: date


def lay_on_heap(studio: Studio, kind: str, number: int) -> Laid:
    """Take a tree, photo or session off every page. Raises NotFound."""
    now = studio.now
    with studio.writing() as db:
        row = _row(db, kind, number)
        if row.composted_at is not None:
            raise NotFound(kind, f"this {kind} is deleted already")
        for part in _with_what_hangs_on(db, row):
            part.composted_at = now
        _settle(db, studio, row)
        return _laid(db, row)


def put_back(studio: Studio, kind: str, number: int) -> Laid:
    """Put a thing back as it was. Raises NotFound; BadInput while its tree lies on the heap."""
    with studio.writing() as db:
        row = _row(db, kind, number)
        if row.composted_at is None:
            raise NotFound(kind, f"this {kind} is not deleted")
        laid = _laid(db, row)
        if not isinstance(row, (Tree, ShelfPot)) and find_kept(db, Tree, row.tree_id) is None:
            raise BadInput(kind, "its tree is deleted too; restore that first")
        for part in _with_what_hangs_on(db, row):
            part.composted_at = None
        _settle(db, studio, row)
    return laid


def heap(db: DbSession) -> list[Laid]:
    """Everything on the heap, what was laid there last first."""
    # One question for all kinds: as a rule nothing lies there.
    lies = [exists().where(kind.composted_at.is_not(None)) for kind in KINDS.values()]
    some = db.execute(select(*lies)).one()
    kinds = (kind for kind, any_lies in zip(KINDS.values(), some, strict=True) if any_lies)
    found = [_laid(db, row) for kind in kinds for row in _lying(db, kind)]
    return sorted(found, key=lambda item: item.since, reverse=True)


def on_heap(db: DbSession, kind: str, number: int) -> Laid | None:
    """One thing on the heap, None when it does not lie there."""
    row = _found(db, kind, number)
    return None if row is None or row.composted_at is None else _laid(db, row)


def clear_heap(studio: Studio) -> int:
    """Remove for good what lay on the heap for more than 30 days; how many things went.

    What refers to it goes with it, see the foreign keys; a photo's file goes with the last
    record of it. A clock that stands wrong at one start throws nothing away: after so long a time
    only the start after the next does, when the clock has been seen to go on from there.
    """
    before = studio.now - timedelta(days=KEPT_DAYS + 1)
    with studio.writing() as db:
        last = yard_of(db).started_at
        put_yard(db, started_at=studio.now)
        if last is not None and not last <= studio.now <= last + timedelta(days=MOST_AWAY_DAYS):
            return 0
        rotten = [
            row
            # Trees last: what belongs to them has gone by then.
            for kind in (Photo, RootSession, HandMeasurement, Tree, ShelfPot)
            for row in _lying(db, kind)
            if row.composted_at is not None and row.composted_at < before
        ]
        forget_old(db, studio, before)
        # Noted before the rows go, since with them goes what says so.
        digests = {digest for row in rotten for digest in _digests(db, row)}
        for row in rotten:
            db.delete(row)
        db.flush()
        for tree_id in {row.tree_id for row in rotten if isinstance(row, (Photo, RootSession))}:
            settle_tree(db, studio, tree_id)
        # The same file may belong to another tree's photo; then it stays.
        left = digests_in_use(db)
    for digest in digests - left:
        studio.photos.forget(digest)
    return len(rotten)


def _row(db: DbSession, kind: str, number: int) -> Lying:
    row = _found(db, kind, number)
    if row is None:
        raise NotFound(kind, f"there is no such {kind}")
    return row


def _found(db: DbSession, kind: str, number: int) -> Lying | None:
    table = KINDS.get(kind)
    row = None if table is None else db.get(table, number)
    return row if isinstance(row, Lying) else None


def _lying(db: DbSession, kind: type[Any]) -> list[Any]:
    return list(db.scalars(select(kind).where(kind.composted_at.is_not(None))))


def _with_what_hangs_on(db: DbSession, row: Compostable) -> list[Compostable]:
    """A photo goes with its measurement, a session with its aftercare."""
    if isinstance(row, Photo):
        measured = select(Measurement).where(Measurement.photo_id == row.id)
        return [row, *db.scalars(measured)]
    if isinstance(row, RootSession):
        return [row, *db.scalars(select(CareTask).where(CareTask.session_id == row.id))]
    return [row]


def _settle(db: DbSession, studio: Studio, row: Lying) -> None:
    """Bring what follows from photos and sessions in line with those that are left."""
    db.flush()
    if isinstance(row, (Tree, ShelfPot, HandMeasurement)):
        return
    if isinstance(row, Photo):
        settle_set(db, studio, row.tree_id, row.taken_on)
        follow_side_views(db, studio, row.tree_id)
    if isinstance(row, RootSession):
        _stand_as_left(db, row.tree_id)
    settle_tree(db, studio, row.tree_id)


def _stand_as_left(db: DbSession, tree_id: int) -> None:
    """The tree stands in what its last session left it in."""
    tree = find_kept(db, Tree, tree_id)
    last = next(iter(sessions_of(db, tree_id)), None)
    if tree is not None and last is not None:
        tree.container = last.container_after


def _laid(db: DbSession, row: Lying) -> Laid:
    kind = next(key for key, table in KINDS.items() if isinstance(row, table))
    since = row.composted_at.date() if row.composted_at else date.min
    until = since + timedelta(days=KEPT_DAYS) if row.composted_at else since
    if isinstance(row, ShelfPot):
        return Laid(kind, row.id, f"Pot {row.name}", None, since, until)
    tree = row if isinstance(row, Tree) else db.get(Tree, row.tree_id)
    if tree is None:
        raise NotFound("tree", "there is no such tree")
    name = tree.name
    if isinstance(row, Photo):
        name = f"Photo of {tree.name}, {row.taken_on.day} {row.taken_on:%B %Y}"
    elif isinstance(row, HandMeasurement):
        on = row.measured_on
        name = f"What was measured by hand on {tree.name}, {on.day} {on:%B %Y}"
    elif isinstance(row, RootSession):
        what = kind_name(row.kind)
        name = f"{what} of {tree.name}, {row.done_on.day} {row.done_on:%B %Y}"
    return Laid(kind, row.id, name, tree.id, since, until)


def _digests(db: DbSession, row: Lying) -> list[str]:
    """Digests of the photos that go with a row."""
    if isinstance(row, Photo):
        return [row.digest]
    if isinstance(row, Tree):
        return list(db.scalars(select(Photo.digest).where(Photo.tree_id == row.id)))
    if isinstance(row, ShelfPot) and row.photo_digest:
        return [row.photo_digest]
    return []
