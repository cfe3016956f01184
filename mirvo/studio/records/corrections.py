"""Putting a recorded session right: its form again, and the record worked out anew."""

from __future__ import annotations

from sqlalchemy import delete

from mirvo.core.errors import Conflict
from mirvo.core.limits.sessions import RootDone, SessionFields
from mirvo.records.database import DbSession, find_kept
from mirvo.records.models import CutRecord, FindingRecord, Measurement, RootSession
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import SAVED_ELSEWHERE
from mirvo.studio.records.root_sessions import (
    keep_record,
    load_session,
    of_the_shelf,
    stands_as_left,
    work_out,
)
from mirvo.studio.records.session_form import ENTERED, BenchDetails
from mirvo.studio.standing.tree_queries import (
    CutOfRoot,
    MeasuredBase,
    base_before,
    cuts_of,
    findings_of,
    load_tree,
    measured_base,
)


def form_of_session(db: DbSession, session: RootSession) -> SessionFields:
    """A recorded session as the form it could be entered with.

    It is not checked anew: a record made before a bound was drawn must still open.
    """
    cuts = _cuts(db, session)
    entered = {name: getattr(session, name) for name in ENTERED}
    return SessionFields.model_construct(
        **entered,
        measurement_id=_ticked_on(cuts),
        roots=tuple(
            RootDone(label=done.label, action=done.cut.done_action, part=done.cut.cost)
            for done in cuts
            if done.cut.done_action != "keep"
        ),
    )


def correct_session(
    studio: Studio, session_id: int, form: SessionFields, version: int | None = None
) -> RootSession:
    """Put a record right: worked out anew, its open aftercare moved to where it is due now.

    What was noted at the bench stays with it. version : the one the form was filled in on, None
    where nobody else can have corrected it.

    Raises
    ------
    NotFound : there is no such session. BadInput : at the field that cannot be. Conflict : it was
    corrected elsewhere since.
    """
    form.check(studio.today)
    with studio.writing() as db:
        session = load_session(db, session_id)
        if version is not None and version != session.version:
            raise Conflict("version", SAVED_ELSEWHERE.format("This record was"))
        tree = load_tree(db, session.tree_id)
        form = of_the_shelf(db, _out_of_its_pot(session, form))
        worked_out = work_out(db, studio, tree, form, bench_details_of(db, session), session)
        # Written anew from the form; what the bench noted comes back with the details.
        for table in (CutRecord, FindingRecord):
            db.execute(delete(table).where(table.session_id == session.id))
        keep_record(db, studio, tree, session, worked_out)
        stands_as_left(db, tree, session)
        session.version += 1
    return session


def _out_of_its_pot(session: RootSession, form: SessionFields) -> SessionFields:
    """The form without the pot its record named, where another container is said now."""
    same_pot = form.pot_id is not None and form.pot_id == session.pot_id
    if same_pot and form.container_after != session.container_after:
        return form.model_copy(update={"pot_id": None})
    return form


def bench_details_of(db: DbSession, session: RootSession) -> BenchDetails:
    """What was noted at the bench of a recorded session."""
    found = findings_of(db, session.id)
    return BenchDetails(
        decisions={
            done.label: done.cut.decision for done in _cuts(db, session) if done.cut.decision
        },
        findings={label: row.finding for label, row in found.items()},
        practice=session.practice or {},
        exposed_minutes=session.exposed_minutes,
        notes=session.notes or {},
        planned=session.planned,
        unfinished=session.unfinished or (),
    )


def roots_to_tick(
    db: DbSession, tree_id: int, session: RootSession | None = None
) -> MeasuredBase | None:
    """The measured roots a form offers: of today, or those a record was ticked on."""
    if session is None:
        return measured_base(db, tree_id)
    ticked = _ticked_on(_cuts(db, session))
    found = find_kept(db, Measurement, ticked) if ticked else None
    if found is None:
        newest = measured_base(db, tree_id, session.done_on)
        found = None if newest is None else newest.measurement
    return None if found is None else base_before(db, found, session.done_on, session)


def _cuts(db: DbSession, session: RootSession) -> tuple[CutOfRoot, ...]:
    return cuts_of(db, session.tree_id).get(session.id, ())


def _ticked_on(cuts: tuple[CutOfRoot, ...]) -> int | None:
    """Number of the measurement whose roots a record names; None when it names none."""
    return cuts[0].cut.measurement_id if cuts else None
