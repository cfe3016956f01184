"""The root desk: marks kept as they are set, figures whenever they suffice."""

from __future__ import annotations

import json
from contextlib import suppress
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select

from mirvo.core.errors import BadInput, Conflict, NotFound
from mirvo.core.measure.drafts import (
    AnyDraft,
    CalibrationDraft,
    SideDraft,
    TopDraft,
    View,
    blank_draft,
    read_draft,
)
from mirvo.core.measure.records import (
    FIGURES_VERSION,
    CalibrationQuality,
    SideRecord,
    TopRecord,
)
from mirvo.core.vision.photo_check import Remark
from mirvo.records.database import DbSession
from mirvo.records.models import Measurement, Photo
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.measuring.after_cuts import settle_tree
from mirvo.studio.measuring.measure_marks import (
    calibration_seen,
    checked_marks,
    checked_side_marks,
    measure_photo,
    measure_side_photo,
)
from mirvo.studio.measuring.photo_sets import (
    measure_set,
    members_of_set,
    settle_set,
    with_draft,
)
from mirvo.studio.measuring.root_plane import (
    differs,
    kept_heights,
    newest_root_plane,
    settle_heights,
    with_heights,
    with_side_heights,
)
from mirvo.studio.photos.photo_check import remarks_on
from mirvo.studio.photos.photo_queries import load_photo
from mirvo.studio.photos.photo_view import card_corners, view_of
from mirvo.studio.standing.kept_plans import forecast_on
from mirvo.studio.standing.tree_queries import measurements_of

# A base with sixty roots marked point by point has a tenth of this.
MAX_MARK_BYTES = 2_000_000
# What each kind of reference must be known by.
LENGTHS: dict[str, tuple[str, ...]] = {
    "segment": ("length_mm",),
    "rectangle": ("length_mm", "width_mm"),
    "ellipse": ("length_mm", "width_mm"),
}
NO_EMERGENCES = "Mark where each root leaves the trunk."
NO_ROOTS = "Draw each root from the trunk's edge outward."
NEXT_STEPS: dict[View, tuple[tuple[str, str], ...]] = {
    "top": (
        ("calibration", "Calibrate: a card, a known length, or the pot rim."),
        ("trunk", "Draw the trunk's outline just above the flare."),
    ),
    "side": (
        ("calibration", "Calibrate: a card standing upright beside the trunk, or a known length."),
        ("soil_line", "Set the soil line: two points, left and right of the trunk."),
        ("left_edge", "Draw the trunk's left edge from the soil line upward."),
        ("right_edge", "Draw the trunk's right edge from the soil line upward."),
    ),
}


@dataclass(frozen=True)
class Problem:
    """What is wrong with marks: the place, and a sentence."""

    field: str
    message: str


@dataclass(frozen=True)
class Evaluation:
    """What marks give: a record of their view, else what is missing or wrong.

    calibration : what it says by itself, until there are figures.
    """

    top: TopRecord | None = None
    side: SideRecord | None = None
    missing: str | None = None
    problem: Problem | None = None
    calibration: CalibrationQuality | None = None


@dataclass(frozen=True)
class DeskState:
    """What the desk shows: marks as kept, what they give, and what is wrong with the photo.

    doubt : why the photo hardly can show this tree, "" where nothing speaks against it or the
    artist has answered.
    """

    photo: Photo
    marks: AnyDraft
    revision: int
    found: Evaluation
    remarks: tuple[Remark, ...] = ()
    doubt: str = ""


def open_desk(db: DbSession, studio: Studio, photo_id: int) -> DeskState:
    """The desk for one photo with everything marked so far."""
    photo = load_photo(db, photo_id)
    kept = db.scalar(select(Measurement).where(Measurement.photo_id == photo_id))
    marks = _first_marks(studio, photo) if kept is None else kept.marks
    revision = 0 if kept is None else kept.revision
    remarks = remarks_on(studio.photos, photo)
    found, doubt = evaluate(db, studio, photo, marks), _doubt(kept)
    return DeskState(photo, marks, revision, found, remarks, doubt)


def _doubt(row: Measurement | None) -> str:
    return row.doubt or "" if row is not None and row.in_doubt else ""


def _first_marks(studio: Studio, photo: Photo) -> AnyDraft:
    """Marks of a photo not touched yet: none, but for the card when one is seen in it."""
    marks = blank_draft(view_of(photo))
    try:
        card_corners(studio.photos, photo.digest)
    except (BadInput, NotFound):
        # No card in it, or no file any more: its desk says so.
        return marks
    return marks.model_copy(update={"calibration": CalibrationDraft(kind="card")})


def save_marks(studio: Studio, photo_id: int, marks: Any, revision: int) -> DeskState:
    """Keep marks as they are, and the figures they give, in one transaction.

    Incomplete or faulty marks are kept all the same, so nothing is ever lost; the
    answer then says what is missing or wrong.

    Raises
    ------
    Conflict : the marks were changed elsewhere since `revision`.
    BadInput : this is not a set of marks at all.
    """
    with studio.reading() as db:
        photo = load_photo(db, photo_id)
        draft = read_draft(marks, view_of(photo))
        if len(json.dumps(marks)) > MAX_MARK_BYTES:
            raise BadInput("marks", "there are far too many points")
        # Measured before the write lock is taken: others may write meanwhile.
        found = evaluate(db, studio, photo, draft)
        if isinstance(draft, SideDraft):
            _measure_ahead(db, studio, photo, draft)
    with studio.writing() as db:
        row = db.scalar(select(Measurement).where(Measurement.photo_id == photo_id))
        if row is None:
            row = Measurement(
                tree_id=photo.tree_id,
                photo_id=photo_id,
                measured_on=photo.taken_on,
                view=view_of(photo),
                revision=0,
                forecast=forecast_on(db, photo.tree_id, photo.taken_on),
            )
            db.add(row)
        if row.revision != revision:
            raise Conflict(
                "revision",
                "These marks were changed in another window. Reload to see them; "
                "your last change is not kept yet.",
            )
        put_marks(db, studio, row, draft, found)
        doubt = _doubt(row)
    return DeskState(photo, draft, revision + 1, found, doubt=doubt)


def put_marks(
    db: DbSession, studio: Studio, row: Measurement, draft: AnyDraft, found: Evaluation
) -> None:
    """Put marks and what they give into a transaction; a set's figures go with its lead."""
    # Asked before the marks change: afterwards nobody knows.
    was_in_set = isinstance(row.marks, TopDraft) and bool(row.marks.set)
    # Marks and figures change together: no reader may see one without the other.
    row.marks, row.revision = draft, row.revision + 1
    _put_figures(db, studio, row, draft, found, was_in_set)


def measure_anew(studio: Studio, measurement_id: int) -> None:
    """Work a measurement out again by the formulas of today, its marks as they are.

    Figures that cannot be worked out any more stay as they were.
    """
    with studio.reading() as db:
        row = db.get(Measurement, measurement_id)
        photo = None if row is None else db.get(Photo, row.photo_id)
        if row is None or photo is None:
            return
        revision, found = row.revision, evaluate(db, studio, photo, row.marks)
    with studio.writing() as db:
        row = db.get(Measurement, measurement_id)
        # Marked anew meanwhile, it was worked out anew too.
        if row is None or row.revision != revision:
            return
        if found.top is not None or found.side is not None:
            in_set = isinstance(row.marks, TopDraft) and bool(row.marks.set)
            _put_figures(db, studio, row, row.marks, found, in_set)
        row.figures_version = FIGURES_VERSION


def measured_by_former_formulas(db: DbSession) -> list[int]:
    """Measurements whose figures are of a former version, oldest first."""
    query = select(Measurement.id).where(
        Measurement.figures_version < FIGURES_VERSION, Measurement.kept()
    )
    return list(db.scalars(query.order_by(Measurement.measured_on, Measurement.id)))


def _put_figures(
    db: DbSession,
    studio: Studio,
    row: Measurement,
    draft: AnyDraft,
    found: Evaluation,
    was_in_set: bool,
) -> None:
    row.side, row.updated_at, row.figures_version = found.side, studio.now, FIGURES_VERSION
    # In a set the figures belong to its lead, which may be another photo.
    in_set = isinstance(draft, TopDraft) and bool(draft.set)
    if not in_set:
        row.top = found.top
    db.flush()
    # A photo that has just left a set changes that set's figures too.
    if in_set or was_in_set:
        settle_set(db, studio, row.tree_id, row.measured_on)
    if row.view == "top":
        settle_tree(db, studio, row.tree_id)
    else:
        follow_side_views(db, studio, row.tree_id)


def follow_side_views(db: DbSession, studio: Studio, tree_id: int) -> None:
    """Keep the heights the side views now give, and measure the newest base with them."""
    if not settle_heights(db, studio, tree_id):
        return
    rows = measurements_of(db, tree_id)
    photo = load_photo(db, rows[-1].photo_id) if rows else None
    if photo is None or rows[-1].top_marks.set:
        return
    found = evaluate(db, studio, photo, rows[-1].top_marks).top
    if found is not None:
        rows[-1].top, rows[-1].updated_at = found, studio.now
        settle_tree(db, studio, tree_id)


def _measure_ahead(db: DbSession, studio: Studio, photo: Photo, draft: SideDraft) -> None:
    """Work out what `follow_side_views` will ask for, before anybody has to wait for its lock.

    What is worked out of the same marks is kept in memory, so it is found there again.
    """
    rows = measurements_of(db, photo.tree_id)
    if not rows or rows[-1].top_marks.set:
        return
    with suppress(BadInput, NotFound):
        changed = {photo.id: draft}
        plane = newest_root_plane(db, studio, photo.tree_id, frozenset(), changed)
        before, seen = kept_heights(db, photo.tree_id), plane.residuals_mm if plane else {}
        heights = {
            label: height if differs(height, before.get(label)) else before[label]
            for label, height in seen.items()
        }
        base, yard = load_photo(db, rows[-1].photo_id), yard_of(db)
        marks = checked_marks(base, with_heights(rows[-1].top_marks, heights), yard)
        measure_photo(studio.photos, base, marks)


def evaluate(db: DbSession, studio: Studio, photo: Photo, draft: AnyDraft) -> Evaluation:
    """What a draft gives, or what is missing, or what is wrong and where.

    Clicks lie off as the yard's settings say, unless the marks say otherwise.
    """
    unknown = _length_unknown(draft.calibration)
    if unknown is not None:
        return Evaluation(missing=unknown)
    for field, sentence in NEXT_STEPS[view_of(photo)]:
        elsewhere = field == "trunk" and isinstance(draft, TopDraft) and (draft.trunks or draft.set)
        if not getattr(draft, field) and not elsewhere:
            return _before_figures(db, studio, photo, draft, sentence)
    try:
        if isinstance(draft, SideDraft):
            return _evaluate_side(db, studio, photo, draft)
        return _evaluate_top(db, studio, photo, draft)
    except (BadInput, NotFound) as error:
        return Evaluation(problem=Problem(error.field, error.message))


def _before_figures(
    db: DbSession, studio: Studio, photo: Photo, draft: AnyDraft, missing: str
) -> Evaluation:
    """What is to be marked next; a card that is found says already how well it is seen."""
    if not isinstance(draft, TopDraft) or draft.calibration is None:
        return Evaluation(missing=missing)
    try:
        seen = calibration_seen(studio.photos, photo, draft, yard_of(db))
    except (BadInput, NotFound) as error:
        return Evaluation(missing=missing, problem=Problem(error.field, error.message))
    return Evaluation(missing=missing, calibration=seen)


def _length_unknown(calibration: CalibrationDraft | None) -> str | None:
    """What is to be asked of a reference whose size nobody has entered yet."""
    if calibration is None or calibration.kind not in LENGTHS:
        return None
    missing = [name for name in LENGTHS[calibration.kind] if getattr(calibration, name) is None]
    words = " and ".join(name.removesuffix("_mm") for name in missing)
    return f"Enter the {words} of what you calibrate by, in mm." if missing else None


def _evaluate_side(db: DbSession, studio: Studio, photo: Photo, draft: SideDraft) -> Evaluation:
    marks = checked_side_marks(photo, draft, yard_of(db))
    side = measure_side_photo(studio.photos, photo, marks)
    return Evaluation(side=side, missing=None if marks.emergences else NO_EMERGENCES)


def _evaluate_top(db: DbSession, studio: Studio, photo: Photo, draft: TopDraft) -> Evaluation:
    draft = with_side_heights(db, photo.tree_id, draft)
    marks = checked_marks(photo, draft, yard_of(db), in_set=bool(draft.set))
    if draft.set:
        members = members_of_set(db, photo.tree_id, photo.taken_on)
        top, missing = measure_set(db, studio, with_draft(members, photo, draft))
        return Evaluation(top=top, missing=missing)
    top = measure_photo(studio.photos, photo, marks)
    return Evaluation(top=top, missing=None if marks.roots else NO_ROOTS)
