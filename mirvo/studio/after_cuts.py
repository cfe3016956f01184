"""The base as it stands and as it will stand: measured anew with findings and without the cuts."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from sqlalchemy import select

from mirvo.core.rootwork.after import after_cuts, with_findings
from mirvo.records.database import reading
from mirvo.records.models import Measurement, Photo
from mirvo.studio.context import Studio
from mirvo.studio.marked import measure, read_draft
from mirvo.studio.photo_sets import measured_set, rows_of_set
from mirvo.studio.side_views import root_plane_of_day

Findings = Mapping[str, Mapping[str, Any]]


def figures_with(
    studio: Studio, row: Measurement, seen: Findings, cuts: Mapping[str, float]
) -> dict[str, Any]:
    """Figures of a measurement's marks with findings of the bench and after cuts.

    Parameters
    ----------
    seen : height, feeders, condition and feeds by root, where they were noted.
    cuts : part of the length that goes, by root; 1 removes it.

    Raises
    ------
    BadInput : the marks cannot be measured any more.
    """
    with reading(studio.engine) as unit:
        rows = rows_of_set(unit, row)
        photos = {one.photo_id: unit.get(Photo, one.photo_id) for one in rows}
    edited = [
        (photo, after_cuts(with_findings(one.marks, seen), cuts))
        for one in rows
        if (photo := photos[one.photo_id]) is not None
    ]
    if row.marks.get("set"):
        return measured_set(studio, edited)
    [(photo, marks)] = edited
    return measure(studio.photos, photo, read_draft(studio, photo, marks))


def root_plane_with(studio: Studio, tree_id: int, without: frozenset[str]) -> dict[str, Any] | None:
    """The root plane of the newest side views without some roots; None where there is none."""
    query = (
        select(Photo.taken_on)
        .join(Measurement, Measurement.photo_id == Photo.id)
        .where(
            Photo.tree_id == tree_id, Measurement.view == "side", Measurement.figures.is_not(None)
        )
        .order_by(Photo.taken_on.desc())
        .limit(1)
    )
    with reading(studio.engine) as unit:
        day = unit.scalar(query)
    if day is None:
        return None
    return root_plane_of_day(studio, tree_id, day, without)
