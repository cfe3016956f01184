"""Which trees a transaction changes, as far as plans and lists rest on what is written."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import event, select
from sqlalchemy.orm import ORMExecuteState

from mirvo.records.database import DbSession
from mirvo.records.models import (
    BenchEntry,
    BenchPhoto,
    GapPlan,
    Measurement,
    NightMinimum,
    Plan,
    PotWeight,
    Regrowth,
    Root,
    RootSession,
    ShelfPot,
    SignIn,
    Target,
    TargetHold,
    Tree,
    TreeAnswer,
    Watering,
    Yard,
)

OF_ONE_TREE = (GapPlan, Measurement, Regrowth, Root, RootSession, Target, TargetHold)
OF_ALL_TREES = (NightMinimum, Yard)
# Written at every tap and visit, and nothing that is kept of a tree rests on them.
OF_NO_RECORD = (BenchEntry, BenchPhoto, PotWeight, SignIn, Watering)


@dataclass
class Changes:
    """Trees whose plans may hold no longer; everything : what all plans rest on was changed.

    rows, all_rows : trees whose lines in lists change, and all of them; records : what may be of
    any tree's records, though of no line. Each as often as it was written, for a transaction is
    written in several goes.
    """

    trees: set[int]
    everything: bool = False
    rows: Counter[int] = field(default_factory=Counter)
    all_rows: int = 0
    records: int = 0


@dataclass(frozen=True)
class Writing:
    """What one go of a transaction writes; see `Changes`."""

    trees: frozenset[int] = frozenset()
    everything: bool = False
    records: bool = False


Begun = Callable[[Writing], None]


def watch(db: DbSession, begun: Begun | None = None) -> Changes:
    """What a session writes from now on; filled as it is written.

    begun : told what is changing, before anybody else can see it.
    """
    changes = Changes(set())

    def tell(now: Writing) -> None:
        changes.rows.update(now.trees)
        changes.all_rows += now.everything
        changes.records += now.records
        if begun is not None:
            begun(now)

    def note(session: Any, _: object) -> None:
        written = [*session.new, *session.deleted]
        written += [row for row in session.dirty if session.is_modified(row)]
        trees, planned = set[int](), set[int]()
        everything = records = False
        for row in written:
            everything |= isinstance(row, OF_ALL_TREES)
            if isinstance(row, Tree):
                trees.add(row.id)
            elif isinstance(row, OF_ONE_TREE):
                trees.add(row.tree_id)
            elif isinstance(row, TreeAnswer):
                trees.add(session.get(RootSession, row.session_id).tree_id)
            elif isinstance(row, ShelfPot) and row.id is not None:
                trees.update(session.scalars(select(Tree.id).where(Tree.pot_id == row.id)))
                # One taken away stands under no tree any more.
                records |= row in session.deleted
            elif isinstance(row, Plan):
                planned.add(row.tree_id)
            else:
                # What is not known to be of one tree may be of any.
                records |= not isinstance(row, OF_NO_RECORD)
        changes.trees |= trees
        changes.everything |= everything
        tell(Writing(frozenset(trees | planned), everything, records))

    def note_many(state: ORMExecuteState) -> None:
        # Statements on many rows name no tree; those that change rows come with an import.
        if state.is_update or state.is_delete:
            tell(Writing(everything=state.is_update, records=True))

    event.listen(db, "after_flush", note)
    event.listen(db, "do_orm_execute", note_many)
    return changes
