"""Photos, what was measured on them, and eye checks."""

from datetime import date, datetime

from sqlalchemy import (
    ForeignKey,
    Index,
    String,
    UniqueConstraint,
)
from sqlalchemy.orm import Mapped, mapped_column

from mirvo.core.limits.measuring import PHOTO_KINDS
from mirvo.core.measure.drafts import AnyDraft, SideDraft, TopDraft
from mirvo.core.measure.eye import EyeResult
from mirvo.core.measure.records import FIGURES_VERSION, SideRecord, TopRecord
from mirvo.core.plan.records import YearForecast
from mirvo.records.columns import PydanticColumn
from mirvo.records.documents import Clicks
from mirvo.records.models.base import CASCADE, OWN_NUMBERS, SET_NULL, Compostable, Table, one_of


class Photo(Compostable, Table):
    """A photo as it came, kept by content hash; `kind` says what it shows."""

    __tablename__ = "photos"
    __table_args__ = (
        Index("ix_photos_tree_id_taken_on", "tree_id", "taken_on"),
        one_of("kind", PHOTO_KINDS),
        OWN_NUMBERS,
    )
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
        OWN_NUMBERS,
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    tree_id: Mapped[int] = mapped_column(ForeignKey("trees.id", ondelete=CASCADE))
    # One set of marks a photo; several photos of a day are joined when they are read.
    photo_id: Mapped[int] = mapped_column(ForeignKey("photos.id", ondelete=CASCADE), unique=True)
    measured_on: Mapped[date]
    view: Mapped[str] = mapped_column(String(10), default="top")
    marks: Mapped[AnyDraft] = mapped_column(
        PydanticColumn(AnyDraft, when_damaged="refuse", exactly=True, shared=128)
    )
    # Figures can be made of the marks again, so a damaged record is read as none.
    top: Mapped[TopRecord | None] = mapped_column(PydanticColumn(TopRecord, shared=128))
    side: Mapped[SideRecord | None] = mapped_column(PydanticColumn(SideRecord))
    # What is left of `top` after the sessions since: computed when they are kept, None where
    # nothing went.
    stands: Mapped[TopRecord | None] = mapped_column(PydanticColumn(TopRecord, shared=128))
    # Whether the photo shows this tree, as the artist said; None while nobody asked.
    same_tree: Mapped[bool | None]
    # Why it hardly can show it, as the artist is asked; "" where nothing speaks against it, None
    # where nobody has looked yet.
    doubt: Mapped[str | None]
    # Of the formulas the figures were worked out by, see `core.measure.records`.
    figures_version: Mapped[int] = mapped_column(default=FIGURES_VERSION)
    # What the plan of its day forecast: a copy, since plans are made anew.
    forecast: Mapped[YearForecast | None]
    # Grows with each save, so that a second desk cannot write over the first.
    revision: Mapped[int] = mapped_column(default=1)
    turn_deg: Mapped[float] = mapped_column(default=0.0)
    confirmed_at: Mapped[datetime | None]
    updated_at: Mapped[datetime]

    @property
    def in_doubt(self) -> bool:
        """Whether it waits for the artist to say if it shows this tree."""
        return self.same_tree is None and bool(self.doubt)

    @property
    def counts(self) -> bool:
        """Whether its figures and letters are this tree's, as far as anybody knows."""
        return self.same_tree is not False and not self.in_doubt

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


class HandMeasurement(Compostable, Table):
    """Figures measured by hand on a day, mm; nobody knows their ±.

    spread_mm : across the flare of surface roots.
    """

    __tablename__ = "hand_measurements"
    __table_args__ = (UniqueConstraint("tree_id", "measured_on"), OWN_NUMBERS)
    id: Mapped[int] = mapped_column(primary_key=True)
    tree_id: Mapped[int] = mapped_column(ForeignKey("trees.id", ondelete=CASCADE))
    measured_on: Mapped[date]
    trunk_mm: Mapped[float | None]
    spread_mm: Mapped[float | None]
    height_mm: Mapped[float | None]


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
