"""Putting a recorded session right: its form again, and the record reckoned anew."""

from __future__ import annotations

from typing import Any

from sqlalchemy import delete

from mirvo.core.errors import NotFound
from mirvo.records.database import reading, writing
from mirvo.records.models import Care, Measurement, Session
from mirvo.studio.care import plan_care
from mirvo.studio.context import Studio
from mirvo.studio.histories import measured_roots
from mirvo.studio.sessions import (
    SessionForm,
    check_session,
    reckon_form,
    roots_for,
    row_of,
)
from mirvo.studio.trees import load_tree

PARTS = ("length", "width", "depth")
AS_RECORDED = (
    *("kind", "done_on", "bud_stage", "reason", "woody_depth_mm", "slice_mm", "matted"),
    *("pot_before", "pot_after", "container_after", "soil", "flare_height_mm", "found"),
    "next_time",
)
IN_DETAILS = ("fine_roots", "top_reduced", "offcuts_g", "ball_g")
KEPT = ("id", "tree_id", "created_at")
CORRECTED = tuple(column.key for column in Session.__table__.columns if column.key not in KEPT)


def form_of_session(session: Session) -> SessionForm:
    """A recorded session as the form it could be entered with."""
    details, size = session.details or {}, session.pot_after_size
    entered: dict[str, Any] = {name: getattr(session, name) for name in AS_RECORDED}
    for part in PARTS:
        entered[f"ball_{part}_before"] = session.ball_before.get(f"{part}_mm")
        entered[f"ball_{part}_after"] = session.ball_after.get(f"{part}_mm")
    entered |= {name: details[name] for name in IN_DETAILS if details.get(name) is not None}
    if session.share_judged is not None:
        entered["share_judged"] = session.share_judged * 100
    entered |= {"pot_length_mm": size.get("length_mm"), "pot_depth_mm": size.get("depth_mm")}
    keys = ("label", "action", "part")
    entered["roots"] = [{key: root[key] for key in keys} for root in session.roots]
    entered["measurement_id"] = _ticked_on(session)
    return SessionForm.model_validate({**entered, "details": details})


def correct_session(studio: Studio, session_id: int, form: SessionForm) -> Session:
    """Put a record right: reckoned anew, its open aftercare planned anew.

    What was noted at the bench stays with it.

    Raises
    ------
    NotFound : there is no such session. BadInput : at the field that cannot be.
    """
    check_session(studio, form)
    yard = studio.yard()
    with writing(studio.engine) as unit:
        session = unit.get(Session, session_id)
        if session is None:
            raise NotFound("session", "there is no such session")
        tree = load_tree(unit, session.tree_id)
        measurement, roots = roots_for(unit, tree.id, form)
        form = form.model_copy(update={"details": {**(session.details or {}), **form.details}})
        reckoned = reckon_form(unit, yard, tree, form, measurement, roots)
        fresh = row_of(tree.id, form, reckoned, measurement, roots)
        for name in CORRECTED:
            setattr(session, name, getattr(fresh, name))
        session.created_at = studio.now
        unit.execute(delete(Care).where(Care.session_id == session.id, Care.done_at.is_(None)))
        plan_care(unit, session, tree, yard, studio.today)
        tree.updated_at = studio.now
    return session


def roots_to_tick(
    studio: Studio, tree_id: int, session: Session | None = None
) -> tuple[Measurement | None, list[dict[str, Any]]]:
    """The measured roots a form offers: of today, or those a record was ticked on."""
    with reading(studio.engine) as unit:
        ticked = _ticked_on(session) if session else None
        measurement = unit.get(Measurement, ticked) if ticked else None
        if measurement is not None and measurement.figures is not None:
            return measurement, list(measurement.figures["roots"])
        return measured_roots(unit, tree_id, session.done_on if session else None)


def _ticked_on(session: Session) -> int | None:
    """Number of the measurement whose roots a record names; None when it names none."""
    ids = [root.get("measurement_id") for root in session.roots]
    return ids[0] if ids else None
