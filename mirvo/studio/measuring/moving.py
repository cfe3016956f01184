"""A photo moved to the tree it shows, with its marks and figures."""

from __future__ import annotations

from sqlalchemy import select, update

from mirvo.core.errors import BadInput
from mirvo.records.database import DbSession
from mirvo.records.models import CutRecord, FindingRecord, GapPlan, Measurement, Photo, Regrowth
from mirvo.studio.ground.context import Studio
from mirvo.studio.measuring.after_cuts import settle_tree
from mirvo.studio.photos.photo_queries import load_photo
from mirvo.studio.standing.tree_queries import load_tree

# What was said of roots on a photo stays with the tree it was said of.
SAID_ON = (CutRecord, FindingRecord, GapPlan, Regrowth)


def move_photo(studio: Studio, photo_id: int, tree_id: int) -> int:
    """Give a photo to the tree it shows; the number of the tree it was taken from.

    Its marks and figures go with it; which root is which has to be confirmed anew there. What
    sessions did and found stays with the tree they were recorded for.

    Raises
    ------
    NotFound : there is no such photo or tree. BadInput : it is that tree's already, or is measured
    together with other photos.
    """
    with studio.writing() as db:
        photo, tree = load_photo(db, photo_id), load_tree(db, tree_id)
        before = load_tree(db, photo.tree_id)
        if before.id == tree.id:
            raise BadInput("tree_id", f"The photo is of {tree.name} already.")
        row = db.scalar(select(Measurement).where(Measurement.photo_id == photo.id))
        if row is not None:
            _move_measurement(db, row, photo, tree.id)
        photo.tree_id, photo.session_id = tree.id, None
        before.updated_at = tree.updated_at = studio.now
        db.flush()
        settle_tree(db, studio, before.id)
        settle_tree(db, studio, tree.id)
        return before.id


def _move_measurement(db: DbSession, row: Measurement, photo: Photo, tree_id: int) -> None:
    if photo.kind == "top" and row.top_marks.set:
        raise BadInput(
            "tree_id",
            "It is measured together with other photos of its day. Measure it alone first.",
        )
    for table in SAID_ON:
        of_row = table.measurement_id == row.id
        db.execute(update(table).where(of_row).values(measurement_id=None))
    row.tree_id = tree_id
    # Its letters are those of the other tree's roots, and nobody has said that it shows this one.
    row.confirmed_at = row.same_tree = row.doubt = row.forecast = None
    row.turn_deg = 0.0
