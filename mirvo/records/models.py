"""Tables. Dates are dates, times are UTC; documents stand in columns that check them.

What people ask about has a table of its own: roots, what was decided and done to each in a
session, what was found on it, years a target holds. CHECKs and foreign keys say what the code
believes. How tables change: `migrations`.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime
from typing import Any, ClassVar, get_args

from sqlalchemy import (
    JSON,
    CheckConstraint,
    ColumnElement,
    ForeignKey,
    Index,
    MetaData,
    String,
    UniqueConstraint,
)
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

from mirvo.core.measure.drafts import AnyDraft, SideDraft, TopDraft
from mirvo.core.measure.eye import EyeResult
from mirvo.core.measure.records import SideRecord, TopRecord
from mirvo.core.plan.case import Allow, Case, GapMethod
from mirvo.core.plan.records import PlannedStep, PlanResult
from mirvo.core.rootwork.cuts import (
    ACTIONS,
    CONDITIONS,
    HEIGHTS,
    Action,
    CutDecision,
    Done,
    RootFinding,
)
from mirvo.records.columns import PydanticColumn
from mirvo.records.documents import Answers, BenchNotes, Clicks, OwnSpecies, UnfinishedWork

CASCADE, SET_NULL = "CASCADE", "SET NULL"
MAX_LABEL = 12


class Table(DeclarativeBase):
    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(table_name)s_%(column_0_name)s",
            "uq": "uq_%(table_name)s_%(column_0_name)s",
            "fk": "fk_%(table_name)s_%(column_0_name)s",
            "pk": "pk_%(table_name)s",
            "ck": "ck_%(table_name)s_%(constraint_name)s",
        }
    )
    type_annotation_map: ClassVar[dict[Any, Any]] = {
        Answers: PydanticColumn(Answers),
        BenchNotes: PydanticColumn(BenchNotes),
        dict[str, OwnSpecies]: PydanticColumn(dict[str, OwnSpecies]),
        tuple[str, ...]: PydanticColumn(tuple[str, ...]),
        tuple[UnfinishedWork, ...]: PydanticColumn(tuple[UnfinishedWork, ...]),
        Clicks: PydanticColumn(Clicks),
        EyeResult: PydanticColumn(EyeResult),
        PlannedStep: PydanticColumn(PlannedStep),
        PlanResult: PydanticColumn(PlanResult),
        Case: PydanticColumn(Case, exactly=True),
    }


def one_of(column: str, values: Sequence[str]) -> CheckConstraint:
    """A column that holds one of some words."""
    listed = ", ".join(f"'{value}'" for value in values)
    return CheckConstraint(f"{column} IN ({listed})", name=column)


def within(column: str, low: float, high: float) -> CheckConstraint:
    """A column that holds a number from low to high, both included."""
    return CheckConstraint(f"{column} BETWEEN {low:g} AND {high:g}", name=column)


class Compostable:
    """Rows that can be laid on the compost heap, where no page sees them until they are put back.

    Every query of such a table says so: `.where(Photo.kept())`.
    """

    composted_at: Mapped[datetime | None] = mapped_column(default=None)

    @classmethod
    def kept(cls) -> ColumnElement[bool]:
        """That a row does not lie on the compost heap."""
        return cls.composted_at.is_(None)


class Tree(Compostable, Table):
    """One tree. `version` counts saves, so that two open tabs cannot overwrite each other."""

    __tablename__ = "trees"
    __table_args__ = (
        one_of("strength", ("strong", "fair", "weak")),
        one_of("age_class", ("young", "mature", "old")),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    # No foreign key: species stand in files and in the yard, not in a table.
    species_key: Mapped[str] = mapped_column(String(60), index=True)
    origin: Mapped[str] = mapped_column(String(40))
    acquired_on: Mapped[date | None]
    stage: Mapped[str] = mapped_column(String(20))
    strength: Mapped[str] = mapped_column(String(10))
    age_class: Mapped[str] = mapped_column(String(10))
    # Counted by the artist, where known; what the figures go by is the class.
    age_years: Mapped[int | None]
    height_mm: Mapped[float | None]
    # As the artist gave it, for a tree that is not measured yet.
    trunk_mm: Mapped[float | None]
    container: Mapped[str] = mapped_column(String(40))
    note: Mapped[str] = mapped_column(default="")
    # A tree that could not be replaced is given a smaller budget.
    worth: Mapped[str] = mapped_column(String(20), default="usual")
    practice: Mapped[Answers] = mapped_column(default=dict)
    # A layer or cutting outlives the record of the tree it came from.
    parent_id: Mapped[int | None] = mapped_column(
        ForeignKey("trees.id", ondelete=SET_NULL), index=True
    )
    water_dish: Mapped[bool] = mapped_column(default=False)
    under_glass: Mapped[bool] = mapped_column(default=False)
    # The week the artist chose on the bench; None leaves it to the window.
    moved_to: Mapped[date | None]
    buds_seen: Mapped[str] = mapped_column(String(20), default="")
    buds_seen_on: Mapped[date | None]
    foreign_soil: Mapped[str] = mapped_column(String(200), default="")
    version: Mapped[int] = mapped_column(default=1)
    created_at: Mapped[datetime]
    updated_at: Mapped[datetime]


class Root(Table):
    """One root of a tree. It keeps its letter for life, also after it is gone.

    Letters of a measurement the artist has not confirmed yet stand here too, until they are
    found to be those of other roots.
    """

    __tablename__ = "roots"
    __table_args__ = (UniqueConstraint("tree_id", "label"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    tree_id: Mapped[int] = mapped_column(ForeignKey("trees.id", ondelete=CASCADE))
    label: Mapped[str] = mapped_column(String(40))
    # None for a root that was named in a session and never measured.
    first_seen_on: Mapped[date | None]
    gone_on: Mapped[date | None]


class Photo(Compostable, Table):
    """A photo as it came, kept by content hash; `kind` says what it shows."""

    __tablename__ = "photos"
    __table_args__ = (Index("ix_photos_tree_id_taken_on", "tree_id", "taken_on"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    tree_id: Mapped[int] = mapped_column(ForeignKey("trees.id", ondelete=CASCADE))
    session_id: Mapped[int | None] = mapped_column(
        ForeignKey("root_sessions.id", ondelete=SET_NULL), index=True
    )
    # Not unique: one picture may be put in for two trees, its file is kept once.
    digest: Mapped[str] = mapped_column(String(64), index=True)
    file_name: Mapped[str] = mapped_column(String(255))
    media_type: Mapped[str] = mapped_column(String(40))
    width: Mapped[int]
    height: Mapped[int]
    # As the camera wrote it; heights above the plane are corrected with it.
    focal_length_35mm: Mapped[float | None]
    taken_on: Mapped[date]
    kind: Mapped[str] = mapped_column(String(20))
    # Truth lies beside such a photo; no figure of it may pass for a real tree.
    simulated: Mapped[bool] = mapped_column(default=False)
    created_at: Mapped[datetime]


class Measurement(Compostable, Table):
    """Marks on one photo and the figures they gave; marks are kept even while incomplete.

    `view` is top or side: `top` or `side` holds its figures. `turn_deg` added to its azimuths
    gives those of the tree's own frame, and its roots' letters are the tree's own, once the
    artist has confirmed them (`confirmed_at`).
    """

    __tablename__ = "measurements"
    __table_args__ = (
        Index("ix_measurements_tree_id_measured_on", "tree_id", "measured_on"),
        one_of("view", ("top", "side")),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    tree_id: Mapped[int] = mapped_column(ForeignKey("trees.id", ondelete=CASCADE))
    # One set of marks a photo; several photos of a day are joined when they are read.
    photo_id: Mapped[int] = mapped_column(ForeignKey("photos.id", ondelete=CASCADE), unique=True)
    measured_on: Mapped[date]
    view: Mapped[str] = mapped_column(String(10), default="top")
    marks: Mapped[AnyDraft] = mapped_column(
        PydanticColumn(AnyDraft, when_damaged="refuse", exactly=True)
    )
    # Figures can be made of the marks again, so a damaged record is read as none.
    top: Mapped[TopRecord | None] = mapped_column(PydanticColumn(TopRecord))
    side: Mapped[SideRecord | None] = mapped_column(PydanticColumn(SideRecord))
    # Grows with each save, so that a second desk cannot write over the first.
    revision: Mapped[int] = mapped_column(default=1)
    turn_deg: Mapped[float] = mapped_column(default=0.0)
    confirmed_at: Mapped[datetime | None]
    updated_at: Mapped[datetime]

    @property
    def top_marks(self) -> TopDraft:
        """The marks of a photo from above."""
        if not isinstance(self.marks, TopDraft):
            raise TypeError("these are marks of a photo from the side")
        return self.marks

    @property
    def side_marks(self) -> SideDraft:
        """The marks of a photo from the side."""
        if not isinstance(self.marks, SideDraft):
            raise TypeError("these are marks of a photo from above")
        return self.marks


class EyeCheck(Table):
    """One simulated photo marked twice: both sets of clicks, and what they say of the eye."""

    __tablename__ = "eye_checks"
    id: Mapped[int] = mapped_column(primary_key=True)
    # The photo and its truth are made of it again, so neither is kept.
    seed: Mapped[int]
    begun_at: Mapped[datetime]
    first: Mapped[Clicks | None]
    second: Mapped[Clicks | None]
    result: Mapped[EyeResult | None]


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
        within("share_computed", 0, 1),
        within("share_judged", 0, 100),
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
    fine_roots: Mapped[str] = mapped_column(String(30), default="even")
    share_computed: Mapped[float]
    share_uncorrected: Mapped[float | None]
    share_weighed: Mapped[float | None]
    # In percent, as the artist said it by eye; a computed share never replaces it.
    share_judged: Mapped[float | None]
    # As it was that day: later rules must not make an old session look reckless.
    budget: Mapped[float]
    top_reduced: Mapped[float | None]
    offcuts_g: Mapped[float | None]
    ball_g: Mapped[float | None]
    flare_height_mm: Mapped[float | None]
    pot_before: Mapped[str] = mapped_column(default="")
    pot_after: Mapped[str] = mapped_column(default="")
    pot_length_mm: Mapped[float | None]
    pot_depth_mm: Mapped[float | None]
    container_after: Mapped[str] = mapped_column(String(40))
    soil: Mapped[str] = mapped_column(default="")
    found: Mapped[str] = mapped_column(default="")
    next_time: Mapped[str] = mapped_column(default="")
    exposed_minutes: Mapped[float | None]
    practice: Mapped[Answers] = mapped_column(default=dict)
    notes: Mapped[BenchNotes] = mapped_column(default=dict)
    # A copy, since plans are made anew and the comparison must hold for good.
    planned: Mapped[PlannedStep | None]
    unfinished: Mapped[tuple[UnfinishedWork, ...]] = mapped_column(default=tuple)
    created_at: Mapped[datetime]


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


class BenchSession(Table):
    """A root session while it runs at the bench; closing it writes a `RootSession`."""

    __tablename__ = "bench_sessions"
    id: Mapped[int] = mapped_column(primary_key=True)
    tree_id: Mapped[int] = mapped_column(ForeignKey("trees.id", ondelete=CASCADE), index=True)
    kind: Mapped[str] = mapped_column(String(20))
    begun_at: Mapped[datetime]
    closed_at: Mapped[datetime | None]
    session_id: Mapped[int | None] = mapped_column(
        ForeignKey("root_sessions.id", ondelete=SET_NULL), index=True
    )


class BenchEntry(Table):
    """One thing entered at the bench. The browser names it, so that handing it over twice
    keeps it once; of several for one field the last entered counts."""

    __tablename__ = "bench_entries"
    __table_args__ = (
        Index("ix_bench_entries_bench_session_id_entered_at", "bench_session_id", "entered_at"),
    )
    id: Mapped[str] = mapped_column(String(40), primary_key=True)
    bench_session_id: Mapped[int] = mapped_column(ForeignKey("bench_sessions.id", ondelete=CASCADE))
    # Of two entries of one moment, the one that came later counts.
    number: Mapped[int]
    field: Mapped[str] = mapped_column(String(60))
    # Its shape hangs on the field; it was checked when it came.
    value: Mapped[Any] = mapped_column(JSON, nullable=True)
    entered_at: Mapped[datetime]


class BenchPhoto(Table):
    """A photo taken at a step of a bench session, named by the browser as entries are."""

    __tablename__ = "bench_photos"
    id: Mapped[str] = mapped_column(String(40), primary_key=True)
    bench_session_id: Mapped[int] = mapped_column(
        ForeignKey("bench_sessions.id", ondelete=CASCADE), index=True
    )
    photo_id: Mapped[int] = mapped_column(ForeignKey("photos.id", ondelete=CASCADE), index=True)
    step: Mapped[str] = mapped_column(String(20))


class CareTask(Compostable, Table):
    """One aftercare task of a session, done or still to do."""

    __tablename__ = "care_tasks"
    __table_args__ = (Index("ix_care_tasks_done_at_due", "done_at", "due"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    tree_id: Mapped[int] = mapped_column(ForeignKey("trees.id", ondelete=CASCADE), index=True)
    session_id: Mapped[int] = mapped_column(
        ForeignKey("root_sessions.id", ondelete=CASCADE), index=True
    )
    due: Mapped[date]
    # What a later session ends goes by the code, since wording changes.
    code: Mapped[str] = mapped_column(String(20))
    text: Mapped[str] = mapped_column(String(200))
    done_at: Mapped[datetime | None]


class Watering(Table):
    """A day on which a tree was watered; one row a day."""

    __tablename__ = "waterings"
    __table_args__ = (
        Index("ix_waterings_tree_id_watered_on", "tree_id", "watered_on", unique=True),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    tree_id: Mapped[int] = mapped_column(ForeignKey("trees.id", ondelete=CASCADE))
    watered_on: Mapped[date]


class Target(Table):
    """What a tree is worked toward. `containers` are those at hand, empty for the usual ones."""

    __tablename__ = "targets"
    __table_args__ = (one_of("basis", ("flare", "roots")),)
    tree_id: Mapped[int] = mapped_column(ForeignKey("trees.id", ondelete=CASCADE), primary_key=True)
    spread_ratio: Mapped[float]
    basis: Mapped[str] = mapped_column(String(10))
    largest_gap_deg: Mapped[float]
    pot_depth_mm: Mapped[float]
    year: Mapped[int | None]
    containers: Mapped[tuple[str, ...]] = mapped_column(default=tuple)
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
    allow: Mapped[str] = mapped_column(String(12))
    why: Mapped[str] = mapped_column(String(200), default="")


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
    __table_args__ = (Index("ix_plans_tree_id_made_at", "tree_id", "made_at"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    tree_id: Mapped[int] = mapped_column(ForeignKey("trees.id", ondelete=CASCADE))
    made_at: Mapped[datetime]
    case: Mapped[Case | None]
    result: Mapped[PlanResult | None]
    case_digest: Mapped[str] = mapped_column(String(64))
    name: Mapped[str] = mapped_column(String(80), default="")


class Yard(Table):
    """The studio itself: name, place, usual frosts, school.

    `own_species` holds by key what the studio's almanac says otherwise than the shipped one.
    """

    __tablename__ = "yard"
    __table_args__ = (one_of("school", ("gentle", "steady", "bold")),)
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    place: Mapped[str] = mapped_column(String(80))
    last_frost: Mapped[str] = mapped_column(String(5))
    school: Mapped[str] = mapped_column(String(10))
    click_sd_px: Mapped[float] = mapped_column(default=2.0)
    practice: Mapped[Answers] = mapped_column(default=dict)
    trees_a_day: Mapped[int] = mapped_column(default=3)
    bench_days: Mapped[int] = mapped_column(default=2)
    calendar_secret: Mapped[str] = mapped_column(String(40), default="")
    backed_up_at: Mapped[datetime | None]
    own_species: Mapped[dict[str, OwnSpecies]] = mapped_column(default=dict)
