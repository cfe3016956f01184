"""The compost heap: what is laid on it is gone from every page, and can be put back for 30 days."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

from sqlalchemy import delete, select, update
from sqlalchemy.orm import Session as Unit

from mirvo.core.errors import BadInput, NotFound
from mirvo.records.database import reading, writing
from mirvo.records.models import (
    Care,
    Compostable,
    Measurement,
    Photo,
    Plan,
    Session,
    Tap,
    Target,
    Tree,
    Visit,
    VisitPhoto,
    Watering,
)
from mirvo.studio.context import Studio
from mirvo.studio.histories import sessions_of
from mirvo.studio.photo_sets import settle_set
from mirvo.studio.sessions import kind_name

KEPT_DAYS = 30
ALL = {"composted": True}
KINDS: dict[str, type[Tree | Photo | Session]] = {
    "tree": Tree,
    "photo": Photo,
    "session": Session,
}


@dataclass(frozen=True)
class Laid:
    """One thing on the heap. kind : tree, photo or session. until : last day to put it back."""

    kind: str
    number: int
    name: str
    tree_id: int
    since: date
    until: date


def lay_on_heap(studio: Studio, kind: str, number: int) -> Laid:
    """Take a tree, photo or session off every page. Raises NotFound."""
    now = studio.now
    with writing(studio.engine) as unit:
        row = _row(unit, kind, number)
        if row.composted_at is not None:
            raise NotFound(kind, f"this {kind} lies on the compost heap already")
        for one in _with_what_hangs_on(unit, row):
            one.composted_at = now
        unit.flush()
        if isinstance(row, Session):
            _stand_as_left(unit, row.tree_id)
        laid = _laid(unit, row)
    if isinstance(row, Photo):
        settle_set(studio, row)
    return laid


def put_back(studio: Studio, kind: str, number: int) -> Laid:
    """Put a thing back as it was. Raises NotFound; BadInput while its tree lies on the heap."""
    with writing(studio.engine) as unit:
        row = _row(unit, kind, number)
        if row.composted_at is None:
            raise NotFound(kind, f"this {kind} does not lie on the compost heap")
        laid = _laid(unit, row)
        if not isinstance(row, Tree) and unit.get(Tree, row.tree_id) is None:
            raise BadInput(kind, "its tree lies on the compost heap too; put that back first")
        for one in _with_what_hangs_on(unit, row):
            one.composted_at = None
        unit.flush()
        if isinstance(row, Session):
            _stand_as_left(unit, row.tree_id)
    if isinstance(row, Photo):
        settle_set(studio, row)
    return laid


def heap(studio: Studio) -> list[Laid]:
    """Everything on the heap, what was laid there last first."""
    with reading(studio.engine) as unit:
        found = [_laid(unit, row) for kind in KINDS.values() for row in _lying(unit, kind)]
    return sorted(found, key=lambda one: one.since, reverse=True)


def on_heap(studio: Studio, kind: str, number: int) -> Laid | None:
    """One thing on the heap, None when it does not lie there."""
    with reading(studio.engine) as unit:
        row = _found(unit, kind, number)
        return None if row is None or row.composted_at is None else _laid(unit, row)


def clear_heap(studio: Studio) -> int:
    """Remove for good what lay on the heap for more than 30 days; how many things went.

    A photo's file goes with the last record of it.
    """
    before = studio.now - timedelta(days=KEPT_DAYS + 1)
    with writing(studio.engine) as unit:
        rotten = [
            row
            for kind in (Photo, Session, Tree)
            for row in _lying(unit, kind)
            if row.composted_at is not None and row.composted_at < before
        ]
        digests = [digest for row in rotten for digest in _remove(unit, row)]
        unit.flush()
        left = set(unit.scalars(select(Photo.digest), execution_options=ALL))
    for digest in set(digests) - left:
        studio.photos.forget(digest)
    return len(rotten)


def _row(unit: Unit, kind: str, number: int) -> Tree | Photo | Session:
    row = _found(unit, kind, number)
    if row is None:
        raise NotFound(kind, f"there is no such {kind}")
    return row


def _found(unit: Unit, kind: str, number: int) -> Tree | Photo | Session | None:
    table: Any = KINDS.get(kind)
    row: Tree | Photo | Session | None = None
    if table is not None:
        row = unit.get(table, number, execution_options=ALL)
    return row


def _lying(unit: Unit, kind: type[Any]) -> list[Any]:
    lying = select(kind).where(kind.composted_at.is_not(None))
    return list(unit.scalars(lying, execution_options=ALL))


def _with_what_hangs_on(unit: Unit, row: Compostable) -> list[Compostable]:
    """A photo goes with its measurement, a session with its aftercare."""
    if isinstance(row, Photo):
        hanging: Any = select(Measurement).where(Measurement.photo_id == row.id)
    elif isinstance(row, Session):
        hanging = select(Care).where(Care.session_id == row.id)
    else:
        return [row]
    return [row, *unit.scalars(hanging, execution_options=ALL)]


def _stand_as_left(unit: Unit, tree_id: int) -> None:
    """The tree stands in what its last session left it in."""
    tree = unit.get(Tree, tree_id)
    last = next(iter(sessions_of(unit, tree_id)), None)
    if tree is not None and last is not None:
        tree.container = last.container_after


def _laid(unit: Unit, row: Tree | Photo | Session) -> Laid:
    kind = next(key for key, table in KINDS.items() if isinstance(row, table))
    since = row.composted_at.date() if row.composted_at else date.min
    tree = row if isinstance(row, Tree) else unit.get(Tree, row.tree_id, execution_options=ALL)
    if tree is None:
        raise NotFound("tree", "there is no such tree")
    name = tree.name
    if isinstance(row, Photo):
        name = f"Photo of {tree.name}, {row.taken_on.day} {row.taken_on:%B %Y}"
    elif isinstance(row, Session):
        what = kind_name(row.kind)
        name = f"{what} of {tree.name}, {row.done_on.day} {row.done_on:%B %Y}"
    until = since + timedelta(days=KEPT_DAYS) if row.composted_at else since
    return Laid(kind, row.id, name, tree.id, since, until)


def _remove(unit: Unit, row: Tree | Photo | Session) -> list[str]:
    """Remove a row and all that refers to it; digests of the photos that went."""
    if isinstance(row, Photo):
        return _remove_photos(unit, Photo.id == row.id)
    if isinstance(row, Session):
        unit.execute(delete(Care).where(Care.session_id == row.id))
        for table in (Visit, Photo):
            freed = update(table).where(table.session_id == row.id).values(session_id=None)
            unit.execute(freed)
        unit.execute(delete(Session).where(Session.id == row.id))
        return []
    visits = select(Visit.id).where(Visit.tree_id == row.id)
    unit.execute(delete(Tap).where(Tap.visit_id.in_(visits)))
    unit.execute(delete(VisitPhoto).where(VisitPhoto.visit_id.in_(visits)))
    unit.execute(delete(Care).where(Care.tree_id == row.id))
    unit.execute(delete(Visit).where(Visit.tree_id == row.id))
    digests = _remove_photos(unit, Photo.tree_id == row.id)
    hanging: list[Any] = [Session, Watering, Target, Plan]
    for table in hanging:
        unit.execute(delete(table).where(table.tree_id == row.id))
    unit.execute(update(Tree).where(Tree.parent_id == row.id).values(parent_id=None))
    unit.execute(delete(Tree).where(Tree.id == row.id))
    return digests


def _remove_photos(unit: Unit, which: Any) -> list[str]:
    rows = list(unit.execute(select(Photo.id, Photo.digest).where(which), execution_options=ALL))
    ids = [number for number, _ in rows]
    measured = select(Measurement.id).where(Measurement.photo_id.in_(ids))
    freed = update(Visit).where(Visit.measurement_id.in_(measured)).values(measurement_id=None)
    unit.execute(freed)
    unit.execute(delete(VisitPhoto).where(VisitPhoto.photo_id.in_(ids)))
    unit.execute(delete(Measurement).where(Measurement.photo_id.in_(ids)))
    unit.execute(delete(Photo).where(Photo.id.in_(ids)))
    return [digest for _, digest in rows]
