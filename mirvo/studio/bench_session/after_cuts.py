"""The base as it stands and as it will stand: measured anew with findings and without the cuts."""

from __future__ import annotations

from collections.abc import Mapping

from mirvo.core.errors import BadInput
from mirvo.core.measure.records import TopRecord
from mirvo.core.rootwork.after import after_cuts, with_findings
from mirvo.core.rootwork.cuts import RootFinding
from mirvo.records.database import DbSession
from mirvo.records.models import Measurement, Photo
from mirvo.studio.context import Studio
from mirvo.studio.measuring.measure_marks import checked_marks, measure_photo
from mirvo.studio.measuring.photo_sets import SetMember, measure_set, rows_of_set
from mirvo.studio.yard.settings import yard_of

Findings = Mapping[str, RootFinding]


def measured_with(
    db: DbSession,
    studio: Studio,
    measurement: Measurement,
    findings: Findings,
    cuts: Mapping[str, float],
) -> TopRecord:
    """What a measurement's marks give with findings of the bench and after cuts.

    Parameters
    ----------
    cuts : part of the length that goes, by root; 1 removes it.

    Raises
    ------
    BadInput : the marks cannot be measured any more.
    """
    edited = [
        SetMember(photo, after_cuts(with_findings(row.top_marks, findings), cuts))
        for row in rows_of_set(db, measurement)
        if (photo := db.get(Photo, row.photo_id)) is not None
    ]
    if measurement.top_marks.set:
        record, missing = measure_set(db, studio, edited)
        if record is None:
            raise BadInput("measurement", missing or "this set of photos cannot be measured")
        return record
    [member] = edited
    marks = checked_marks(member.photo, member.marks, yard_of(db).click_sd_px)
    return measure_photo(studio.photos, member.photo, marks)
