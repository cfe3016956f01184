"""Looking after a tree: aftercare tasks with their dates, and the rhythm of watering."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from functools import cache
from typing import Annotated, Any, Literal, NamedTuple

from pydantic import StringConstraints
from sqlalchemy import Date, Select, and_, bindparam, func, or_, select
from sqlalchemy.orm import aliased

from mirvo.core import care
from mirvo.core.almanac import rules
from mirvo.core.errors import BadInput, NotFound
from mirvo.core.limits.base import Limits, PastDay, PlannedDay, checked
from mirvo.core.limits.care import TaskFields
from mirvo.core.rootwork import opens_ball, over_limit, treated_as_cutting
from mirvo.core.season.load import monday_of
from mirvo.core.season.weather import DayWeather
from mirvo.records.database import DbSession, find_kept
from mirvo.records.models import (
    CareTask,
    CutRecord,
    Root,
    RootSession,
    Tree,
    TreeAnswer,
    Yard,
)
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.standing.practice import practice_for
from mirvo.studio.standing.species import species_of_tree
from mirvo.studio.standing.tree_queries import load_tree, sessions_of
from mirvo.studio.standing.weather import outlook_for, place_of, station_of
from mirvo.text.care import care_title

AHEAD_DAYS = 14
# Recorded a week late, a task may still be worth doing.
GRACE_DAYS = 7
KEPT = ("sacrifice branch", "basal shoot", "low branch for a graft", "wire", "something else")
KEPT_CODE = "kept"


def plan_care(db: DbSession, session: RootSession, tree: Tree, today: date) -> None:
    """Write the tasks that follow a session, or move those that are open to where they are due now.

    What is ticked off stays. What lay further back when a session was recorded late is not asked
    for any more.
    """
    made = {(task.code, task.step): task for task in _care_of(db, session, tree, today)}
    query = select(CareTask).where(CareTask.session_id == session.id, CareTask.kept())
    for row in db.scalars(query):
        task = made.pop((row.code, row.step or ""), None)
        if row.done_at is not None:
            continue
        # Tasks without a step are of an older version, and are made anew.
        if task is None:
            db.delete(row)
        else:
            row.since, row.due, row.anchor = task.since, task.due, task.anchor
            row.values = task.values
    for task in made.values():
        if task.due >= today - timedelta(days=GRACE_DAYS):
            db.add(
                CareTask(
                    tree_id=tree.id,
                    session_id=session.id,
                    since=task.since,
                    due=task.due,
                    code=task.code,
                    step=task.step,
                    anchor=task.anchor,
                    values=task.values,
                )
            )


def replan_care(db: DbSession, tree: Tree, today: date) -> None:
    """Move the open tasks of a tree's last root work, after buds or shoots were noted."""
    sessions = sessions_of(db, tree.id)
    last = next((one for one in sessions if opens_ball(one.kind)), None)
    for session in sessions:
        # What came after the last root work, a graft or a layer, waits for the same growth.
        if session is last or last is None or session.done_on >= last.done_on:
            plan_care(db, session, tree, today)


def replan_yard(studio: Studio) -> None:
    """Move the open tasks of all trees, after the yard's frost or its place changed."""
    with studio.writing() as db:
        query = (
            select(Tree)
            .join(CareTask, CareTask.tree_id == Tree.id)
            .where(CareTask.anchor.is_not(None), CareTask.done_at.is_(None), CareTask.kept())
            .where(Tree.kept())
            .distinct()
        )
        for tree in db.scalars(query):
            replan_care(db, tree, studio.today)


def _care_of(db: DbSession, session: RootSession, tree: Tree, today: date) -> list[care.CareTask]:
    yard = yard_of(db)
    species, notes = species_of_tree(yard, tree), session.notes or {}
    removed = [
        label
        for label, done in db.execute(
            select(Root.label, CutRecord.done_action)
            .join(Root, Root.id == CutRecord.root_id)
            .where(CutRecord.session_id == session.id)
            .order_by(CutRecord.id)
        )
        if done == "remove"
    ]
    as_cutting = treated_as_cutting(session.kind, session.share, session.bearing)
    work = care.Worked(
        session.done_on,
        session.kind,
        tree.strength,
        tuple(removed),
        as_cutting,
        over_limit=not as_cutting and over_limit(session.kind, session.share, session.budget),
        rot=bool(notes.get("rot")),
        pests=bool(notes.get("pests")),
        crown_reduced=bool(session.top_reduced),
        grafted=bool(notes.get("graft_hours")),
    )
    around = care.surroundings(
        species,
        place_of(yard),
        session.done_on,
        outlook_for(yard, tree, species, today),
        first_shoots(db, session),
        _forecast(yard, tree, today),
    )
    return care.aftercare(work, session.practice or practice_for(yard, tree), around)


def first_shoots(db: DbSession, session: RootSession) -> date | None:
    """The day the first new shoots after a session were seen."""
    query = select(func.min(TreeAnswer.shoots_on)).where(TreeAnswer.session_id == session.id)
    return db.scalar(query)


def _forecast(yard: Yard, tree: Tree, today: date) -> list[DayWeather]:
    """The ten days to come as a tree outside meets them; none where nobody can tell."""
    station = station_of(yard)
    if station is None or tree.under_glass or yard.frost_free:
        return []
    return station.forecast(today)


class Due(NamedTuple):
    """An open task with the tree it is for.

    Attributes
    ----------
    session_id, done_on : of the session it follows; None for what the artist set by hand.
    title : what is to be done, in a sentence. about : its day is an estimate.
    """

    id: int
    session_id: int | None
    tree_id: int
    tree_name: str
    code: str
    title: str
    about: bool
    since: date | None
    due: date
    done_on: date | None
    late: bool


def open_care(
    db: DbSession,
    today: date,
    until: date | None = None,
    most: int | None = None,
    trees: Sequence[int] | None = None,
) -> list[Due]:
    """Open tasks due by a day, two weeks ahead by default, oldest first; `most` of them, or those
    of some trees.

    A session's tasks end with the next session of the tree, or some weeks after their day, but for
    the lasting ones.
    """
    query = _open_tasks().limit(most)
    if trees is not None:
        query = query.where(CareTask.tree_id.in_(trees))
    asked = {
        "today": today,
        "lapsed": today - timedelta(days=rules().care.lapse_days),
        "until": until or today + timedelta(days=AHEAD_DAYS),
        "lasting": rules().care.lasting,
    }
    return [_due(*row) for row in db.execute(query, asked)]


def _due(
    number: int,
    session_id: int | None,
    tree_id: int,
    tree_name: str,
    code: str,
    text: str | None,
    values: care.CareValues | None,
    *rest: Any,
) -> Due:
    title = text or care_title(code, values)
    about = bool(values and values.get("about"))
    return Due(number, session_id, tree_id, tree_name, code, title, about, *rest)


@dataclass(frozen=True)
class CareLine:
    """The same thing to do for one tree or several, in one week."""

    title: str
    dues: list[Due]


@dataclass(frozen=True)
class CareWeek:
    """What is to be done in one week. monday : None for what is due today, late or going on."""

    monday: date | None
    lines: list[CareLine]


def by_week(dues: Sequence[Due], today: date) -> list[CareWeek]:
    """Tasks week by week, those that are alike in one line; what is due now first."""
    weeks: dict[date | None, dict[str, list[Due]]] = {}
    for due in dues:
        now = due.due <= today or (due.since is not None and due.since <= today)
        week = weeks.setdefault(None if now else monday_of(due.due), {})
        week.setdefault(due.title, []).append(due)
    ordered = sorted(weeks, key=lambda monday: monday or date.min)
    return [
        CareWeek(monday, [CareLine(title, alike) for title, alike in weeks[monday].items()])
        for monday in ordered
    ]


@cache
def _open_tasks() -> Select[*tuple[Any, ...]]:
    """The question for open tasks, put together once: that costs more than its answer.

    Parameters: today, lapsed, until, lasting.
    """
    today, until = bindparam("today", type_=Date), bindparam("until", type_=Date)
    lapsed = bindparam("lapsed", type_=Date)
    later = aliased(RootSession)
    superseded = (
        select(later.id)
        .where(
            later.tree_id == CareTask.tree_id,
            later.done_on > RootSession.done_on,
            later.composted_at.is_(None),
        )
        .exists()
    )
    task = CareTask
    return (
        # Columns and no records: a yard has thousands of tasks.
        select(
            task.id,
            task.session_id,
            Tree.id,
            Tree.name,
            task.code,
            task.text,
            task.values,
            task.since,
            task.due,
            RootSession.done_on,
            task.due < today,
        )
        .join(Tree, Tree.id == CareTask.tree_id)
        .outerjoin(RootSession, RootSession.id == CareTask.session_id)
        .where(
            CareTask.done_at.is_(None),
            or_(CareTask.due <= until, CareTask.since <= today),
            CareTask.kept(),
            # What no session left has none that could lie on the heap.
            RootSession.kept(),
            Tree.kept(),
            or_(
                CareTask.session_id.is_(None),
                CareTask.code.in_(bindparam("lasting", expanding=True)),
                and_(~superseded, CareTask.due >= lapsed),
            ),
            # A stretch in one place that is over is nothing to be done any more.
            or_(CareTask.since.is_(None), CareTask.due >= today),
        )
        .order_by(CareTask.due, CareTask.id)
    )


class KeptFields(Limits):
    """Something kept on a tree for a while, and the day to look whether it may go."""

    kept_what: Literal[KEPT] = KEPT[0]  # type: ignore[valid-type]
    kept_where: Annotated[str, StringConstraints(strip_whitespace=True, max_length=120)] = ""
    kept_since: PastDay | None = None
    look_on: PlannedDay


def keep_for_a_while(studio: Studio, tree_id: int, form: KeptFields) -> CareTask:
    """Note what is kept on a tree for a while. Raises BadInput."""
    since = form.kept_since or studio.today
    form.check_days(studio.today)
    if form.look_on < since:
        raise BadInput("look_on", "the day to look at it lies before the day it was kept")
    where = f", {form.kept_where}" if form.kept_where else ""
    text = f"{form.kept_what}{where}, kept since {since.day} {since:%B %Y}: still needed?"
    return set_task(studio, tree_id, text, form.look_on)


def set_task(studio: Studio, tree_id: int, text: str, due: date) -> CareTask:
    """Something to look at on a day, set by hand. Raises NotFound, BadInput."""
    checked(TaskFields, {"text": text, "due": due}, studio.today)
    with studio.writing() as db:
        load_tree(db, tree_id)
        # Shown from its day on and not before: there is nothing to be kept up until then.
        task = CareTask(tree_id=tree_id, session_id=None, since=None, due=due, code=KEPT_CODE)
        task.text = text
        db.add(task)
    return task


def kept_for_a_while(db: DbSession, tree_id: int) -> list[CareTask]:
    """What is kept on a tree for a while, the next to look at first."""
    query = select(CareTask).where(
        CareTask.tree_id == tree_id,
        CareTask.session_id.is_(None),
        CareTask.done_at.is_(None),
        CareTask.kept(),
    )
    return list(db.scalars(query.order_by(CareTask.due, CareTask.id)))


def tasks_of_session(db: DbSession, session_id: int) -> list[CareTask]:
    """All tasks of a session, by date."""
    query = select(CareTask).where(CareTask.session_id == session_id, CareTask.kept())
    return list(db.scalars(query.order_by(CareTask.due, CareTask.id)))


def tick(studio: Studio, task_id: int, done: bool = True) -> CareTask:
    """Mark a task done, or open again. Raises NotFound."""
    with studio.writing() as db:
        task = find_kept(db, CareTask, task_id)
        if task is None:
            raise NotFound("task", "there is no such task")
        task.done_at = studio.now if done else None
    return task
