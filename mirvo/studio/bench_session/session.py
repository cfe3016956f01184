"""A root session while it runs at the bench, kept entry by entry.

What is entered comes as entries (see `entries`); of several for one field the last one counts.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from sqlalchemy import func, select

from mirvo.core.almanac import rules
from mirvo.core.almanac.practice import Practice
from mirvo.core.errors import BadInput, NotFound
from mirvo.core.plan.records import PlannedStep
from mirvo.core.rootwork import kind_by_key, opens_ball
from mirvo.core.rootwork.bench import (
    BARE_FROM,
    BARE_UNTIL,
    Step,
    all_steps,
    fields_for,
    situation_of,
    steps_for,
)
from mirvo.core.rootwork.cuts import CutDecision, RootFinding
from mirvo.records.database import DbSession
from mirvo.records.models import BenchEntry, BenchPhoto, BenchSession, Photo, RootSession, Tree
from mirvo.studio.bench_session.entered import readable_value
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.ground.state_cache import kept_by_tree
from mirvo.studio.standing.kept_plans import planned_step
from mirvo.studio.standing.practice import practice_for
from mirvo.studio.standing.species import species_of_tree
from mirvo.studio.standing.tree_queries import load_tree, sessions_of

NEW_DAYS = 365


# What was entered, by field: a number, words, or what a field of several parts holds.
Entered = dict[str, Any]


@dataclass(frozen=True)
class BenchState:
    """A running session as its page shows it.

    answers : what was entered, by field. done_at : when each step was ticked. last : the tree's
    session before it. planned : what the tree's path plans for it.
    """

    bench: BenchSession
    tree: Tree
    practice: Practice
    steps: list[Step]
    answers: Entered
    done_at: dict[str, datetime]
    photos: list[tuple[str, Photo]]
    last: RootSession | None
    planned: PlannedStep | None = None

    @property
    def day(self) -> date:
        # A session that runs past midnight is still of the day it began.
        return self.bench.begun_at.date()

    @property
    def old_soil_hours(self) -> tuple[int, ...]:
        """Hours of the clock where old soil stays: as noted today, else as left last time."""
        if "old_soil" in self.answers:
            # Old soil that was not looked at today stays where it was left.
            return tuple(self.answers["old_soil"] or ())
        before = self.last.notes if self.last else {}
        hours = before.get("old_soil")
        return tuple(hours) if isinstance(hours, list) else ()

    @property
    def decisions(self) -> dict[str, CutDecision]:
        """The artist's decisions so far, by root."""
        return {label: CutDecision(**said) for label, said in self.of_roots("root").items()}

    @property
    def findings(self) -> dict[str, RootFinding]:
        """What was found so far, by root."""
        return {label: RootFinding(**said) for label, said in self.of_roots("seen").items()}

    @property
    def waits_on(self) -> dict[str, str]:
        """Roots whose fate hangs on another's, and on whose."""
        return self.of_roots("waits")

    def of_roots(self, prefix: str) -> Entered:
        """Answers about single roots by letter: decisions ("root"), findings, what waits."""
        found = {
            field.partition(":")[2]: value
            for field, value in self.answers.items()
            if field.startswith(f"{prefix}:")
        }
        return {label: value for label, value in found.items() if value}

    @property
    def exposed_minutes(self) -> float | None:
        """Minutes the roots lay bare, from lifting to filling; None unless both were ticked."""
        lifted, covered = self.done_at.get(BARE_FROM), self.done_at.get(BARE_UNTIL)
        if lifted is None or covered is None or covered < lifted:
            return None
        return (covered - lifted).total_seconds() / 60


def begin(studio: Studio, tree_id: int, kind: str) -> BenchSession:
    """Begin a session, or go on with the one that runs for this tree. Raises BadInput."""
    kind_by_key(kind)
    # Asked for its complaint: a kind without steps is refused before anything is written.
    all_steps(kind)
    with studio.writing() as db:
        load_tree(db, tree_id)
        # A tree lies on one bench only: beginning again goes on with it.
        found = running_session(db, tree_id)
        if found is not None:
            return found
        bench = BenchSession(tree_id=tree_id, kind=kind, begun_at=studio.now)
        db.add(bench)
    return bench


def running_sessions(db: DbSession) -> list[tuple[BenchSession, Tree]]:
    """All sessions not closed yet, newest first."""
    query = (
        select(BenchSession, Tree)
        .join(Tree, Tree.id == BenchSession.tree_id)
        .where(BenchSession.closed_at.is_(None), Tree.kept())
        .order_by(BenchSession.begun_at.desc())
    )
    return [(bench, tree) for bench, tree in db.execute(query)]


@kept_by_tree
def running_session(db: DbSession, tree_id: int) -> BenchSession | None:
    """The session that runs for a tree, if any."""
    query = select(BenchSession).where(
        BenchSession.tree_id == tree_id, BenchSession.closed_at.is_(None)
    )
    return db.scalar(query.order_by(BenchSession.id.desc()).limit(1))


def leave(studio: Studio, bench_id: int) -> int:
    """End a session in which nothing was entered without a record; the tree's number.

    Raises
    ------
    BadInput : something was entered: close it into a record instead.
    """
    with studio.writing() as db:
        bench = load_bench_session(db, bench_id)
        # Even an entry that was taken back shows that somebody worked.
        if db.scalar(select(func.count()).where(BenchEntry.bench_session_id == bench_id)):
            raise BadInput("session", "something was entered already; close the session to keep it")
        # Left twice, it ended the first time.
        bench.closed_at = bench.closed_at or studio.now
        return bench.tree_id


def load_bench_session(db: DbSession, bench_id: int) -> BenchSession:
    """One session at the bench. Raises NotFound."""
    bench = db.get(BenchSession, bench_id)
    if bench is None:
        raise NotFound("session", "there is no such session at the bench")
    return bench


def bench_state(db: DbSession, bench_id: int) -> BenchState:
    """Everything the page of a session at the bench shows. Raises NotFound."""
    bench = load_bench_session(db, bench_id)
    tree = load_tree(db, bench.tree_id)
    rows = db.execute(
        select(BenchEntry.field, BenchEntry.value, BenchEntry.entered_at)
        .where(BenchEntry.bench_session_id == bench_id)
        # In the order they were made at the bench, not in which they arrived.
        .order_by(BenchEntry.entered_at, BenchEntry.number)
    ).all()
    fields = fields_for(bench.kind)
    entries = [(field, readable_value(fields, field, value), when) for field, value, when in rows]
    photos = db.execute(
        select(BenchPhoto.step, Photo)
        .join(Photo, Photo.id == BenchPhoto.photo_id)
        .where(BenchPhoto.bench_session_id == bench_id, Photo.kept())
        .order_by(Photo.id)
    )
    last = next(iter(sessions_of(db, tree.id)), None)
    # Later entries overwrite earlier ones of their field.
    answers = {field: value for field, value, _ in entries}
    planned = None
    if opens_ball(bench.kind):
        planned = planned_step(db, tree.id, bench.begun_at.date())
    return BenchState(
        bench=bench,
        tree=tree,
        practice=practice_for(yard_of(db), tree),
        steps=_steps(db, bench, tree, answers, last, planned),
        answers=answers,
        done_at=_done_at(entries),
        photos=[(step, photo) for step, photo in photos],
        last=last,
        planned=planned,
    )


def _done_at(entries: list[tuple[str, Any, datetime]]) -> dict[str, datetime]:
    done: dict[str, datetime] = {}
    for field, value, when in entries:
        if field.startswith("done:"):
            step = field.removeprefix("done:")
            if value:
                # Ticked twice, it was done the first time.
                done.setdefault(step, when)
            else:
                done.pop(step, None)
    return done


def _steps(
    db: DbSession,
    bench: BenchSession,
    tree: Tree,
    answers: Entered,
    last: RootSession | None,
    planned: PlannedStep | None,
) -> list[Step]:
    came, yard = tree.acquired_on, yard_of(db)
    # What came within a year and was never worked still stands in foreign soil.
    newcomer = came is not None and (bench.begun_at.date() - came).days <= NEW_DAYS
    litres, guessed = _litres(answers, last), False
    if litres is None:
        litres, guessed = _litres_guessed(tree), True
    situation = situation_of(
        bench.kind,
        species_of_tree(yard, tree),
        practice_for(yard, tree),
        age=tree.age_class,
        stage=tree.stage,
        new=newcomer and last is None,
        ball_litres=litres,
        guessed=guessed,
        trunk_mm=answers.get("trunk_diameter_mm") or tree.trunk_mm,
        height_mm=tree.height_mm,
        answers=answers,
        union_mm=tree.graft_height_mm,
        design=tree.design,
        held_bare=tree.held_bare,
        grafts_planned=planned is not None and bool(planned.grafts),
    )
    return steps_for(situation)


def _litres(answers: Entered, last: RootSession | None) -> float | None:
    """Volume of the ball as entered today, else as left last time."""
    sizes = [
        answers.get(f"ball_{part}_before") or getattr(last, f"ball_{part}_after", None)
        for part in ("length", "width", "depth")
    ]
    if any(size is None for size in sizes):
        return None
    length, width, depth = (float(size) for size in sizes if size is not None)
    return length * width * depth / 1e6


def _litres_guessed(tree: Tree) -> float | None:
    """Volume of ball and pot by the trunk alone: five trunks long, three wide, as deep as one."""
    if tree.trunk_mm is None:
        return None
    return 5 * 3 * 1.3 * tree.trunk_mm**3 / 1e6


def containers() -> list[str]:
    """Kinds of container, as the plan knows them."""
    return list(rules().containers)
