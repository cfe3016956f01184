"""Trees, their roots, and the studio they stand in."""

from datetime import date, datetime

from sqlalchemy import (
    ForeignKey,
    String,
    UniqueConstraint,
)
from sqlalchemy.orm import Mapped, mapped_column, relationship

from mirvo.core.limits.trees import (
    AGES,
    GRAFT_KINDS,
    ORIGINS,
    STAGES,
    STRENGTHS,
    WORTHS,
    Age,
    Strength,
)
from mirvo.core.rootwork.design import DESIGNS, FLARE
from mirvo.core.season.window import BUD_STAGES, UNTOLD_FROST
from mirvo.records.columns import DayOfYear
from mirvo.records.documents import Answers, OwnSpecies, SeasonSeen, SignSeen
from mirvo.records.models.base import CASCADE, OWN_NUMBERS, SET_NULL, Compostable, Table, one_of
from mirvo.records.models.shelf import ShelfPot


class Tree(Compostable, Table):
    """One tree. `version` counts saves, so that two open tabs cannot overwrite each other."""

    __tablename__ = "trees"
    __table_args__ = (
        one_of("origin", ORIGINS),
        one_of("stage", STAGES),
        one_of("strength", STRENGTHS),
        one_of("age_class", AGES),
        one_of("worth", WORTHS),
        one_of("design", DESIGNS),
        one_of("buds_seen", ("", *BUD_STAGES)),
        OWN_NUMBERS,
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    # No foreign key: species stand in files and in the yard, not in a table.
    species_key: Mapped[str] = mapped_column(String(60), index=True)
    origin: Mapped[str] = mapped_column(String(40))
    acquired_on: Mapped[date | None]
    # When it was dug or cut off its parent, which may be long before it came.
    dug_on: Mapped[date | None]
    separated_on: Mapped[date | None]
    # Before its records begin here, as far as anybody knows.
    last_repotted_on: Mapped[date | None]
    # It still grows where it will be dug.
    in_ground: Mapped[bool] = mapped_column(default=False)
    # It came with bare roots and is held in damp sand or cloth until it is potted.
    held_bare: Mapped[bool] = mapped_column(default=False)
    stage: Mapped[str] = mapped_column(String(20))
    strength: Mapped[Strength] = mapped_column(String(10))
    age_class: Mapped[Age] = mapped_column(String(10))
    # Counted by the artist, where known; what the figures go by is the class.
    age_years: Mapped[int | None]
    height_mm: Mapped[float | None]
    # As the artist gave it, for a tree that is not measured yet.
    trunk_mm: Mapped[float | None]
    container: Mapped[str] = mapped_column(String(40))
    note: Mapped[str] = mapped_column(default="")
    # The artist's own words to find it by.
    tags: Mapped[tuple[str, ...]] = mapped_column(default=tuple)
    # A tree that could not be replaced is given a smaller budget.
    worth: Mapped[str] = mapped_column(String(20), default="usual")
    # What its base is to look like, which says what counts as a fault of a root.
    design: Mapped[str] = mapped_column(String(20), default=FLARE)
    practice: Mapped[Answers] = mapped_column(default=dict)
    # Provenance, as far as the artist knows and cares.
    former_owners: Mapped[str] = mapped_column(String(400), default="")
    price: Mapped[str] = mapped_column(String(40), default="")
    # Trees started together bear the same word and are compared at equal months.
    batch: Mapped[str] = mapped_column(String(60), default="")
    # Of a grafted tree: whose roots it stands on, and where the union lies over the soil.
    understock_key: Mapped[str] = mapped_column(String(60), default="")
    graft_height_mm: Mapped[float | None]
    # A layer or cutting outlives the record of the tree it came from.
    parent_id: Mapped[int | None] = mapped_column(
        ForeignKey("trees.id", ondelete=SET_NULL), index=True
    )
    water_dish: Mapped[bool] = mapped_column(default=False)
    under_glass: Mapped[bool] = mapped_column(default=False)
    # As the artist gave it; waterings that are tapped count for more once there are enough.
    usual_watering_days: Mapped[float | None]
    # What was seen on it, with its day; None where nothing ever was.
    signs_seen: Mapped[tuple[SignSeen, ...] | None]
    # The week the artist chose on the bench; None leaves it to the window.
    moved_to: Mapped[date | None]
    buds_seen: Mapped[str] = mapped_column(String(20), default="")
    buds_seen_on: Mapped[date | None]
    foreign_soil: Mapped[str] = mapped_column(String(200), default="")
    # The artist leaves it in the soil it thrives in; nothing asks for a repot because of it.
    keeps_soil: Mapped[bool] = mapped_column(default=False)
    # Inside, as entered in the portrait; a session that notes its pot counts for more, and a pot
    # from the shelf most of all.
    pot_depth_mm: Mapped[float | None]
    pot_id: Mapped[int | None] = mapped_column(ForeignKey("pots.id", ondelete=SET_NULL), index=True)
    potted_on: Mapped[date | None]
    pot_named: Mapped[ShelfPot | None] = relationship(lazy="joined", viewonly=True)
    # The day the strength was last said, with all that was found before in mind.
    strength_said_on: Mapped[date | None]
    died_on: Mapped[date | None]
    died_of: Mapped[str] = mapped_column(default="")
    would_do_otherwise: Mapped[str] = mapped_column(default="")
    version: Mapped[int] = mapped_column(default=1)
    created_at: Mapped[datetime]
    updated_at: Mapped[datetime]

    @property
    def rooted_on(self) -> date | None:
        """The day it was dug, separated, or else came; None while it stands in the ground."""
        if self.in_ground:
            return None
        return self.dug_on or self.separated_on or self.acquired_on

    @property
    def pot(self) -> ShelfPot | None:
        """The pot from the shelf it stands in, if it stands in one that is still there."""
        # A plain copy of a row has what was loaded of it, and no more.
        named = getattr(self, "pot_named", None)
        return None if named is None or named.composted_at is not None else named


class TreeGraft(Table):
    """A graft set on a tree: a root into its flare, or a branch. donor_id : the tree it came from,
    None for one of no record."""

    __tablename__ = "tree_grafts"
    __table_args__ = (one_of("kind", GRAFT_KINDS),)
    id: Mapped[int] = mapped_column(primary_key=True)
    tree_id: Mapped[int] = mapped_column(ForeignKey("trees.id", ondelete=CASCADE), index=True)
    donor_id: Mapped[int | None] = mapped_column(
        ForeignKey("trees.id", ondelete=SET_NULL), index=True
    )
    kind: Mapped[str] = mapped_column(String(20))
    grafted_on: Mapped[date | None]
    place: Mapped[str] = mapped_column(String(120), default="")


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
    # Off the root plane as the newest side views see it, upward; None where none does.
    height_mm: Mapped[float | None]


class Yard(Table):
    """The studio itself: name, place, usual frosts, school.

    `own_species` holds by key what the studio's almanac says otherwise than the shipped one.
    """

    __tablename__ = "yard"
    __table_args__ = (one_of("school", ("gentle", "steady", "bold")),)
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    place: Mapped[str] = mapped_column(String(80))
    last_frost: Mapped[str] = mapped_column(DayOfYear(UNTOLD_FROST))
    # Empty where nobody gave it.
    first_frost: Mapped[str] = mapped_column(DayOfYear(""), default="")
    school: Mapped[str] = mapped_column(String(10))
    click_sd_px: Mapped[float] = mapped_column(default=2.0)
    # What the line of 100 mm on the studio's own print of the card measures; None while unknown.
    card_line_mm: Mapped[float | None]
    practice: Mapped[Answers] = mapped_column(default=dict)
    trees_a_day: Mapped[int] = mapped_column(default=3)
    bench_days: Mapped[int] = mapped_column(default=2)
    calendar_secret: Mapped[str] = mapped_column(String(40), default="")
    backed_up_at: Mapped[datetime | None]
    own_species: Mapped[dict[str, OwnSpecies]] = mapped_column(default=dict)
    seasons_seen: Mapped[tuple[SeasonSeen, ...]] = mapped_column(default=tuple)
    frost_free: Mapped[bool] = mapped_column(default=False)
    # Weather is never invented: only a yard that says so is given the simulated station.
    simulated_weather: Mapped[bool] = mapped_column(default=False)
    # Whether other devices of the network are answered from the next start on.
    reachable: Mapped[bool] = mapped_column(default=False)
    # What a form was filled in on, so that two at once do not overwrite each other.
    version: Mapped[int] = mapped_column(default=1)
    # When Mirvo was started last, by the clock of that day.
    started_at: Mapped[datetime | None]


class FigureChange(Table):
    """One figure of the almanac as it was and as it was then set, and why."""

    __tablename__ = "figure_changes"
    id: Mapped[int] = mapped_column(primary_key=True)
    species_key: Mapped[str] = mapped_column(String(60), index=True)
    figure: Mapped[str] = mapped_column(String(40))
    was: Mapped[str] = mapped_column(String(300))
    became: Mapped[str] = mapped_column(String(300))
    why: Mapped[str] = mapped_column(String(300), default="")
    changed_on: Mapped[date]


class NightMinimum(Table):
    """The lowest temperature of one night, typed in or read from a thermometer's file."""

    __tablename__ = "night_minima"
    day: Mapped[date] = mapped_column(primary_key=True)
    low_c: Mapped[float]
    # "typed" or "thermometer".
    source: Mapped[str] = mapped_column(String(20))
