"""Figures of a tree measured by hand, with tape and calliper, as old notebooks hold them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import date
from typing import NamedTuple

from sqlalchemy import select

from mirvo.core.errors import BadInput
from mirvo.core.limits.measuring import HandFields
from mirvo.records.database import DbSession
from mirvo.records.models import HandMeasurement, Tree
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.state_cache import kept_by_tree
from mirvo.studio.standing.tree_queries import load_tree

# A trunk does not shrink; a calliper laid on elsewhere, or another way across, makes so much of a
# difference.
SHRUNK = 0.85
FIGURES = ("trunk", "spread", "height")
# Of the figures a portrait holds too, so that the newest stand there.
IN_PORTRAIT = ("trunk", "height")


class OddTrunk(NamedTuple):
    """A trunk by hand that another day contradicts: it would have shrunk from the one to the other.

    mm : what was measured by hand on `day`. other_mm : on the photo of `other_day`. less : whether
    the one by hand is the smaller of the two.
    """

    day: date
    mm: float
    other_day: date
    other_mm: float
    less: bool


def add_by_hand(studio: Studio, tree_id: int, form: HandFields) -> None:
    """Keep what was measured by hand; of a day measured before, these figures. Raises BadInput."""
    with studio.writing() as db:
        put_by_hand(db, studio, load_tree(db, tree_id), form)


def put_by_hand(db: DbSession, studio: Studio, tree: Tree, form: HandFields) -> bool:
    """Within a transaction; whether it says anything that was not kept yet. Raises BadInput."""
    form.check_days(studio.today)
    said = {name: getattr(form, f"{name}_mm") for name in FIGURES}
    if all(value is None for value in said.values()):
        raise BadInput("trunk_mm", "give at least one of trunk, spread and height")
    asked = select(HandMeasurement).where(
        HandMeasurement.tree_id == tree.id, HandMeasurement.measured_on == form.measured_on
    )
    row = db.scalar(asked)
    kept = row is not None and row.composted_at is None
    if row is None:
        row = HandMeasurement(tree_id=tree.id, measured_on=form.measured_on)
        db.add(row)
    row.composted_at = None
    fresh = not kept
    for name, value in said.items():
        if value is not None or not kept:
            fresh = fresh or getattr(row, f"{name}_mm") != value
            setattr(row, f"{name}_mm", value)
    db.flush()
    if fresh:
        _into_portrait(db, tree)
        tree.updated_at, tree.version = studio.now, tree.version + 1
    return fresh


def odd_trunks(
    rows: Iterable[HandMeasurement], on_photos: Sequence[tuple[date, float]]
) -> list[OddTrunk]:
    """Trunks by hand that photos contradict; `on_photos` : days and diameters, mm."""
    found = []
    for row in rows:
        if row.trunk_mm is None:
            continue
        for day, mm in on_photos:
            earlier, later = (row.trunk_mm, mm) if row.measured_on < day else (mm, row.trunk_mm)
            if row.measured_on == day:
                earlier, later = max(earlier, later), min(earlier, later)
            if later < SHRUNK * earlier:
                less = row.trunk_mm < mm
                found.append(OddTrunk(row.measured_on, row.trunk_mm, day, mm, less))
                break
    return found


def _into_portrait(db: DbSession, tree: Tree) -> None:
    """The newest of each figure stands in the portrait, unless that says something newer."""
    rows = by_hand(db, tree.id)
    for name in IN_PORTRAIT:
        column = f"{name}_mm"
        values = [(row.measured_on, getattr(row, column)) for row in rows]
        known = [(day, value) for day, value in values if value is not None]
        if not known:
            continue
        (day, newest), stands = known[-1], getattr(tree, column)
        was_measured = stands is None or any(value == stands for _, value in known)
        # What was written there by itself is as new as the last change of the portrait.
        if was_measured or day >= tree.updated_at.date():
            setattr(tree, column, newest)


@kept_by_tree
def by_hand(db: DbSession, tree_id: int) -> tuple[HandMeasurement, ...]:
    """All that was measured of a tree by hand, oldest first."""
    query = select(HandMeasurement).where(
        HandMeasurement.tree_id == tree_id, HandMeasurement.kept()
    )
    return tuple(db.scalars(query.order_by(HandMeasurement.measured_on, HandMeasurement.id)))
