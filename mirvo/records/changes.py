"""Which trees a transaction changes, as far as their plans rest on what is written."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import event

from mirvo.records.database import DbSession
from mirvo.records.models import (
    GapPlan,
    Measurement,
    NightMinimum,
    Regrowth,
    Root,
    RootSession,
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
    """Trees whose plans may hold no longer; everything : what all plans rest on was changed."""

    trees: set[int]
    everything: bool = False


def watch(db: DbSession) -> Changes:
    """What a session writes from now on; filled as it is written."""
    changes = Changes(set())

    def note(session: Any, _: object) -> None:
        written = [*session.new, *session.deleted]
        written += [row for row in session.dirty if session.is_modified(row)]
        for row in written:
            changes.everything |= isinstance(row, OF_ALL_TREES)
            if isinstance(row, Tree):
                changes.trees.add(row.id)
            elif isinstance(row, OF_ONE_TREE):
                changes.trees.add(row.tree_id)
            elif isinstance(row, TreeAnswer):
                changes.trees.add(session.get(RootSession, row.session_id).tree_id)

    event.listen(db, "after_flush", note)
    return changes
