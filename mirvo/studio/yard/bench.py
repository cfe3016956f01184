"""The bench: the year from today on, a lane a tree, and what wants doing now."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, timedelta

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.plan.records import PlannedStep
from mirvo.core.rootwork import opens_ball
from mirvo.core.season.load import DueTree, monday_of, plan_weeks, weeks_of
from mirvo.core.standing.answer import Answer, Experience, experience_of
from mirvo.records.database import DbSession
from mirvo.records.models import BenchSession, RootSession, Tree, Yard
from mirvo.studio.bench_session.session import running_sessions
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.ground.state_cache import kept_for_all
from mirvo.studio.records.aftercare import Due, open_care
from mirvo.studio.standing.kept_plans import step_of
from mirvo.studio.standing.tree_list import REPOT, TreeRow, is_due, list_trees
from mirvo.studio.standing.tree_queries import load_tree
from mirvo.studio.standing.weather import ColdNights, frost_watch

YEAR_DAYS = 365
# So long after a session what the tree does is looked at.
ANSWERS_DAYS = 240
ANSWERS_SHOWN = 6


@dataclass(frozen=True)
class Lane:
    """One tree on the year at the bench.

    week : Monday of the week it is planned for, None where none is. step : what its path plans
    for the window.
    """

    row: TreeRow
    today: date
    week: date | None
    step: PlannedStep | None

    @property
    def weeks(self) -> list[date]:
        """Mondays of the weeks it may be moved to."""
        return weeks_of(_due(self.row), self.today)


@dataclass(frozen=True)
class Answering:
    """A tree worked not long ago: its session, and the answer as far as one is known.

    experience : what the yard's sessions on its species came to, this one left out.
    """

    row: TreeRow
    session: RootSession
    answer: Answer | None
    experience: Experience


@dataclass(frozen=True)
class Bench:
    """The year from today on, and what wants doing.

    lanes : all living trees, what is due first. wanted : how many of them want root work within
    the year. weeks : those that trees are planned for. care : to be looked after before long.
    """

    today: date
    lanes: list[Lane]
    care: list[Due]
    running: list[tuple[BenchSession, Tree]]
    frost: list[ColdNights]
    weeks: list[BenchWeek]
    answering: list[Answering]

    @property
    def wanted(self) -> int:
        return sum(lane.week is not None for lane in self.lanes)

    @property
    def late(self) -> int:
        """How many things are due today or late."""
        return sum(due.due <= self.today for due in self.care)

    @property
    def overfull(self) -> list[BenchWeek]:
        """Weeks with more trees than they hold."""
        return [week for week in self.weeks if week.over]

    @property
    def unmeasured(self) -> list[TreeRow]:
        return [lane.row for lane in self.lanes if lane.row.measured is None]


@dataclass(frozen=True)
class BenchWeek:
    """One week with its trees."""

    monday: date
    trees: list[TreeRow]
    room: int
    over: int


@kept_for_all
def _living(db: DbSession, today: date) -> list[TreeRow]:
    """Rows of all living trees, what is due first."""
    rows = [row for row in list_trees(db, today) if row.tree.died_on is None]
    return sorted(rows, key=lambda row: (*row.due, row.window.end, row.tree.name))


@kept_for_all
def _weeks(db: DbSession, today: date) -> list[BenchWeek]:
    """Trees due within the year, spread over the weeks of their windows."""
    yard, year = yard_of(db), today + timedelta(days=YEAR_DAYS)
    # What asks for something now may have its next window years ahead; it has no week here.
    rows = [row for row in _living(db, today) if is_due(row, year) and row.window.start <= year]
    by_id = {row.tree.id: row for row in rows}
    planned = plan_weeks([_due(row) for row in rows], yard.trees_a_day * yard.bench_days, today)
    return [
        BenchWeek(
            week.monday,
            [by_id[key] for key in week.trees],
            week.room,
            week.over,
        )
        for week in planned
    ]


def _due(row: TreeRow) -> DueTree:
    window = row.window
    return DueTree(row.tree.id, window.start, window.end, window.best, row.tree.moved_to)


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
        if day is not None and monday_of(day) not in weeks_of(_due(row), today):
            raise BadInput("week", f"{day:%d %b %Y} lies outside the window of {row.tree.name}")
        load_tree(db, tree_id).moved_to = day


def bench(db: DbSession, today: date) -> Bench:
    """The year at the bench from a day on."""
    return Bench(
        today,
        _lanes(db, today),
        open_care(db, today),
        running_sessions(db),
        _frost(db, today),
        _weeks(db, today),
        _answering(db, today),
    )


@kept_for_all
def _lanes(db: DbSession, today: date) -> list[Lane]:
    yard = yard_of(db)
    planned = {row.tree.id: week.monday for week in _weeks(db, today) for row in week.trees}
    lanes = []
    for row in _living(db, today):
        week = planned.get(row.tree.id)
        lanes.append(Lane(row, today, week, _step(row, yard) if week else None))
    return lanes


def care_of_lanes(db: DbSession, today: date, lanes: Iterable[Lane]) -> dict[int, list[Due]]:
    """What is to be looked after within the year on the trees of some lanes, by tree."""
    trees = [lane.row.tree.id for lane in lanes]
    by_tree: dict[int, list[Due]] = {tree_id: [] for tree_id in trees}
    for task in open_care(db, today, today + timedelta(days=YEAR_DAYS), trees=trees):
        by_tree[task.tree_id].append(task)
    return by_tree


def _step(row: TreeRow, yard: Yard) -> PlannedStep | None:
    """What the tree's path plans for its next window; None while no plan holds, or while the
    verdict is another than to repot."""
    plan = row.stands.plan
    if plan is None or row.verdict.kind not in REPOT:
        return None
    return step_of(plan, yard.school, row.window.year)


@kept_for_all
def _frost(db: DbSession, today: date) -> list[ColdNights]:
    """Trees that the forecast would harm."""
    trees = ((row.tree, row.species, _worked_on(row)) for row in _living(db, today))
    return frost_watch(db, today, trees)


def _worked_on(row: TreeRow) -> date | None:
    """The day on which a tree's roots were worked last."""
    return next((one.done_on for one in row.stands.sessions if opens_ball(one.kind)), None)


@kept_for_all
def _answering(db: DbSession, today: date) -> list[Answering]:
    """Trees worked not long ago, the latest first."""
    rows, worked = _living(db, today), []
    for row in rows:
        # What only delays, a graft or a layer leaves the ball as it is: there is nothing to answer.
        last = next((one for one in row.stands.sessions if opens_ball(one.kind)), None)
        if last is None or (today - last.done_on).days > ANSWERS_DAYS:
            continue
        worked.append((row, last))
    worked.sort(key=lambda one: one[1].done_on, reverse=True)
    shown = worked[:ANSWERS_SHOWN]
    by_species: dict[str, list[tuple[TreeRow, RootSession]]] = {
        row.tree.species_key: [] for row, _ in shown
    }
    for row in rows:
        if row.tree.species_key in by_species:
            sessions = ((row, session) for session in row.stands.sessions)
            by_species[row.tree.species_key].extend(sessions)
    found = []
    for row, last in shown:
        others = experience_of(
            (session.share, other.stands.answers.get(session.id))
            for other, session in by_species[row.tree.species_key]
            if session.id != last.id
        )
        found.append(Answering(row, last, row.stands.answers.get(last.id), others))
    return found
