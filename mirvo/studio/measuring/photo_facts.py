"""Putting right what is said of a photo: the day it was taken, and what it shows."""

from __future__ import annotations

from sqlalchemy import select

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.limits.measuring import PhotoFields
from mirvo.formats.photo_privacy import private_details
from mirvo.records.models import Measurement, Photo
from mirvo.studio.ground.context import Studio
from mirvo.studio.measuring.after_cuts import settle_tree
from mirvo.studio.measuring.photo_sets import settle_set
from mirvo.studio.photos.photo_queries import load_photo
from mirvo.studio.photos.photo_view import view_of

# Under this it is kept beside the photo what its file says; raise it when more is looked for.
DETAILS = "details-1"


def file_details(studio: Studio, photo: Photo) -> tuple[str, ...]:
    """What a photo's file says of its place and of people; nothing where it is missing."""
    try:
        return tuple(studio.photos.finding(photo.digest, DETAILS, private_details))
    except (BadInput, NotFound, OSError, ValueError):
        return ()


def edit_photo(studio: Studio, photo_id: int, form: PhotoFields) -> Photo:
    """Keep the day and the kind of a photo; its measurement follows, also to another set.

    Raises
    ------
    NotFound : there is no such photo. BadInput : a day to come, or marks of another view.
    """
    form.check_days(studio.today)
    with studio.writing() as db:
        photo = load_photo(db, photo_id)
        view, day = view_of(photo), photo.taken_on
        photo.taken_on, photo.kind = form.taken_on, form.kind
        row = db.scalar(select(Measurement).where(Measurement.photo_id == photo_id))
        if row is not None and view_of(photo) != view:
            # Marks of one view mean nothing in the other, so they would be lost.
            if row.marks.is_marked:
                raise BadInput("kind", "it is marked already as seen from where it was said to be")
            db.delete(row)
        elif row is not None:
            row.measured_on = form.taken_on
        db.flush()
        if form.taken_on != day and view == "top":
            # It leaves the one day's set and may join the other's.
            settle_set(db, studio, photo.tree_id, day)
            settle_set(db, studio, photo.tree_id, form.taken_on)
        settle_tree(db, studio, photo.tree_id)
    return photo
