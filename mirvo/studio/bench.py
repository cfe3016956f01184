"""The bench: what wants doing now, ordered by what closes first."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta

from mirvo.records.models import Tree, Visit
from mirvo.studio.care import Due, open_care
from mirvo.studio.context import Studio
from mirvo.studio.trees import TreeRow, list_trees
from mirvo.studio.visits import open_visits
from mirvo.studio.weather import ColdNights, frost_watch

SOON_DAYS = 120


@dataclass(frozen=True)
class Bench:
    """Trees by what they need."""

    now: list[TreeRow]
    soon: list[TreeRow]
    aftercare: list[Due]
    running: list[tuple[Visit, Tree]]
    frost: list[ColdNights]
    unmeasured: list[TreeRow]
    waiting: list[TreeRow]


def bench(studio: Studio) -> Bench:
    """Sort all trees into what wants doing today."""
    today = studio.today
    rows = sorted(list_trees(studio), key=lambda row: row.window.end)
    horizon = today + timedelta(days=SOON_DAYS)
    return Bench(
        now=[row for row in rows if row.window.state != "too early"],
        soon=[
            row for row in rows if row.window.state == "too early" and row.window.start <= horizon
        ],
        aftercare=open_care(studio),
        running=open_visits(studio),
        frost=frost_watch(studio),
        unmeasured=[row for row in rows if row.figures is None],
        waiting=[row for row in rows if row.window.start > horizon],
    )
