"""Looking after a tree: aftercare tasks with their dates, and the rhythm of watering."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np
from sqlalchemy import or_, select
from sqlalchemy.orm import Session as Unit

from mirvo.core.almanac import rules
from mirvo.core.care import aftercare
from mirvo.core.errors import NotFound
from mirvo.records.database import reading, writing
from mirvo.records.models import Care, Session, Tree, Watering, Yard
from mirvo.studio.context import Studio
from mirvo.studio.practice import practice_for
from mirvo.studio.species import species_of
from mirvo.studio.trees import load_tree
from mirvo.studio.weather import station_of

AHEAD_DAYS = 14
GRACE_DAYS = 7
RECENT = 12


def plan_care(unit: Unit, session: Session, tree: Tree, yard: Yard, today: date) -> None:
    """Put the tasks that follow a session into its transaction.

    What lay further back when a session was recorded late is not asked for any more.
    """
    practice = practice_for(yard, tree)
    cut = [root["label"] for root in session.roots if root["action"] == "remove"]
    tasks = aftercare(
        session.done_on,
        session.kind,
        tree.strength,
        practice,
        yard.last_frost,
        cut,
        species_of(yard, tree.species_key).night_floor_c,
        [] if tree.under_glass else station_of(yard).forecast(today),
    )
    for task in (one for one in tasks if one.due >= today - timedelta(days=GRACE_DAYS)):
        unit.add(
            Care(
                tree_id=tree.id,
                session_id=session.id,
                due=task.due,
                code=task.code,
                text=task.text,
            )
        )


@dataclass(frozen=True)
class Due:
    """An open task with the tree it is for."""

    task: Care
    tree: Tree
    done_on: date
    late: bool


def open_care(studio: Studio, until: date | None = None) -> list[Due]:
    """Open tasks due by a day, two weeks ahead by default, oldest first.

    A session's tasks end with the next session of the tree, but for the lasting ones.
    """
    until = until or studio.today + timedelta(days=AHEAD_DAYS)
    later = Session.__table__.alias("later")
    superseded = (
        select(later.c.id)
        .where(later.c.tree_id == Care.tree_id, later.c.done_on > Session.done_on)
        .exists()
    )
    query = (
        select(Care, Tree, Session.done_on)
        .join(Tree, Tree.id == Care.tree_id)
        .join(Session, Session.id == Care.session_id)
        .where(
            Care.done_at.is_(None),
            Care.due <= until,
            or_(Care.code.in_(rules().care.lasting), ~superseded),
        )
        .order_by(Care.due, Care.id)
    )
    with reading(studio.engine) as unit:
        rows = unit.execute(query).all()
    return [Due(task, tree, done_on, task.due < studio.today) for task, tree, done_on in rows]


def tasks_of_session(studio: Studio, session_id: int) -> list[Care]:
    """All tasks of a session, by date."""
    query = select(Care).where(Care.session_id == session_id).order_by(Care.due, Care.id)
    with reading(studio.engine) as unit:
        return list(unit.scalars(query))


def tick(studio: Studio, task_id: int, done: bool = True) -> Care:
    """Mark a task done, or open again. Raises NotFound."""
    with writing(studio.engine) as unit:
        task = unit.get(Care, task_id)
        if task is None:
            raise NotFound("task", "there is no such task")
        task.done_at = studio.now if done else None
    return task


@dataclass(frozen=True)
class Rhythm:
    """Watering of a tree: the last day, days between, and what speaks against trusting them."""

    last: date | None
    days_between: float | None
    times: int
    warnings: list[str]


def water(studio: Studio, tree_id: int) -> None:
    """Note that a tree was watered today; a second tap on the same day changes nothing."""
    today = studio.today
    with writing(studio.engine) as unit:
        load_tree(unit, tree_id)
        query = select(Watering).where(Watering.tree_id == tree_id, Watering.watered_on == today)
        if unit.scalar(query) is None:
            unit.add(Watering(tree_id=tree_id, watered_on=today))


def rhythm_of(studio: Studio, tree_id: int) -> Rhythm:
    """Median days between the latest waterings, with warnings."""
    query = (
        select(Watering.watered_on)
        .where(Watering.tree_id == tree_id)
        .order_by(Watering.watered_on.desc())
        .limit(RECENT)
    )
    with reading(studio.engine) as unit:
        tree = load_tree(unit, tree_id)
        days = list(unit.scalars(query))
    apart = [(a - b).days for a, b in zip(days, days[1:], strict=False)]
    warnings = []
    if tree.foreign_soil:
        warnings.append(
            f"It still stands in foreign soil ({tree.foreign_soil}): water it by its own weight "
            "and touch, not with the others."
        )
    if tree.water_dish:
        warnings.append(
            "It stands in a water dish: days between waterings say nothing of its roots."
        )
    return Rhythm(
        days[0] if days else None,
        float(np.median(apart)) if apart else None,
        len(days),
        warnings,
    )
