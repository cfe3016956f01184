"""Marks while they are being set: every name they may bear, however incomplete or wrong.

One schema serves the desk, its drafts and the file contracts. These classes name the marks and
say what shape each has, which is all that must hold for them to be kept. The contracts in
`marks` and `side_marks` are the same classes narrowed by the rules of measuring. The types of
the browser's code are made from the drafts (`make types`).
"""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat, ValidationError

from mirvo.core.complaints import first_complaint
from mirvo.core.errors import BadInput

# Marks as a file or the browser holds them.
MarksJson = dict[str, Any]
Point = tuple[FiniteFloat, FiniteFloat]
Points = tuple[Point, ...]
Word = Annotated[str, Field(max_length=40)]
View = Literal["top", "side"]


class Draft(BaseModel):
    """A part of marks in progress; what Mirvo does not know is kept as it came."""

    model_config = ConfigDict(extra="allow", frozen=True)

    def as_json(self) -> MarksJson:
        """The marks as they were handed over, for a file or the browser."""
        return self.model_dump(mode="json", exclude_unset=True)


class CalibrationDraft(Draft):
    """kind : card, rectangle, ellipse or segment, each with points of its own."""

    kind: Word | None = None
    a: Point | None = None
    b: Point | None = None
    corners: Points | None = None
    points: Points | None = None
    long_axis: Points | None = None
    length_mm: FiniteFloat | None = None
    width_mm: FiniteFloat | None = None
    height_above_root_plane_mm: FiniteFloat | None = None
    height_plus_minus_mm: FiniteFloat | None = None
    camera_height_mm: FiniteFloat | None = None
    focal_length_35mm: FiniteFloat | None = None


class TrunkDraft(Draft):
    outline: Points
    height_mm: FiniteFloat | None = None
    outline_sd_px: FiniteFloat | None = None


class FlareDraft(Draft):
    outline: Points


class RootDraft(Draft):
    label: Word
    path: Points = ()
    base_width: Points | None = None
    end_width: Points | None = None
    points_sd_px: FiniteFloat | None = None
    base_sd_px: FiniteFloat | None = None
    tip_sd_px: FiniteFloat | None = None
    base_width_sd_px: FiniteFloat | None = None
    height: FiniteFloat | Word | None = None
    feeders: int | None = None
    condition: Word | None = None
    feeds: tuple[Word, ...] | None = None

    @property
    def found_in_photo(self) -> bool:
        """Whether the photo found it, so that it lies less surely than clicks do."""
        found = (self.points_sd_px, self.base_sd_px, self.tip_sd_px, self.base_width_sd_px)
        return any(found)


class RejectedDraft(Draft):
    """A proposed root the artist did not take: where it begins, px, and how sure it was, 0 to 1."""

    point: Point
    confidence: FiniteFloat


class MarkInHand(Draft):
    """A mark begun and not done: the tool it is set with, and its points so far."""

    tool: Word
    kind: Word | None = None
    points: Points


class MarksDraft(Draft):
    """What marks of both views may hold. draft : the mark in hand."""

    view: View = "top"
    calibration: CalibrationDraft | None = None
    draft: MarkInHand | None = None
    click_sd_px: FiniteFloat | None = None
    focal_length_35mm: FiniteFloat | None = None


class TopDraft(MarksDraft):
    """Marks of a photo from above.

    points : places seen in several photos, by name. set : joined with the other photos of its
    day. underside : it shows the lifted tree from below. flare_on_plane_only : the artist says
    that roots off the root plane are no part of the flare.
    """

    front: Point | None = None
    trunk: TrunkDraft | None = None
    trunks: tuple[TrunkDraft, ...] | None = None
    flare: FlareDraft | None = None
    roots: tuple[RootDraft, ...]
    points: dict[str, Point] | None = None
    set: bool | None = None
    underside: bool | None = None
    flare_on_plane_only: bool | None = None
    rejected: tuple[RejectedDraft, ...] | None = None

    @property
    def every_trunk(self) -> tuple[TrunkDraft, ...]:
        """One trunk or several; empty where none is drawn yet."""
        return self.trunks or (() if self.trunk is None else (self.trunk,))

    @property
    def labels(self) -> list[str]:
        return [root.label for root in self.roots]

    @property
    def is_marked(self) -> bool:
        """Whether anything was drawn on the photo yet, its calibration aside."""
        return bool(self.every_trunk or self.flare or self.roots or self.points or self.front)

    def relabelled(self, letters: dict[str, str]) -> TopDraft:
        """The same with other letters for some roots."""
        roots = tuple(
            root.model_copy(update={"label": letters.get(root.label, root.label)})
            for root in self.roots
        )
        return self.model_copy(update={"roots": roots})


class EmergenceDraft(Draft):
    label: Word
    point: Point


class SoilLineTrialDraft(Draft):
    line: Word
    point: Point


class BallDraft(Draft):
    outline: Points
    wood: tuple[Points, ...] = ()
    trunk_diameter_mm: FiniteFloat | None = None


class SideDraft(MarksDraft):
    """Marks of a photo from the side. tried : soil lines or rims tried at other heights."""

    view: View = "side"
    soil_line: Points | None = None
    left_edge: Points | None = None
    right_edge: Points | None = None
    emergences: tuple[EmergenceDraft, ...]
    tried: tuple[SoilLineTrialDraft, ...] | None = None
    ball: BallDraft | None = None
    turntable_deg: FiniteFloat | None = None

    @property
    def is_marked(self) -> bool:
        """Whether anything was drawn on the photo yet, its calibration aside."""
        edges = self.soil_line or self.left_edge or self.right_edge
        return bool(edges or self.emergences or self.tried or self.ball)

    def without_emergences(self, labels: frozenset[str]) -> SideDraft:
        """The same without the emergences of some roots."""
        left = tuple(emergence for emergence in self.emergences if emergence.label not in labels)
        return self.model_copy(update={"emergences": left})


AnyDraft = TopDraft | SideDraft
DRAFTS: dict[View, type[TopDraft] | type[SideDraft]] = {"top": TopDraft, "side": SideDraft}


def read_draft(marks: Any, view: View) -> AnyDraft:
    """Refuse what is no set of marks of that view. Raises BadInput naming the place."""
    # Said in a sentence of its own: Pydantic's would speak of a model.
    if not isinstance(marks, dict):
        raise BadInput("marks", "must be one JSON object")
    try:
        return DRAFTS[view].model_validate(marks)
    except ValidationError as error:
        raise first_complaint(error) from None


def blank_draft(view: View) -> AnyDraft:
    """Marks of a photo nobody has touched: what the desk begins with."""
    if view == "side":
        return SideDraft(
            view="side",
            calibration=None,
            soil_line=None,
            left_edge=None,
            right_edge=None,
            emergences=(),
            turntable_deg=0.0,
        )
    return TopDraft(view="top", calibration=None, front=None, trunk=None, flare=None, roots=())


# What only the desk keeps beside the marks: the file contracts do not know it.
DESK_ONLY = ("draft", "set", "underside", "rejected")


def finished_part(
    draft: AnyDraft, click_sd_px: float, check_line_mm: float | None = None
) -> MarksJson:
    """The marks that are done, as a file would hold them: open marks and empty ones left out.

    click_sd_px : of the user, where the marks do not say otherwise. check_line_mm : of the user's
    own print of the card.
    """
    marks = _given(draft.as_json())
    done = {name: value for name, value in marks.items() if name not in DESK_ONLY}
    if isinstance(draft, TopDraft):
        done["roots"] = [_given(root.as_json()) for root in draft.roots if len(root.path) > 1]
    calibration = done.get("calibration")
    if check_line_mm is not None and calibration and calibration.get("kind") == "card":
        done["calibration"] = {"check_line_mm": check_line_mm, **calibration}
    return {"click_sd_px": click_sd_px, **done}


def _given(marks: Any) -> Any:
    """Marks without names that hold nothing: a name without a value is one not given."""
    if isinstance(marks, dict):
        return {name: _given(value) for name, value in marks.items() if value is not None}
    if isinstance(marks, list):
        return [_given(value) for value in marks]
    return marks
