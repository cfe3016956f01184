"""The roots of a tree as rows: each with its letter for life, when first seen and when gone.

Letters stand in marks, in what sessions did and found, and in what a target says of single
roots. This is the one place that keeps them together.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from typing import Any

from sqlalchemy import or_, select

from mirvo.core.letters import free_letters
from mirvo.records.database import DbSession
from mirvo.records.models import (
    BenchEntry,
    BenchSession,
    CutRecord,
    FindingRecord,
    GapPlan,
    Regrowth,
    Root,
    RootSession,
)
from mirvo.studio.standing.tree_queries import measurements_of

# More than any base has roots; the browser picks the first free one.
LETTERS_AT_HAND = 80
OF_ROOTS = ("root", "seen", "waits")


def root_of(db: DbSession, tree_id: int, label: str) -> Root:
    """The root of a tree that bears a letter, made a row when it is first named."""
    found = db.scalar(select(Root).where(Root.tree_id == tree_id, Root.label == label))
    if found is None:
        found = Root(tree_id=tree_id, label=label)
        db.add(found)
        db.flush()
    return found


def letters_at_hand(elsewhere: list[str]) -> list[str]:
    """Letters a new root may bear on a photo: those of this set's other photos are taken."""
    return free_letters(set(elsewhere), LETTERS_AT_HAND)


def settle_roots(db: DbSession, tree_id: int) -> None:
    """Bring the roots of a tree in line with its measurements and sessions.

    Letters nobody refers to any more go; a root cut in a session is gone from that day on,
    unless it was measured again afterwards.
    """
    db.flush()
    seen = _days_seen(db, tree_id)
    cut = _days_cut(db, tree_id)
    rows = {row.label: row for row in db.scalars(select(Root).where(Root.tree_id == tree_id))}
    # Every letter that was measured has a row before its days are set.
    for label in seen:
        rows.setdefault(label, root_of(db, tree_id, label))
    referred = _referred_to(db, tree_id)
    for label, row in rows.items():
        days = seen.get(label, [])
        gone = cut.get(row.id)
        # Cut and measured again afterwards: it was not gone after all, or grew back.
        again = gone is not None and any(day > gone for day in days)
        row.first_seen_on, row.gone_on = min(days, default=None), None if again else gone
        # A letter that a session or target names is kept though no photo shows it.
        if not days and row.id not in referred:
            db.delete(row)


def _days_seen(db: DbSession, tree_id: int) -> dict[str, list[date]]:
    seen: dict[str, list[date]] = {}
    for row in measurements_of(db, tree_id):
        for label in row.top.labels if row.top else []:
            seen.setdefault(label, []).append(row.measured_on)
    return seen


def _days_cut(db: DbSession, tree_id: int) -> dict[int, date]:
    """The last day each root was removed, by its number."""
    query = (
        select(CutRecord.root_id, RootSession.done_on)
        .join(RootSession, RootSession.id == CutRecord.session_id)
        .where(
            RootSession.tree_id == tree_id, RootSession.kept(), CutRecord.done_action == "remove"
        )
        .order_by(RootSession.done_on)
    )
    return dict(db.execute(query).all())


def _referred_to(db: DbSession, tree_id: int) -> set[int]:
    """Numbers of the roots that sessions or the target name."""
    of_tree = select(Root.id).where(Root.tree_id == tree_id)
    columns: list[Any] = [
        CutRecord.root_id,
        FindingRecord.root_id,
        Regrowth.root_id,
        GapPlan.first_root_id,
        GapPlan.second_root_id,
    ]
    return {
        number
        for column in columns
        for number in db.scalars(select(column).where(column.in_(of_tree)))
    }


def rename_letters(
    db: DbSession,
    tree_id: int,
    measurement_id: int,
    letters: Mapping[str, str],
    entries: bool = True,
) -> None:
    """Carry new letters of a measurement to all that was said of its roots.

    letters : new letter by the one borne so far. What sessions did and found, how gaps are to
    be closed, which roots grow back and what is being entered at the bench all follow; what
    was said on another measurement keeps its letters. entries : what is being entered at the bench
    follows too.
    """
    columns = {
        CutRecord: ("root_id",),
        FindingRecord: ("root_id",),
        Regrowth: ("root_id",),
        GapPlan: ("first_root_id", "second_root_id"),
    }
    numbers = {
        root_of(db, tree_id, old).id: root_of(db, tree_id, new).id for old, new in letters.items()
    }
    for table, names in columns.items():
        _point_anew(db, table, names, measurement_id, numbers)
    if entries:
        _rename_entries(db, tree_id, letters)


def _point_anew(
    db: DbSession,
    table: Any,
    names: tuple[str, ...],
    measurement_id: int,
    numbers: Mapping[int, int],
) -> None:
    """Rows of a measurement refer to other roots: taken out and put back, so that two letters
    can change places."""
    rows = list(db.scalars(select(table).where(table.measurement_id == measurement_id)))
    copies = []
    for row in rows:
        values = {column.key: getattr(row, column.key) for column in table.__table__.columns}
        values.update({name: numbers.get(values[name], values[name]) for name in names})
        copies.append(table(**values))
        db.delete(row)
    db.flush()
    # Put back only now, when no old row holds its place.
    db.add_all(copies)
    db.flush()


def _rename_entries(db: DbSession, tree_id: int, letters: Mapping[str, str]) -> None:
    """What is being entered at the bench names roots by their letters."""
    running = select(BenchSession.id).where(
        BenchSession.tree_id == tree_id, BenchSession.closed_at.is_(None)
    )
    of_roots = or_(*(BenchEntry.field.startswith(f"{kind}:") for kind in OF_ROOTS))
    query = select(BenchEntry).where(BenchEntry.bench_session_id.in_(running), of_roots)
    for entry in db.scalars(query):
        kind, _, label = entry.field.partition(":")
        entry.field = f"{kind}:{letters.get(label, label)}"
        if kind == "waits" and isinstance(entry.value, str):
            entry.value = letters.get(entry.value, entry.value)
