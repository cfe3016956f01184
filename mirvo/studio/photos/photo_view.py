"""How a photo was taken: from which side, its size and focal length, where the card lies in it."""

from __future__ import annotations

from typing import Any

import numpy as np

from mirvo.core.errors import BadInput
from mirvo.core.measure.drafts import View
from mirvo.core.measure.plane_map import PhotoInfo
from mirvo.core.measure.uncertainty import Array
from mirvo.records.models import Photo
from mirvo.records.photos import PhotoStore
from mirvo.records.pictures import grey_of

# Named anew when the corners are found otherwise, so that no photo keeps those of before.
CARD_FINDING = "card-2"


def view_of(photo: Photo) -> View:
    """How a photo is marked: from the side, else as from above."""
    return "side" if photo.kind == "side" else "top"


def info_of(photo: Photo) -> PhotoInfo:
    """Size and focal length of a photo."""
    return PhotoInfo(photo.width, photo.height, photo.focal_length_35mm)


def card_corners(photos: PhotoStore, digest: str) -> Array:
    """Marker corners (16, 2) px of the card in a photo, sought once. Raises BadInput."""
    found = photos.finding(digest, CARD_FINDING, _seek_card)
    if "corners" not in found:
        raise BadInput("calibration", found["message"])
    return np.array(found["corners"])


def _seek_card(content: bytes) -> dict[str, Any]:
    """The corners, or the sentence why there are none, as they are kept beside the photo."""
    from mirvo.core.vision.card import find_card  # heavy: only where a card is sought

    try:
        return {"corners": find_card(grey_of(content)).tolist()}
    except BadInput as error:
        # That there is none is kept too: looking again would find none again.
        return {"message": error.message}
