"""Visits: a root session while it runs at the bench, kept tap by tap.

What is entered comes as taps (see `taps`); of several for one field the last one counts.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session as Unit

from mirvo.core.almanac import rules
from mirvo.core.almanac.practice import Practice
from mirvo.core.errors import BadInput, NotFound
from mirvo.core.rootwork import kind_by_key
from mirvo.core.rootwork.bench import Step, situation_of, steps_for
from mirvo.records.database import reading, writing
from mirvo.records.models import Photo, Session, Tap, Tree, Visit, VisitPhoto
from mirvo.studio.context import Studio
from mirvo.studio.histories import sessions_of
from mirvo.studio.practice import practice_for
from mirvo.studio.species import species_of
from mirvo.studio.trees import load_tree

NEW_DAYS = 365


@dataclass(frozen=True)
class VisitView:
    """A visit as its page shows it: what was entered, when each step was done, its photos."""

    visit: Visit
    tree: Tree
    practice: Practice
    steps: list[Step]
    answers: dict[str, Any]
    done_at: dict[str, datetime]
    photos: list[tuple[str, Photo]]
    last: Session | None

    @property
    def old_soil_hours(self) -> tuple[int, ...]:
        """Hours of the clock where old soil stays: as noted today, else as left last time."""
        if "old_soil" in self.answers:
            return tuple(self.answers["old_soil"] or ())
        before = (self.last.details or {}).get("answers", {}) if self.last else {}
        return tuple(before.get("old_soil") or ())

    def of_roots(self, prefix: str) -> dict[str, Any]:
        """Answers about single roots by letter: decisions ("root"), findings, what waits."""
        found = {
            field.partition(":")[2]: value
            for field, value in self.answers.items()
            if field.startswith(f"{prefix}:")
        }
        return {label: value for label, value in found.items() if value}


def begin(studio: Studio, tree_id: int, kind: str) -> Visit:
    """Begin a visit, or go on with the one that is open for this tree. Raises BadInput."""
    kind_by_key(kind)
    steps_for({"kind": kind})
    with writing(studio.engine) as unit:
        load_tree(unit, tree_id)
        found = find_open_visit(unit, tree_id)
        if found is not None:
            return found
        visit = Visit(tree_id=tree_id, kind=kind, begun_at=studio.now)
        unit.add(visit)
    return visit


def open_visit(studio: Studio, tree_id: int) -> Visit | None:
    """The visit that is open for a tree, if any."""
    with reading(studio.engine) as unit:
        return find_open_visit(unit, tree_id)


def open_visits(studio: Studio) -> list[tuple[Visit, Tree]]:
    """All visits not closed yet, newest first."""
    query = (
        select(Visit, Tree)
        .join(Tree, Tree.id == Visit.tree_id)
        .where(Visit.closed_at.is_(None))
        .order_by(Visit.begun_at.desc())
    )
    with reading(studio.engine) as unit:
        return [(visit, tree) for visit, tree in unit.execute(query).all()]


def leave(studio: Studio, visit_id: int) -> int:
    """Close a visit in which nothing was entered without a record; the tree's number.

    Raises
    ------
    BadInput : something was entered: close it into a record instead.
    """
    with writing(studio.engine) as unit:
        visit = load_visit(unit, visit_id)
        if unit.scalar(select(func.count()).where(Tap.visit_id == visit_id)):
            raise BadInput("visit", "something was entered already; close the session to keep it")
        visit.closed_at = visit.closed_at or studio.now
        return visit.tree_id


def find_open_visit(unit: Unit, tree_id: int) -> Visit | None:
    """The visit open for a tree within a unit of work."""
    query = select(Visit).where(Visit.tree_id == tree_id, Visit.closed_at.is_(None))
    return unit.scalar(query.order_by(Visit.id.desc()).limit(1))


def load_visit(unit: Unit, visit_id: int) -> Visit:
    """One visit. Raises NotFound."""
    visit = unit.get(Visit, visit_id)
    if visit is None:
        raise NotFound("visit", "there is no such session at the bench")
    return visit


def visit_view(studio: Studio, visit_id: int) -> VisitView:
    """Everything a visit's page shows. Raises NotFound."""
    yard = studio.yard()
    with reading(studio.engine) as unit:
        visit = load_visit(unit, visit_id)
        tree = load_tree(unit, visit.tree_id)
        taps = unit.execute(
            select(Tap.field, Tap.value, Tap.tapped_at)
            .where(Tap.visit_id == visit_id)
            .order_by(Tap.tapped_at, Tap.number)
        ).all()
        photos = unit.execute(
            select(VisitPhoto.step, Photo)
            .join(Photo, Photo.id == VisitPhoto.photo_id)
            .where(VisitPhoto.visit_id == visit_id)
            .order_by(Photo.id)
        ).all()
        last = next(iter(sessions_of(unit, tree.id)), None)
    answers = {field: value for field, value, _ in taps}
    practice = practice_for(yard, tree)
    return VisitView(
        visit=visit,
        tree=tree,
        practice=practice,
        steps=_steps(studio, visit, tree, practice, answers, last),
        answers=answers,
        done_at=_done_at([(field, value, when) for field, value, when in taps]),
        photos=[(step, photo) for step, photo in photos],
        last=last,
    )


def _done_at(taps: list[tuple[str, Any, datetime]]) -> dict[str, datetime]:
    done: dict[str, datetime] = {}
    for field, value, when in taps:
        if field.startswith("done:"):
            step = field.removeprefix("done:")
            if value:
                done.setdefault(step, when)
            else:
                done.pop(step, None)
    return done


def _steps(
    studio: Studio,
    visit: Visit,
    tree: Tree,
    practice: Practice,
    answers: dict[str, Any],
    last: Session | None,
) -> list[Step]:
    came = tree.acquired_on
    species = species_of(studio.yard(), tree.species_key)
    situation = situation_of(
        visit.kind,
        species,
        practice,
        age=tree.age_class,
        stage=tree.stage,
        new=came is not None and (studio.today - came).days <= NEW_DAYS and last is None,
        ball_litres=_litres(answers, last),
        trunk_mm=answers.get("trunk_diameter_mm") or tree.trunk_mm,
        height_mm=tree.height_mm,
    )
    return steps_for(situation)


def _litres(answers: dict[str, Any], last: Session | None) -> float | None:
    """Volume of the ball as entered today, else as left last time."""
    before = last.ball_after if last else {}
    sizes = [
        answers.get(f"ball_{part}_before") or before.get(f"{part}_mm")
        for part in ("length", "width", "depth")
    ]
    if any(size is None for size in sizes):
        return None
    length, width, depth = (float(size) for size in sizes if size is not None)
    return length * width * depth / 1e6


def exposed_minutes(view: VisitView) -> float | None:
    """Minutes the roots lay bare, from lifting to filling; None unless both were ticked."""
    lifted, covered = view.done_at.get("lift"), view.done_at.get("fill")
    if lifted is None or covered is None or covered < lifted:
        return None
    return (covered - lifted).total_seconds() / 60


def containers() -> list[str]:
    """Kinds of container, as the plan knows them."""
    return list(rules().containers)
