"""What sessions use up beside soil: how much of it lies on the shelf, and counting it down."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated

from pydantic import Field, StringConstraints
from sqlalchemy import select

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.limits.base import Limits
from mirvo.core.pot import Item, Use, materials
from mirvo.records.database import DbSession
from mirvo.records.models import RootSession, Supply, Tree
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.set_aside import keep_deleted
from mirvo.studio.standing.pot_of_tree import USUAL_TRUNK_MM, ball_of_tree, pot_of_tree
from mirvo.studio.standing.tree_queries import measured_base

# Soil is counted by its components.
BY_COMPONENT = "soil"
UNITS = ("", "m", "dm²", "l")
MOST_SUPPLIES = 200


class SupplyFields(Limits):
    """Something on the shelf, named as the materials list names it."""

    supply_name: Annotated[
        str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)
    ]
    supply_unit: str = ""
    supply_stock: Annotated[float, Field(ge=0, le=100_000, allow_inf_nan=False)]


def supplies(db: DbSession) -> list[Supply]:
    """All that is counted, by name."""
    return list(db.scalars(select(Supply).order_by(Supply.name, Supply.unit)))


def set_supply(studio: Studio, form: SupplyFields) -> None:
    """Say how much of something there is. Raises BadInput."""
    if form.supply_unit not in UNITS:
        raise BadInput("supply_unit", f"'{form.supply_unit}' is not one of pieces, m, dm², l")
    with studio.writing() as db:
        row = _found(db, form.supply_name, form.supply_unit)
        if row is None:
            if len(supplies(db)) >= MOST_SUPPLIES:
                raise BadInput("supply_name", f"The shelf counts {MOST_SUPPLIES} things at most.")
            row = Supply(name=form.supply_name, unit=form.supply_unit)
            db.add(row)
        row.stock = form.supply_stock


def drop_supply(studio: Studio, supply_id: int) -> None:
    """Count something no longer. Raises NotFound."""
    with studio.writing() as db:
        row = db.get(Supply, supply_id)
        if row is None:
            raise NotFound("supply", "there is no such thing on the shelf")
        keep_deleted(db, studio.now, row, f"Stock of {row.name}")


def less_stock(items: Iterable[Item], stock: Iterable[Supply]) -> list[Item]:
    """What has to be got of some things: what is counted, less what lies on the shelf."""
    there = {(one.name, one.unit): one.stock for one in stock}
    left = (
        Item(item.name, round(item.amount - there.get((item.name, item.unit), 0.0), 1), item.unit)
        for item in items
    )
    return [item for item in left if item.amount > 0]


def used_in(db: DbSession, tree: Tree, session: RootSession, removed: int) -> list[Item]:
    """What a session that was made used up, worked out as for one to come. removed : roots cut off
    flush."""
    pot_there = pot_of_tree(tree, [session])
    base = measured_base(db, tree.id, session.done_on)
    trunk = base.record.trunk_diameter_mm.value if base else tree.trunk_mm
    pot = pot_there.whole(trunk or USUAL_TRUNK_MM)
    ball = ball_of_tree([session], pot, session.ball_depth_after)
    return materials(
        Use(
            session.container_after,
            pot,
            ball,
            trunk or USUAL_TRUNK_MM,
            pot_there.holes,
            tree.height_mm,
            removed,
            practice=session.practice or {},
        )
    )


def take_supplies(db: DbSession, items: Iterable[Item]) -> None:
    """Count down what is counted; never below nothing."""
    for item in items:
        row = None if item.name == BY_COMPONENT else _found(db, item.name, item.unit)
        if row is not None:
            row.stock = max(0.0, round(row.stock - item.amount, 2))


def _found(db: DbSession, name: str, unit: str) -> Supply | None:
    return db.scalar(select(Supply).where(Supply.name == name, Supply.unit == unit))
