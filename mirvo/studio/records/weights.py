"""Trees on the scale: what they weigh, the water they use, and how that comes back."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from sqlalchemy import null, select, type_coerce, union_all

from mirvo.core.care.water_use import Drinking, Weighing, drinking_since, uses_of
from mirvo.core.limits.base import checked
from mirvo.core.limits.care import WeightFields
from mirvo.core.rootwork import opens_ball
from mirvo.records.database import DbSession
from mirvo.records.models import PotWeight, Watering
from mirvo.studio.ground.context import Studio
from mirvo.studio.standing.tree_queries import load_tree, sessions_of

# Three years of daily weighings are enough to know what is usual.
MAX_WEIGHINGS = 1_100


@dataclass(frozen=True)
class WateringLog:
    """Days a tree was watered and weighings of it in its pot, newest first."""

    watered: tuple[date, ...]
    weighed: tuple[Weighing, ...]


@dataclass(frozen=True)
class WaterUse:
    """Weighings of a tree and what they tell.

    last : the newest, None while there is none. grams_a_day : used of late. since_work : against
    what is usual, since its roots were worked last.
    """

    last: Weighing | None
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


def watering_log(db: DbSession, tree_id: int) -> WateringLog:
    """Waterings and weighings of a tree, newest first, in one question."""
    no_day, no_moment = (
        type_coerce(null(), Watering.watered_on.type),
        type_coerce(null(), PotWeight.weighed_at.type),
    )
    watered = (
        select(Watering.watered_on, no_moment, type_coerce(null(), PotWeight.grams.type))
        .where(Watering.tree_id == tree_id)
        .order_by(Watering.watered_on.desc())
        .limit(MAX_WEIGHINGS)
    )
    weighed = (
        select(no_day, PotWeight.weighed_at, PotWeight.grams)
        .where(PotWeight.tree_id == tree_id)
        .order_by(PotWeight.weighed_at.desc())
        .limit(MAX_WEIGHINGS)
    )
    # Each with its own order and limit, which only a query within a query has here.
    rows = db.execute(union_all(select(watered.subquery()), select(weighed.subquery()))).all()
    days = [day for day, moment, _ in rows if moment is None and day is not None]
    weights = [Weighing(moment, grams) for _, moment, grams in rows if moment is not None]
    return WateringLog(tuple(days), tuple(weights))


def water_use(db: DbSession, tree_id: int, log: WateringLog | None = None) -> WaterUse:
    """What the weighings of a tree tell of the water it uses. log : where it was read already."""
    log = log or watering_log(db, tree_id)
    if not log.weighed:
        return WaterUse(None, None, None)
    uses = uses_of(log.weighed, set(log.watered))
    last_work = next((one for one in sessions_of(db, tree_id) if opens_ball(one.kind)), None)
    since = None if last_work is None else drinking_since(uses, last_work.done_on)
    return WaterUse(log.weighed[0], uses[-1].grams if uses else None, since)
