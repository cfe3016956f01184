"""Trees on the scale: what they weigh, the water they use, and how that comes back."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from sqlalchemy import select

from mirvo.core.care.water_use import Drinking, Weighing, drinking_since, uses_of
from mirvo.core.limits.base import checked
from mirvo.core.limits.care import WeightFields
from mirvo.core.rootwork import opens_ball
from mirvo.records.database import DbSession
from mirvo.records.models import PotWeight, Watering
from mirvo.studio.context import Studio
from mirvo.studio.tree_queries import load_tree, sessions_of

# Three years of daily weighings are enough to know what is usual.
MAX_WEIGHINGS = 1_100


@dataclass(frozen=True)
class WaterUse:
    """Weighings of a tree and what they tell.

    last : the newest, None while there is none. grams_a_day : used of late. since_work : against
    what is usual, since its roots were worked last.
    """

    last: PotWeight | None
    grams_a_day: float | None
    since_work: Drinking | None


def weigh(studio: Studio, tree_id: int, grams: float) -> None:
    """Keep what a tree in its pot weighs now. Raises NotFound, BadInput."""
    checked(WeightFields, {"grams": grams}, studio.today)
    with studio.writing() as db:
        load_tree(db, tree_id)
        now = studio.now
        query = select(PotWeight).where(PotWeight.tree_id == tree_id, PotWeight.weighed_at == now)
        # Sent twice within a second it was weighed once.
        row = db.scalar(query) or PotWeight(tree_id=tree_id, weighed_at=now)
        row.grams = grams
        db.add(row)


def water_use(db: DbSession, tree_id: int) -> WaterUse:
    """What the weighings of a tree tell of the water it uses."""
    newest = select(PotWeight).where(PotWeight.tree_id == tree_id)
    rows = list(db.scalars(newest.order_by(PotWeight.weighed_at.desc()).limit(MAX_WEIGHINGS)))
    if not rows:
        return WaterUse(None, None, None)
    first = rows[-1].weighed_at.date()
    watered: set[date] = set(
        db.scalars(
            select(Watering.watered_on).where(
                Watering.tree_id == tree_id, Watering.watered_on >= first
            )
        )
    )
    uses = uses_of((Weighing(row.weighed_at, row.grams) for row in rows), watered)
    last_work = next((one for one in sessions_of(db, tree_id) if opens_ball(one.kind)), None)
    since = None if last_work is None else drinking_since(uses, last_work.done_on)
    return WaterUse(rows[0], uses[-1].grams if uses else None, since)
