"""Root sessions: what was decided, done and found root by root, and the care after it."""

from datetime import date, datetime
from typing import get_args

from sqlalchemy import (
    ForeignKey,
    Index,
    String,
    UniqueConstraint,
)
from sqlalchemy.orm import Mapped, mapped_column, relationship

from mirvo.core.care import CareValues
from mirvo.core.limits.sessions import FINE_ROOTS
from mirvo.core.plan.records import PlannedStep
from mirvo.core.rootwork.cuts import (
    ACTIONS,
    CONDITIONS,
    HEIGHTS,
    Action,
    CutDecision,
    Done,
    RootFinding,
)
from mirvo.core.rootwork.kinds import KINDS
from mirvo.core.season.window import BUD_STAGES
from mirvo.records.documents import Answers, BenchNotes, UnfinishedWork
from mirvo.records.models.base import (
    CASCADE,
    OWN_NUMBERS,
    SET_NULL,
    Compostable,
    Table,
    one_of,
    within,
)
from mirvo.text.care import care_title


class RootSession(Compostable, Table):
    """One root session as it was done; lengths in mm, shares from 0 to 1.

    The columns bear the names of the session's form, see `studio.records.session_form`.
    share_computed : of the feeding root, as corrected by this tree's weighings; without that
    correction : share_uncorrected. notes : what else was noted at the bench. planned : the
    step that was planned for it.
    """

    __tablename__ = "root_sessions"
    __table_args__ = (
        Index("ix_root_sessions_tree_id_done_on", "tree_id", "done_on"),
        one_of("kind", [kind.key for kind in KINDS]),
        one_of("bud_stage", ("", *BUD_STAGES)),
        one_of("fine_roots", ("", *FINE_ROOTS)),
        within("share_computed", 0, 1),
        within("share_judged", 0, 100),
        OWN_NUMBERS,
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    tree_id: Mapped[int] = mapped_column(ForeignKey("trees.id", ondelete=CASCADE))
    kind: Mapped[str] = mapped_column(String(20))
    done_on: Mapped[date]
    bud_stage: Mapped[str] = mapped_column(String(30), default="")
    reason: Mapped[str] = mapped_column(default="")
    ball_length_before: Mapped[float | None]
    ball_width_before: Mapped[float | None]
    ball_depth_before: Mapped[float | None]
    ball_length_after: Mapped[float | None]
    ball_width_after: Mapped[float | None]
    ball_depth_after: Mapped[float | None]
    woody_depth_mm: Mapped[float | None]
    slice_mm: Mapped[float] = mapped_column(default=0.0)
    matted: Mapped[bool] = mapped_column(default=False)
    fine_roots: Mapped[str] = mapped_column(String(30), default="")
    share_computed: Mapped[float]
    share_uncorrected: Mapped[float | None]
    share_weighed: Mapped[float | None]
    # In percent, as the artist said it by eye; a computed share never replaces it.
    share_judged: Mapped[float | None]
    # As it was that day: later rules must not make an old session look reckless.
    budget: Mapped[float]
    # The most the tree could have borne that day, and the ± of the share; None in older records.
    bearing: Mapped[float | None]
    share_plus_minus: Mapped[float | None]
    # Why more was taken than the budget, as the artist gave it.
    over_reason: Mapped[str] = mapped_column(default="")
    top_reduced: Mapped[float | None]
    offcuts_g: Mapped[float | None]
    ball_g: Mapped[float | None]
    flare_height_mm: Mapped[float | None]
    pot_before: Mapped[str] = mapped_column(default="")
    pot_after: Mapped[str] = mapped_column(default="")
    pot_length_mm: Mapped[float | None]
    pot_depth_mm: Mapped[float | None]
    container_after: Mapped[str] = mapped_column(String(40))
    # From the shelf, where it was said; the words above stay when the pot goes.
    pot_id: Mapped[int | None] = mapped_column(ForeignKey("pots.id", ondelete=SET_NULL), index=True)
    soil: Mapped[str] = mapped_column(default="")
    recipe_id: Mapped[int | None] = mapped_column(
        ForeignKey("soil_recipes.id", ondelete=SET_NULL), index=True
    )
    # Of the recipe's mix, as worked out that day and taken from the stock.
    soil_l: Mapped[float | None]
    found: Mapped[str] = mapped_column(default="")
    next_time: Mapped[str] = mapped_column(default="")
    exposed_minutes: Mapped[float | None]
    practice: Mapped[Answers] = mapped_column(default=dict)
    notes: Mapped[BenchNotes] = mapped_column(default=dict)
    # A copy, since plans are made anew and the comparison must hold for good.
    planned: Mapped[PlannedStep | None]
    unfinished: Mapped[tuple[UnfinishedWork, ...]] = mapped_column(default=tuple)
    created_at: Mapped[datetime]
    # What a correction was filled in on.
    version: Mapped[int] = mapped_column(default=1)
    # Read with the sessions where they are wanted; never one question a session.
    seen_after: Mapped[list["TreeAnswer"]] = relationship(
        lazy="raise", order_by="(TreeAnswer.seen_on, TreeAnswer.id)", viewonly=True
    )

    @property
    def share(self) -> float:
        """The share of fine roots that counts as removed, 0 to 1: weighed, else as judged by eye,
        else computed."""
        if self.share_weighed is not None:
            return self.share_weighed
        return self.share_computed if self.share_judged is None else self.share_judged / 100

    @property
    def share_source(self) -> str:
        """Where `share` is from: weighed, judged or computed."""
        if self.share_weighed is not None:
            return "weighed"
        return "computed" if self.share_judged is None else "judged"


class CutRecord(Table):
    """What was decided for one root in a session, and what was done to it.

    decided_action is None where the session was recorded without a decision. share : of all
    feeding root that lay on the root. measurement_id : on which the letters were read.
    """

    __tablename__ = "cut_decisions"
    __table_args__ = (
        UniqueConstraint("session_id", "root_id"),
        one_of("decided_action", ACTIONS),
        within("decided_part", 0, 1),
        one_of("done_action", get_args(Done)),
        within("done_part", 0, 1),
        within("share", 0, 1),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    session_id: Mapped[int] = mapped_column(ForeignKey("root_sessions.id", ondelete=CASCADE))
    root_id: Mapped[int] = mapped_column(ForeignKey("roots.id", ondelete=CASCADE), index=True)
    measurement_id: Mapped[int | None] = mapped_column(
        ForeignKey("measurements.id", ondelete=SET_NULL), index=True
    )
    decided_action: Mapped[Action | None] = mapped_column(String(10))
    # Of the length, measured from the tip.
    decided_part: Mapped[float | None]
    why: Mapped[str] = mapped_column(String(300), default="")
    done_action: Mapped[Done] = mapped_column(String(10))
    # Of its own feeding share, 0 to 1; None where the session said nothing of a cut.
    done_part: Mapped[float | None]
    share: Mapped[float | None]
    # Where it stood, for a root whose measurement is gone.
    azimuth_deg: Mapped[float | None]

    @property
    def cost(self) -> float:
        """Share of the root's own feeding share that went, 0 to 1."""
        if self.done_action == "remove":
            return 1.0
        return (self.done_part or 0.0) if self.done_action == "shorten" else 0.0

    @property
    def decision(self) -> CutDecision | None:
        """The artist's decision, None where none was noted."""
        if self.decided_action is None:
            return None
        return CutDecision(
            action=self.decided_action,
            part=0.5 if self.decided_part is None else self.decided_part,
            why=self.why,
        )


class FindingRecord(Table):
    """What was found of one root when it was inspected in a session."""

    __tablename__ = "root_findings"
    __table_args__ = (
        UniqueConstraint("session_id", "root_id"),
        within("feeders", 0, 3),
        one_of("condition", CONDITIONS),
        one_of("height", HEIGHTS),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    session_id: Mapped[int] = mapped_column(ForeignKey("root_sessions.id", ondelete=CASCADE))
    root_id: Mapped[int] = mapped_column(ForeignKey("roots.id", ondelete=CASCADE), index=True)
    measurement_id: Mapped[int | None] = mapped_column(
        ForeignKey("measurements.id", ondelete=SET_NULL), index=True
    )
    feeders: Mapped[int | None]
    condition: Mapped[str | None] = mapped_column(String(10))
    height: Mapped[str | None] = mapped_column(String(10))
    feeds: Mapped[tuple[str, ...] | None]

    @property
    def finding(self) -> RootFinding:
        """The row as the core reads it."""
        names = RootFinding.model_fields
        return RootFinding.model_validate({name: getattr(self, name) for name in names})


class CareTask(Compostable, Table):
    """One task: of a session's aftercare, or one the artist set for a tree; done or still to do."""

    __tablename__ = "care_tasks"
    __table_args__ = (
        Index("ix_care_tasks_done_at_due", "done_at", "due"),
        one_of("anchor", ("day", "growth", "season")),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    tree_id: Mapped[int] = mapped_column(ForeignKey("trees.id", ondelete=CASCADE), index=True)
    # None for what the artist set: a branch kept to fatten, a wire to look at.
    session_id: Mapped[int | None] = mapped_column(
        ForeignKey("root_sessions.id", ondelete=CASCADE), index=True
    )
    # First day of what is kept up until it is due, such as a cover or warmth.
    since: Mapped[date | None]
    due: Mapped[date]
    # What is to be done, and which of the tasks of its code this is: "look", "growth-4".
    code: Mapped[str] = mapped_column(String(20))
    step: Mapped[str | None] = mapped_column(String(24))
    # What the day goes by; None where a person set it.
    anchor: Mapped[str | None] = mapped_column(String(10))
    values: Mapped[CareValues | None]
    # The words a person typed; None where code and values say it.
    text: Mapped[str | None] = mapped_column(String(200))
    done_at: Mapped[datetime | None]

    @property
    def title(self) -> str:
        """What is to be done, in a sentence, or as a person typed it."""
        return self.text or care_title(self.code, self.values)

    @property
    def about(self) -> bool:
        """Whether its day is an estimate that moves once growth is seen."""
        return bool(self.values and self.values.get("about"))


class TreeAnswer(Table):
    """How a tree answered a session, as seen on one day; each says only what was looked at."""

    __tablename__ = "tree_answers"
    __table_args__ = (within("leaf_lost_percent", 0, 100),)
    id: Mapped[int] = mapped_column(primary_key=True)
    session_id: Mapped[int] = mapped_column(
        ForeignKey("root_sessions.id", ondelete=CASCADE), index=True
    )
    seen_on: Mapped[date]
    leaf_lost_percent: Mapped[float | None]
    shoots_on: Mapped[date | None]
    dieback: Mapped[bool] = mapped_column(default=False)
    weak: Mapped[bool] = mapped_column(default=False)


class Watering(Table):
    """A day on which a tree was watered; one row a day."""

    __tablename__ = "waterings"
    __table_args__ = (
        Index("ix_waterings_tree_id_watered_on", "tree_id", "watered_on", unique=True),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    tree_id: Mapped[int] = mapped_column(ForeignKey("trees.id", ondelete=CASCADE))
    watered_on: Mapped[date]


class PotWeight(Table):
    """A tree in its pot on the scale, g, at a moment."""

    __tablename__ = "pot_weights"
    __table_args__ = (
        Index("ix_pot_weights_tree_id_weighed_at", "tree_id", "weighed_at", unique=True),
        within("grams", 1, 500_000),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    tree_id: Mapped[int] = mapped_column(ForeignKey("trees.id", ondelete=CASCADE))
    weighed_at: Mapped[datetime]
    grams: Mapped[float]
