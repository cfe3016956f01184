"""The bench: what wants doing now, ordered by what closes first."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta

from mirvo.core.care import CareTask, aftercare
from mirvo.studio.context import Studio
from mirvo.studio.trees import TreeRow, list_trees

SOON_DAYS = 120
CARE_DAYS = 60


@dataclass(frozen=True)
class Bench:
    """Trees by what they need."""

    now: list[TreeRow]
    soon: list[TreeRow]
    aftercare: list[tuple[TreeRow, list[CareTask]]]
    unmeasured: list[TreeRow]
    waiting: list[TreeRow]


def bench(studio: Studio) -> Bench:
    """Sort all trees into what wants doing today."""
    today = studio.today
    rows = sorted(list_trees(studio), key=lambda row: row.window.end)
    care = []
    for row in rows:
        if row.last_session and (today - row.last_session).days <= CARE_DAYS:
            tasks = [
                task
                for task in aftercare(row.last_session, row.tree.strength)
                if task.due >= today - timedelta(days=7)
            ]
            care.append((row, tasks))
    cared = {row.tree.id for row, _ in care}
    free = [row for row in rows if row.tree.id not in cared]
    horizon = today + timedelta(days=SOON_DAYS)
    return Bench(
        now=[row for row in free if row.window.state != "too early"],
        soon=[
            row for row in free if row.window.state == "too early" and row.window.start <= horizon
        ],
        aftercare=care,
        unmeasured=[row for row in rows if row.figures is None],
        waiting=[row for row in free if row.window.start > horizon],
    )
