"""Putting right what is said of a photo: the day it was taken, and what it shows."""

from __future__ import annotations

from datetime import date

from pydantic import BaseModel, ConfigDict
from sqlalchemy import select

from mirvo.core.errors import BadInput
from mirvo.records.database import writing
from mirvo.records.models import Measurement, Photo
from mirvo.studio.context import Studio
from mirvo.studio.marked import view_of
from mirvo.studio.photo_sets import settle_set
from mirvo.studio.photos import KINDS, get_photo

NO_MARKS = ("calibration", "view", "turntable_deg")


class PhotoForm(BaseModel):
    """What can be said of a photo."""

    model_config = ConfigDict(extra="ignore")
    taken_on: date
    kind: str = "top"


def edit_photo(studio: Studio, photo_id: int, form: PhotoForm) -> Photo:
    """Keep the day and the kind of a photo; its measurement follows, also to another set.

    Raises
    ------
    NotFound : there is no such photo. BadInput : a day to come, or marks of another view.
    """
    before = get_photo(studio, photo_id)
    if form.taken_on > studio.today:
        raise BadInput("taken_on", f"{form.taken_on:%d %b %Y} lies in the future")
    if form.kind not in KINDS:
        raise BadInput("kind", f"'{form.kind}' is not a kind of photo")
    with writing(studio.engine) as unit:
        photo = unit.get_one(Photo, photo_id)
        view = view_of(photo)
        photo.taken_on, photo.kind = form.taken_on, form.kind
        row = unit.scalar(select(Measurement).where(Measurement.photo_id == photo_id))
        if row is not None and view_of(photo) != view:
            if _is_marked(row):
                raise BadInput("kind", "it is marked already as seen from where it was said to be")
            unit.delete(row)
        elif row is not None:
            row.measured_on = form.taken_on
    if form.taken_on != before.taken_on and view == "top":
        settle_set(studio, before)
        settle_set(studio, photo)
    return photo


def _is_marked(row: Measurement) -> bool:
    return any(value for name, value in row.marks.items() if name not in NO_MARKS)
