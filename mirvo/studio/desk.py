"""The root desk: marks kept as they are set, figures whenever they suffice."""

from __future__ import annotations

import json
from copy import deepcopy
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select

from mirvo.core.errors import BadInput, Conflict
from mirvo.records.database import reading, writing
from mirvo.records.models import Measurement, Photo
from mirvo.studio.context import Studio
from mirvo.studio.drafts import check_shape
from mirvo.studio.marked import (
    card_corners,
    measure,
    measure_from_side,
    read_draft,
    read_side_draft,
    view_of,
)
from mirvo.studio.photo_sets import joined, settle_set
from mirvo.studio.photos import get_photo

MOST_MARK_BYTES = 2_000_000
EMPTY_MARKS: dict[str, dict[str, Any]] = {
    "top": {
        "view": "top",
        "calibration": None,
        "front": None,
        "trunk": None,
        "flare": None,
        "roots": [],
    },
    "side": {
        "view": "side",
        "calibration": None,
        "soil_line": None,
        "left_edge": None,
        "right_edge": None,
        "emergences": [],
        "turntable_deg": 0,
    },
}
NEXT_STEPS = {
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
class DeskState:
    """What the desk shows: marks as kept, figures if any, else what is missing or wrong."""

    photo: Photo
    marks: dict[str, Any]
    revision: int
    figures: dict[str, Any] | None
    missing: str | None
    problem: dict[str, str] | None


def open_desk(studio: Studio, photo_id: int) -> DeskState:
    """The desk for one photo with everything marked so far."""
    photo = get_photo(studio, photo_id)
    with reading(studio.engine) as unit:
        kept = unit.scalar(select(Measurement).where(Measurement.photo_id == photo_id))
    if kept is None:
        begun = _begun(studio, photo)
        return DeskState(photo, begun, 0, *evaluate(studio, photo, begun))
    figures, missing, problem = evaluate(studio, photo, kept.marks)
    return DeskState(photo, kept.marks, kept.revision, figures, missing, problem)


def _begun(studio: Studio, photo: Photo) -> dict[str, Any]:
    """Marks of a photo not touched yet: none, but for the card when one is seen in it."""
    marks = deepcopy(EMPTY_MARKS[view_of(photo)])
    try:
        card_corners(studio.photos, photo.digest)
    except BadInput:
        return marks
    return {**marks, "calibration": {"kind": "card"}}


def save_marks(studio: Studio, photo_id: int, marks: Any, revision: int) -> DeskState:
    """Keep marks as they are and measure them if they suffice.

    Incomplete or faulty marks are kept all the same, so nothing is ever lost; the
    answer then says what is missing or wrong.

    Raises
    ------
    Conflict : the marks were changed elsewhere since `revision`.
    BadInput : this is not a set of marks at all.
    """
    photo = get_photo(studio, photo_id)
    check_shape(marks, view_of(photo))
    if len(json.dumps(marks)) > MOST_MARK_BYTES:
        raise BadInput("marks", "there are far too many points")
    figures, missing, problem = evaluate(studio, photo, marks)
    with writing(studio.engine) as unit:
        kept = unit.scalar(select(Measurement).where(Measurement.photo_id == photo_id))
        if kept is None:
            kept = Measurement(tree_id=photo.tree_id, photo_id=photo_id, revision=0)
            kept.measured_on, kept.view = photo.taken_on, view_of(photo)
            unit.add(kept)
        if kept.revision != revision:
            raise Conflict(
                "revision",
                "These marks were changed in another window. Reload to see them; "
                "your last change is not kept yet.",
            )
        kept.marks, kept.figures = marks, None if marks.get("set") else figures
        kept.revision, kept.updated_at = revision + 1, studio.now
    if view_of(photo) == "top":
        settle_set(studio, photo, figures if marks.get("set") else None)
    return DeskState(photo, marks, revision + 1, figures, missing, problem)


def evaluate(
    studio: Studio, photo: Photo, draft: dict[str, Any]
) -> tuple[dict[str, Any] | None, str | None, dict[str, str] | None]:
    """Figures of a draft, or what is missing, or what is wrong and where.

    Clicks stray as the yard's settings say, unless the marks say otherwise.
    """
    for field, sentence in NEXT_STEPS[view_of(photo)]:
        elsewhere = field == "trunk" and (draft.get("trunks") or draft.get("set"))
        if not draft.get(field) and not elsewhere:
            return None, sentence, None
    try:
        if view_of(photo) == "side":
            side = read_side_draft(studio, photo, draft)
            emerged = None if side.emergences else "Mark where each root leaves the trunk."
            return measure_from_side(studio.photos, photo, side), emerged, None
        if draft.get("set"):
            return (*joined(studio, photo, draft), None)
        marks = read_draft(studio, photo, draft)
        figures = measure(studio.photos, photo, marks)
    except BadInput as error:
        return None, None, {"field": error.field, "message": error.message}
    missing = None if marks.roots else "Draw each root from the trunk's edge outward."
    return figures, missing, None
