"""From marks as the desk keeps them to checked marks and figures."""

from __future__ import annotations

from typing import Any

import numpy as np

from mirvo.core.errors import BadInput
from mirvo.core.measure.marks import TopMarks, read_marks
from mirvo.core.measure.plane_map import PhotoInfo
from mirvo.core.measure.report import side_as_record, top_as_record
from mirvo.core.measure.side import measure_side
from mirvo.core.measure.side_marks import SideMarks, read_side_marks
from mirvo.core.measure.top import measure_top
from mirvo.core.measure.uncertainty import Array
from mirvo.records.models import Photo
from mirvo.records.photos import PhotoStore, grey_of
from mirvo.studio.context import Studio

CARD_FINDING = "card"
DESK_ONLY = ("draft", "set", "underside")


def view_of(photo: Photo) -> str:
    """How a photo is marked: from the side, else as from above."""
    return "side" if photo.kind == "side" else "top"


def read_draft(
    studio: Studio, photo: Photo, draft: dict[str, Any], in_set: bool = False
) -> TopMarks:
    """The finished part of a draft, checked: open marks and roots without a path left out.

    in_set : one photo of several, which may leave the trunk to another.

    Raises
    ------
    BadInput : names the first mark that cannot be used and why.
    """
    complete = _finished(studio, draft)
    complete["roots"] = [
        {key: value for key, value in root.items() if value is not None}
        for root in draft["roots"]
        if isinstance(root, dict) and len(root.get("path") or []) >= 2
    ]
    return read_marks(complete, (photo.width, photo.height), in_set)


def read_side_draft(studio: Studio, photo: Photo, draft: dict[str, Any]) -> SideMarks:
    """As `read_draft`, for a photo from the side. Raises BadInput."""
    return read_side_marks(_finished(studio, draft), (photo.width, photo.height))


def _finished(studio: Studio, draft: dict[str, Any]) -> dict[str, Any]:
    complete: dict[str, Any] = {"click_sd_px": studio.yard().click_sd_px}
    complete |= {key: value for key, value in draft.items() if value is not None}
    for own in DESK_ONLY:
        complete.pop(own, None)
    return complete


def info_of(photo: Photo) -> PhotoInfo:
    """Size and focal length of a photo."""
    return PhotoInfo(photo.width, photo.height, photo.focal_length_35mm)


def corners_for(photos: PhotoStore, photo: Photo, kind: str) -> Array | None:
    """The card's corners when a calibration is by card. Raises BadInput."""
    return card_corners(photos, photo.digest) if kind == "card" else None


def measure_from_side(photos: PhotoStore, photo: Photo, marks: SideMarks) -> dict[str, Any]:
    """Figures of one photo from the side as they are kept. Raises BadInput."""
    corners = corners_for(photos, photo, marks.calibration.kind)
    return side_as_record(measure_side(marks, info_of(photo), corners))


def measure(photos: PhotoStore, photo: Photo, marks: TopMarks) -> dict[str, Any]:
    """Figures of one photo as they are kept. Raises BadInput."""
    corners = corners_for(photos, photo, marks.calibration.kind)
    return top_as_record(measure_top(marks, info_of(photo), corners))


def card_corners(photos: PhotoStore, digest: str) -> Array:
    """Marker corners (16, 2) px of the card in a photo, sought once. Raises BadInput."""
    found = photos.finding(digest, CARD_FINDING, _seek_card)
    if "corners" not in found:
        raise BadInput("calibration", found["message"])
    return np.array(found["corners"])


def _seek_card(content: bytes) -> dict[str, Any]:
    from mirvo.core.vision.card import find_card  # heavy: only where a card is sought

    try:
        return {"corners": find_card(grey_of(content)).tolist()}
    except BadInput as error:
        return {"message": error.message}
