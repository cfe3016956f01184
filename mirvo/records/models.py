"""Tables. Dates are dates, times are UTC; JSON columns hold documents with their own contract."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any, ClassVar

from sqlalchemy import JSON, ForeignKey, Index, MetaData, String
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


class Table(DeclarativeBase):
    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(table_name)s_%(column_0_name)s",
            "uq": "uq_%(table_name)s_%(column_0_name)s",
            "fk": "fk_%(table_name)s_%(column_0_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map: ClassVar[dict[Any, Any]] = {
        dict[str, Any]: JSON(none_as_null=True),
        list[Any]: JSON(none_as_null=True),
    }


class Compostable:
    """Rows that can be laid on the compost heap: no reading sees them until they are put back.

    See `database.reading`; an execution with the option `composted` sees them all the same.
    """

    composted_at: Mapped[datetime | None] = mapped_column(default=None)


class Tree(Compostable, Table):
    """One tree. `version` counts saves, so that two open tabs cannot overwrite each other."""

    __tablename__ = "trees"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    species_key: Mapped[str] = mapped_column(String(60))
    origin: Mapped[str] = mapped_column(String(40))
    acquired_on: Mapped[date | None]
    stage: Mapped[str] = mapped_column(String(20))
    strength: Mapped[str] = mapped_column(String(10))
    age_class: Mapped[str] = mapped_column(String(10))
    age_years: Mapped[int | None]
    height_mm: Mapped[float | None]
    trunk_mm: Mapped[float | None]
    container: Mapped[str] = mapped_column(String(40))
    note: Mapped[str] = mapped_column(default="")
    worth: Mapped[str] = mapped_column(String(20), default="usual")
    practice: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")
    parent_id: Mapped[int | None]
    water_dish: Mapped[bool] = mapped_column(default=False, server_default="0")
    under_glass: Mapped[bool] = mapped_column(default=False, server_default="0")
    moved_to: Mapped[date | None]
    buds_seen: Mapped[str] = mapped_column(String(20), default="", server_default="")
    buds_seen_on: Mapped[date | None]
    foreign_soil: Mapped[str] = mapped_column(String(200), default="", server_default="")
    version: Mapped[int] = mapped_column(default=1)
    created_at: Mapped[datetime]
    updated_at: Mapped[datetime]


class Photo(Compostable, Table):
    """A photo as it came, kept by content hash; `kind` says what it shows."""

    __tablename__ = "photos"
    __table_args__ = (Index("ix_photos_tree_id_taken_on", "tree_id", "taken_on"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    tree_id: Mapped[int] = mapped_column(ForeignKey("trees.id"))
    session_id: Mapped[int | None] = mapped_column(ForeignKey("sessions.id"))
    digest: Mapped[str] = mapped_column(String(64), index=True)
    file_name: Mapped[str] = mapped_column(String(255))
    media_type: Mapped[str] = mapped_column(String(40))
    width: Mapped[int]
    height: Mapped[int]
    focal_length_35mm: Mapped[float | None]
    taken_on: Mapped[date]
    kind: Mapped[str] = mapped_column(String(20))
    simulated: Mapped[bool] = mapped_column(default=False)
    created_at: Mapped[datetime]


class Measurement(Compostable, Table):
    """Marks on one photo and the figures they gave; marks are kept even while incomplete.

    `view` is top or side. `turn_deg` added to its azimuths gives those of the tree's own
    frame, and its roots' letters are the tree's own, once the artist `confirmed` them.
    """

    __tablename__ = "measurements"
    __table_args__ = (Index("ix_measurements_tree_id_measured_on", "tree_id", "measured_on"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    tree_id: Mapped[int] = mapped_column(ForeignKey("trees.id"))
    photo_id: Mapped[int] = mapped_column(ForeignKey("photos.id"), unique=True)
    measured_on: Mapped[date]
    marks: Mapped[dict[str, Any]]
    figures: Mapped[dict[str, Any] | None]
    revision: Mapped[int] = mapped_column(default=1)
    updated_at: Mapped[datetime]
    view: Mapped[str] = mapped_column(String(10), default="top", server_default="top")
    turn_deg: Mapped[float] = mapped_column(default=0.0, server_default="0")
    confirmed_at: Mapped[datetime | None]


MEASURED_FROM_ABOVE = (Measurement.view == "top") & Measurement.figures.is_not(None)


class EyeCheck(Table):
    """One simulated photo marked twice: both sets of marks, and what they say of the eye."""

    __tablename__ = "eye_checks"
    id: Mapped[int] = mapped_column(primary_key=True)
    seed: Mapped[int]
    begun_at: Mapped[datetime]
    first: Mapped[dict[str, Any] | None]
    second: Mapped[dict[str, Any] | None]
    result: Mapped[dict[str, Any] | None]


class Session(Compostable, Table):
    """One root session as it was done; `roots` lists what was done to each root."""

    __tablename__ = "sessions"
    __table_args__ = (Index("ix_sessions_tree_id_done_on", "tree_id", "done_on"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    tree_id: Mapped[int] = mapped_column(ForeignKey("trees.id"))
    kind: Mapped[str] = mapped_column(String(20))
    done_on: Mapped[date]
    bud_stage: Mapped[str] = mapped_column(String(30), default="")
    reason: Mapped[str] = mapped_column(default="")
    ball_before: Mapped[dict[str, Any]]
    ball_after: Mapped[dict[str, Any]]
    roots: Mapped[list[Any]]
    slice_mm: Mapped[float] = mapped_column(default=0.0)
    matted: Mapped[bool] = mapped_column(default=False)
    share_computed: Mapped[float]
    share_judged: Mapped[float | None]
    budget: Mapped[float]
    woody_depth_mm: Mapped[float | None]
    flare_height_mm: Mapped[float | None]
    pot_before: Mapped[str] = mapped_column(default="")
    pot_after: Mapped[str] = mapped_column(default="")
    pot_after_size: Mapped[dict[str, Any]]
    container_after: Mapped[str] = mapped_column(String(40))
    soil: Mapped[str] = mapped_column(default="")
    found: Mapped[str] = mapped_column(default="")
    next_time: Mapped[str] = mapped_column(default="")
    details: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")
    created_at: Mapped[datetime]


class Visit(Table):
    """A session while it runs at the bench; closing it makes a Session of its taps."""

    __tablename__ = "visits"
    id: Mapped[int] = mapped_column(primary_key=True)
    tree_id: Mapped[int] = mapped_column(ForeignKey("trees.id"), index=True)
    kind: Mapped[str] = mapped_column(String(20))
    begun_at: Mapped[datetime]
    closed_at: Mapped[datetime | None]
    session_id: Mapped[int | None] = mapped_column(ForeignKey("sessions.id"))
    measurement_id: Mapped[int | None] = mapped_column(ForeignKey("measurements.id"))


class Tap(Table):
    """One thing entered at the bench. The browser names it, so that handing it over twice
    keeps it once; of several for one field the last tapped counts."""

    __tablename__ = "taps"
    __table_args__ = (Index("ix_taps_visit_id_tapped_at", "visit_id", "tapped_at"),)
    id: Mapped[str] = mapped_column(String(40), primary_key=True)
    visit_id: Mapped[int] = mapped_column(ForeignKey("visits.id"))
    number: Mapped[int]
    field: Mapped[str] = mapped_column(String(60))
    value: Mapped[Any] = mapped_column(JSON, nullable=True)
    tapped_at: Mapped[datetime]


class VisitPhoto(Table):
    """A photo taken at a step of a visit, named by the browser as taps are."""

    __tablename__ = "visit_photos"
    id: Mapped[str] = mapped_column(String(40), primary_key=True)
    visit_id: Mapped[int] = mapped_column(ForeignKey("visits.id"), index=True)
    photo_id: Mapped[int] = mapped_column(ForeignKey("photos.id"))
    step: Mapped[str] = mapped_column(String(20))


class Care(Compostable, Table):
    """One aftercare task of a session, done or still to do."""

    __tablename__ = "care_tasks"
    __table_args__ = (Index("ix_care_tasks_done_at_due", "done_at", "due"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    tree_id: Mapped[int] = mapped_column(ForeignKey("trees.id"))
    session_id: Mapped[int] = mapped_column(ForeignKey("sessions.id"), index=True)
    due: Mapped[date]
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
    tree_id: Mapped[int] = mapped_column(ForeignKey("trees.id"))
    watered_on: Mapped[date]


class Target(Table):
    """What a tree is worked toward.

    `holds` are years fixed by hand. `containers` are those at hand, empty for the usual ones.
    `gap_methods` says how the gap between two roots, such as C-D, is to be closed.
    `returns` gives the years after which a fault root grows back, by its letter.
    """

    __tablename__ = "targets"
    tree_id: Mapped[int] = mapped_column(ForeignKey("trees.id"), primary_key=True)
    spread_ratio: Mapped[float]
    basis: Mapped[str] = mapped_column(String(10))
    largest_gap_deg: Mapped[float]
    pot_depth_mm: Mapped[float]
    year: Mapped[int | None]
    holds: Mapped[list[Any]] = mapped_column(default=list, server_default="[]")
    containers: Mapped[list[Any]] = mapped_column(default=list, server_default="[]")
    gap_methods: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")
    returns: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")
    updated_at: Mapped[datetime]


class Plan(Table):
    """A computed plan, kept with the case it came from; the newest one counts.

    One with a `name` is kept for good under it.
    """

    __tablename__ = "plans"
    __table_args__ = (Index("ix_plans_tree_id_made_at", "tree_id", "made_at"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    tree_id: Mapped[int] = mapped_column(ForeignKey("trees.id"))
    made_at: Mapped[datetime]
    case: Mapped[dict[str, Any]]
    result: Mapped[dict[str, Any]]
    case_digest: Mapped[str] = mapped_column(String(64))
    name: Mapped[str] = mapped_column(String(80), default="", server_default="")


class Yard(Table):
    """The studio itself: name, place, usual frosts, school.

    `own_species` holds by key what the studio's almanac says otherwise than the shipped one.
    """

    __tablename__ = "yard"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    place: Mapped[str] = mapped_column(String(80))
    last_frost: Mapped[str] = mapped_column(String(5))
    school: Mapped[str] = mapped_column(String(10))
    click_sd_px: Mapped[float] = mapped_column(default=2.0)
    practice: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")
    trees_a_day: Mapped[int] = mapped_column(default=3, server_default="3")
    bench_days: Mapped[int] = mapped_column(default=2, server_default="2")
    calendar_secret: Mapped[str] = mapped_column(String(40), default="", server_default="")
    backed_up_at: Mapped[datetime | None]
    own_species: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")
