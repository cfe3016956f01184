"""Waterings as they were noted, and the rhythm they come to."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

import numpy as np
from sqlalchemy import select

from mirvo.records.database import DbSession
from mirvo.records.models import (
    Watering,
)
from mirvo.studio.ground.context import Studio
from mirvo.studio.records.weights import WateringLog, watering_log
from mirvo.studio.standing.tree_queries import load_tree

RECENT = 12
# From so many intervals on, taps say more than what was typed once.
RHYTHM_FROM = 4


@dataclass(frozen=True)
class Rhythm:
    """Watering of a tree: the last day, days between, and what speaks against trusting them."""

    last: date | None
    days_between: float | None
    times: int
    warnings: list[str]


def note_watering(studio: Studio, tree_id: int) -> None:
    """Note that a tree was watered today; a second tap on the same day changes nothing."""
    today = studio.today
    with studio.writing() as db:
        load_tree(db, tree_id)
        query = select(Watering).where(Watering.tree_id == tree_id, Watering.watered_on == today)
        if db.scalar(query) is None:
            db.add(Watering(tree_id=tree_id, watered_on=today))


def rhythm_of(db: DbSession, tree_id: int, log: WateringLog | None = None) -> Rhythm:
    """Days between waterings, with warnings: the median of the latest taps, or as typed while they
    are few. log : where it was read already."""
    tree = load_tree(db, tree_id)
    days = (log or watering_log(db, tree_id)).watered[:RECENT]
    # From the newest back; the median does not mind one holiday.
    apart = [(a - b).days for a, b in zip(days, days[1:], strict=False)]
    usual = float(np.median(apart)) if len(apart) >= RHYTHM_FROM else tree.usual_watering_days
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
        usual if usual is not None or not apart else float(np.median(apart)),
        len(days),
        warnings,
    )
