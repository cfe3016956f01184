"""Targets, what is fixed by hand on the way to them, and plans."""

from datetime import datetime
from typing import Literal, get_args

from sqlalchemy import (
    ForeignKey,
    Index,
    String,
    UniqueConstraint,
)
from sqlalchemy.orm import Mapped, mapped_column, relationship

from mirvo.core.almanac import rules
from mirvo.core.plan.case import Allow, Case, GapMethod
from mirvo.core.plan.records import PlanResult
from mirvo.records.models.base import CASCADE, OWN_NUMBERS, SET_NULL, Table, one_of, within
from mirvo.records.models.shelf import ShelfPot


class Target(Table):
    """What a tree is worked toward.

    pot_depth_mm, pot_length_mm, pot_width_mm : of the last pot, inside. containers : those at hand,
    empty for the usual ones. container_depths : their inner depth, mm, by name, where it was
    measured. only_shelf : no container is used but pots of the shelf.
    """

    __tablename__ = "targets"
    __table_args__ = (one_of("basis", ("flare", "roots")),)
    tree_id: Mapped[int] = mapped_column(ForeignKey("trees.id", ondelete=CASCADE), primary_key=True)
    spread_ratio: Mapped[float]
    basis: Mapped[Literal["flare", "roots"]] = mapped_column(String(10))
    largest_gap_deg: Mapped[float]
    pot_depth_mm: Mapped[float]
    pot_length_mm: Mapped[float | None]
    pot_width_mm: Mapped[float | None]
    year: Mapped[int | None]
    containers: Mapped[tuple[str, ...]] = mapped_column(default=tuple)
    container_depths: Mapped[dict[str, float]] = mapped_column(default=dict)
    only_shelf: Mapped[bool] = mapped_column(default=False)
    updated_at: Mapped[datetime]


class TargetHold(Table):
    """A year of a target fixed by hand, and why; see `core.plan.case.Hold`."""

    __tablename__ = "target_holds"
    __table_args__ = (
        UniqueConstraint("tree_id", "year", "allow"),
        one_of("allow", get_args(Allow)),
        within("year", 1900, 2300),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    tree_id: Mapped[int] = mapped_column(ForeignKey("targets.tree_id", ondelete=CASCADE))
    year: Mapped[int]
    allow: Mapped[Allow] = mapped_column(String(12))
    why: Mapped[str] = mapped_column(String(200), default="")


class TargetPot(Table):
    """A pot of the shelf that a tree's path may use, and as which kind of container."""

    __tablename__ = "target_pots"
    __table_args__ = (
        UniqueConstraint("tree_id", "pot_id"),
        one_of("kind", tuple(rules().containers)),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    tree_id: Mapped[int] = mapped_column(ForeignKey("targets.tree_id", ondelete=CASCADE))
    pot_id: Mapped[int] = mapped_column(ForeignKey("pots.id", ondelete=CASCADE), index=True)
    kind: Mapped[str] = mapped_column(String(40))
    pot: Mapped[ShelfPot] = relationship(lazy="raise")


class GapPlan(Table):
    """How the gap between two neighbouring roots of a tree is to be closed.

    measurement_id : on which their letters were read.
    """

    __tablename__ = "gap_plans"
    __table_args__ = (
        UniqueConstraint("tree_id", "first_root_id", "second_root_id"),
        one_of("method", get_args(GapMethod)),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    tree_id: Mapped[int] = mapped_column(ForeignKey("targets.tree_id", ondelete=CASCADE))
    first_root_id: Mapped[int] = mapped_column(ForeignKey("roots.id", ondelete=CASCADE), index=True)
    second_root_id: Mapped[int] = mapped_column(
        ForeignKey("roots.id", ondelete=CASCADE), index=True
    )
    method: Mapped[str] = mapped_column(String(20))
    measurement_id: Mapped[int | None] = mapped_column(
        ForeignKey("measurements.id", ondelete=SET_NULL), index=True
    )


class Regrowth(Table):
    """After how many years a root that was cut grows back.

    measurement_id : on which its letter was read.
    """

    __tablename__ = "root_regrowth"
    __table_args__ = (UniqueConstraint("tree_id", "root_id"), within("years", 1, 15))
    id: Mapped[int] = mapped_column(primary_key=True)
    tree_id: Mapped[int] = mapped_column(ForeignKey("targets.tree_id", ondelete=CASCADE))
    root_id: Mapped[int] = mapped_column(ForeignKey("roots.id", ondelete=CASCADE), index=True)
    years: Mapped[int]
    measurement_id: Mapped[int | None] = mapped_column(
        ForeignKey("measurements.id", ondelete=SET_NULL), index=True
    )


class Plan(Table):
    """A computed plan, kept with the case it came from; the newest one counts.

    One with a `name` is kept for good under it.
    """

    __tablename__ = "plans"
    __table_args__ = (Index("ix_plans_tree_id_made_at", "tree_id", "made_at"), OWN_NUMBERS)
    id: Mapped[int] = mapped_column(primary_key=True)
    tree_id: Mapped[int] = mapped_column(ForeignKey("trees.id", ondelete=CASCADE))
    made_at: Mapped[datetime]
    case: Mapped[Case | None]
    result: Mapped[PlanResult | None]
    case_digest: Mapped[str] = mapped_column(String(64))
    name: Mapped[str] = mapped_column(String(80), default="")
