"""Which trees a transaction changes, as far as plans and lists rest on what is written."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import event, select

from mirvo.records.database import DbSession
from mirvo.records.models import (
    GapPlan,
    Measurement,
    NightMinimum,
    Plan,
    Regrowth,
    Root,
    RootSession,
    ShelfPot,
    Target,
    TargetHold,
    Tree,
    TreeAnswer,
    Yard,
)

OF_ONE_TREE = (GapPlan, Measurement, Regrowth, Root, RootSession, Target, TargetHold)
OF_ALL_TREES = (NightMinimum, Yard)


@dataclass
class Changes:
    """Trees whose plans may hold no longer; everything : what all plans rest on was changed.

    rows, all_rows : trees whose lines in lists change, and all of them; each as often as it was
    written, for a transaction is written in several goes.
    """

    trees: set[int]
    everything: bool = False
    rows: Counter[int] = field(default_factory=Counter)
    all_rows: int = 0


Begun = Callable[[Iterable[int], bool], None]


def watch(db: DbSession, begun: Begun | None = None) -> Changes:
    """What a session writes from now on; filled as it is written.

    begun : told which trees' lines are changing, before anybody else can see it.
    """
    changes = Changes(set())

    def note(session: Any, _: object) -> None:
        written = [*session.new, *session.deleted]
        written += [row for row in session.dirty if session.is_modified(row)]
        trees, planned, everything = set[int](), set[int](), False
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
            elif isinstance(row, Plan):
                planned.add(row.tree_id)
        changes.trees |= trees
        changes.everything |= everything
        changes.rows.update(trees | planned)
        changes.all_rows += everything
        if begun is not None:
            begun(trees | planned, everything)

    event.listen(db, "after_flush", note)
    return changes
