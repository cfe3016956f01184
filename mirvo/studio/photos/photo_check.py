"""The photo check: what stands in the way of measuring on a photo, looked for once and kept."""

from __future__ import annotations

from typing import Any

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.vision.card import NO_CARD
from mirvo.core.vision.photo_check import Remark, Shot, check_photo
from mirvo.records.models import Photo
from mirvo.records.photos import PhotoStore
from mirvo.records.pictures import colour_of, size_said
from mirvo.studio.photos.photo_queries import MEASURED_ON
from mirvo.studio.photos.photo_view import card_corners, info_of, view_of

# Named anew when more is looked for.
CHECK = "check-2"


def remarks_on(photos: PhotoStore, photo: Photo) -> tuple[Remark, ...]:
    """What is wrong with a photo that is to be measured; nothing for one that is only kept."""
    if photo.kind not in MEASURED_ON:
        return ()

    def look(content: bytes) -> list[dict[str, Any]]:
        corners, no_use = None, ""
        try:
            corners = card_corners(photos, photo.digest)
        except (BadInput, NotFound) as error:
            # Many photos have none, and are calibrated otherwise.
            no_use = "" if error.message == NO_CARD else error.message
        picture, said_size = colour_of(content), size_said(content)
        shot = Shot(picture, info_of(photo), corners, view_of(photo), said_size, no_use)
        return [remark.model_dump() for remark in check_photo(shot)]

    # A photo may be said to show another side, so each view keeps what was seen of it.
    found = photos.finding(photo.digest, f"{CHECK}-{view_of(photo)}", look)
    return tuple(Remark.model_validate(one) for one in found)
