"""The base as it stands and as it will stand: measured anew with findings and without the cuts."""

from __future__ import annotations

from collections.abc import Mapping
from contextlib import suppress

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.measure.drafts import TopDraft
from mirvo.core.measure.records import TopRecord
from mirvo.core.rootwork.after import after_cuts, with_findings
from mirvo.core.rootwork.cuts import RootFinding
from mirvo.records.database import DbSession
from mirvo.records.models import Measurement
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.measuring.measure_marks import checked_marks, measure_photo
from mirvo.studio.measuring.photo_sets import SetMember, measure_set, rows_of_set
from mirvo.studio.measuring.root_plane import with_side_heights
from mirvo.studio.measuring.roots_of_tree import settle_roots
from mirvo.studio.measuring.same_tree import settle_doubts
from mirvo.studio.photos.photo_queries import photo_row
from mirvo.studio.standing.tree_queries import (
    all_measurements_of,
    cuts_of,
    findings_of,
    measurements_of,
    sessions_of,
)

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
        SetMember(photo, after_cuts(with_findings(_marks_of(db, row), findings), cuts))
        for row in rows_of_set(db, measurement)
        if (photo := photo_row(db, row.photo_id)) is not None
    ]
    if measurement.top_marks.set:
        record, missing = measure_set(db, studio, edited)
        if record is None:
            raise BadInput("measurement", missing or "this set of photos cannot be measured")
        return record
    [member] = edited
    marks = checked_marks(member.photo, member.marks, yard_of(db))
    return measure_photo(studio.photos, member.photo, marks)


def _marks_of(db: DbSession, row: Measurement) -> TopDraft:
    return with_side_heights(db, row.tree_id, row.top_marks)


def settle_base(db: DbSession, studio: Studio, tree_id: int) -> None:
    """Work out again what stands of a tree's newest measurement after the sessions since.

    Kept with the measurement, so that every page draws and reckons with the same base.
    """
    db.flush()
    newest = next(iter(measurements_of(db, tree_id)[::-1]), None)
    for row in all_measurements_of(db, tree_id):
        cuts = cuts_since(db, row) if row is newest else {}
        stands = None
        if cuts:
            # Marks that cannot be measured any more say so on their own desk.
            with suppress(BadInput, NotFound):
                stands = measured_with(db, studio, row, findings_on(db, row), cuts)
        if (row.stands is None) != (stands is None) or stands is not None:
            row.stands = stands
    db.flush()


def cuts_since(db: DbSession, measurement: Measurement) -> dict[str, float]:
    """Part of each root's length that sessions took since it was measured, by letter."""
    left: dict[str, float] = {}
    for cuts in cuts_of(db, measurement.tree_id).values():
        for done in cuts:
            # Only cuts named on this measurement: an older letter may be another root's.
            if done.cut.measurement_id != measurement.id:
                continue
            part = {"remove": 1.0, "shorten": done.cut.done_part or 0.0}.get(done.cut.done_action)
            if part:
                left[done.label] = left.get(done.label, 1.0) * (1.0 - part)
    return {label: 1.0 - stays for label, stays in left.items()}


def findings_on(db: DbSession, measurement: Measurement) -> dict[str, RootFinding]:
    """What sessions since a measurement found on its roots, the latest of each."""
    found: dict[str, RootFinding] = {}
    for session in sessions_of(db, measurement.tree_id)[::-1]:
        for label, row in findings_of(db, session.id).items():
            if row.measurement_id == measurement.id:
                found[label] = row.finding
    return found


def settle_tree(db: DbSession, studio: Studio, tree_id: int) -> None:
    """Bring a tree's roots and what stands of its base in line with its records."""
    settle_doubts(db, tree_id)
    settle_roots(db, tree_id)
    settle_base(db, studio, tree_id)
