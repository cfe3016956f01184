"""The bench: what wants doing now, ordered by what closes first."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.season.load import DueTree, monday_of, plan_weeks, weeks_of
from mirvo.records.database import DbSession
from mirvo.records.models import BenchSession, Tree, Yard
from mirvo.studio.bench_session.session import running_sessions
from mirvo.studio.context import Studio
from mirvo.studio.records.aftercare import Due, open_care
from mirvo.studio.tree_queries import load_tree
from mirvo.studio.yard.settings import yard_of
from mirvo.studio.yard.tree_list import NEXT, NOW, TreeRow, list_trees
from mirvo.studio.yard.weather import ColdNights, frost_watch

# Four months: a window seen in time for pots and soil to be ordered.
SOON_DAYS = 120


@dataclass(frozen=True)
class Bench:
    """Trees by what they need.

    now : to be dealt with today. soon : their window opens before long. look : what must be looked
    at first. resting : they recover or are too weak. waiting : the others.
    """

    now: list[TreeRow]
    look: list[TreeRow]
    soon: list[TreeRow]
    resting: list[TreeRow]
    aftercare: list[Due]
    running: list[tuple[BenchSession, Tree]]
    frost: list[ColdNights]
    weeks: list[BenchWeek]
    unmeasured: list[TreeRow]
    waiting: list[TreeRow]


@dataclass(frozen=True)
class BenchWeek:
    """One week with its trees, each with the weeks it may be moved to."""

    monday: date
    trees: list[tuple[TreeRow, list[date]]]
    room: int
    over: int


def _weeks(yard: Yard, today: date, rows: list[TreeRow]) -> list[BenchWeek]:
    """Trees due before long, spread over the weeks of their windows."""
    due = {
        row.tree.id: DueTree(
            row.tree.id, row.window.start, row.window.end, row.window.best, row.tree.moved_to
        )
        for row in rows
    }
    by_id = {row.tree.id: row for row in rows}
    planned = plan_weeks(list(due.values()), yard.trees_a_day * yard.bench_days, today)
    return [
        BenchWeek(
            week.monday,
            [(by_id[key], weeks_of(due[key], today)) for key in week.trees],
            week.room,
            week.over,
        )
        for week in planned
    ]


def move_tree(studio: Studio, tree_id: int, day: date | None) -> None:
    """Work a tree in another week of its window; None lets the bench choose again.

    Raises
    ------
    BadInput : the week lies outside the tree's window.
    """
    today = studio.today
    with studio.writing() as db:
        # From the list, so that the window is the one that is shown.
        row = next((listed for listed in list_trees(db, today) if listed.tree.id == tree_id), None)
        if row is None:
            raise NotFound("tree", "there is no such tree")
        due = DueTree(tree_id, row.window.start, row.window.end, row.window.best)
        if day is not None and monday_of(day) not in weeks_of(due, today):
            raise BadInput("week", f"{day:%d %b %Y} lies outside the window of {row.tree.name}")
        load_tree(db, tree_id).moved_to = day


def due_rows(db: DbSession, today: date) -> list[TreeRow]:
    """Trees to be repotted now or before long, those whose window closes first first."""
    horizon = today + timedelta(days=SOON_DAYS)
    rows = sorted(list_trees(db, today), key=lambda row: row.window.end)
    return [row for row in rows if _is_due(row, horizon)]


def _is_due(row: TreeRow, horizon: date) -> bool:
    """Whether a tree's verdict asks for a session now, or in a window that opens by a day."""
    if row.verdict.kind in NOW:
        return True
    return row.verdict.kind in NEXT and row.window.start <= horizon


def bench(db: DbSession, today: date) -> Bench:
    """Sort all trees into what wants doing today."""
    rows = sorted(list_trees(db, today), key=lambda row: row.window.end)
    rows = [row for row in rows if row.tree.died_on is None]
    horizon = today + timedelta(days=SOON_DAYS)
    return Bench(
        now=[row for row in rows if row.verdict.kind in NOW],
        look=[row for row in rows if row.verdict.kind == "open" or row.standing.strength.doubted],
        soon=[row for row in rows if row.verdict.kind not in NOW and _is_due(row, horizon)],
        resting=[row for row in rows if row.verdict.kind == "rest"],
        aftercare=open_care(db, today),
        running=running_sessions(db),
        frost=frost_watch(db, today),
        weeks=_weeks(yard_of(db), today, [row for row in rows if _is_due(row, horizon)]),
        unmeasured=[row for row in rows if row.measured is None],
        waiting=[row for row in rows if not _is_due(row, horizon) and row.verdict.kind != "rest"],
    )
