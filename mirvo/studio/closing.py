"""Closing a visit: its taps become the record, the aftercare and the note for next time."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import ValidationError
from sqlalchemy import select

from mirvo.core.complaints import first_complaint
from mirvo.core.errors import Conflict
from mirvo.records.database import reading, writing
from mirvo.records.models import Photo, Session, VisitPhoto
from mirvo.studio.context import Studio
from mirvo.studio.deciding import Deciding, deciding
from mirvo.studio.plans import newest_step
from mirvo.studio.sessions import RootDone, SessionForm, check_session, put_session
from mirvo.studio.trees import load_tree, put_offspring
from mirvo.studio.visits import VisitView, exposed_minutes, load_visit, visit_view

OF_THE_VISIT = ("kind", "done_on", "roots", "measurement_id", "details")
RECORDED = tuple(name for name in SessionForm.model_fields if name not in OF_THE_VISIT)
CUTTING = ("halve", "shorten", "remove")


def close_visit(studio: Studio, visit_id: int) -> Session:
    """Make the session's record of a visit; closing it again gives the same record.

    Raises
    ------
    BadInput : what was entered cannot be recorded; names the field.
    """
    view = visit_view(studio, visit_id)
    if view.visit.session_id is not None:
        with reading(studio.engine) as unit:
            kept = unit.get(Session, view.visit.session_id)
        if kept is not None:
            return kept
    form = form_of(studio, view, deciding(studio, view))
    check_session(studio, form)
    yard = studio.yard()
    with writing(studio.engine) as unit:
        visit = load_visit(unit, visit_id)
        if visit.closed_at is not None:
            raise Conflict("visit", "this session was closed meanwhile; open its record to see it")
        session = put_session(studio, unit, yard, view.tree.id, form)
        visit.closed_at, visit.session_id = studio.now, session.id
        parent = load_tree(unit, view.tree.id)
        for what, count in _offspring(view.answers).items():
            put_offspring(unit, parent, what, count, session.done_on, studio.now)
        ids = select(VisitPhoto.photo_id).where(VisitPhoto.visit_id == visit_id)
        for photo in unit.scalars(select(Photo).where(Photo.id.in_(ids))):
            photo.session_id = session.id
    return session


def _offspring(answers: dict[str, Any]) -> dict[str, int]:
    """How many new trees are kept: offcuts with root hair, a layer separated."""
    return {
        "offcut": int(answers.get("offcuts_kept") or 0),
        "layer": 1 if answers.get("layer_kept") else 0,
    }


def form_of(studio: Studio, view: VisitView, told: Deciding) -> SessionForm:
    """The record's form from a visit's answers. Raises BadInput at the field concerned."""
    answers = {key: value for key, value in view.answers.items() if value is not None}
    entered: dict[str, Any] = {key: answers[key] for key in RECORDED if key in answers}
    entered.setdefault("container_after", view.tree.container)
    if view.last is not None:
        entered.setdefault("pot_after", view.last.pot_after)
    roots = _roots_done(told)
    try:
        return SessionForm(
            kind=view.visit.kind,
            done_on=view.visit.begun_at.date(),
            measurement_id=told.measurement.id if told.measurement and roots else None,
            roots=roots,
            details=_details(studio, view, told, answers),
            **entered,
        )
    except ValidationError as error:
        raise first_complaint(error) from None


def _roots_done(told: Deciding) -> list[RootDone]:
    done = []
    for label, decision in told.decided.items():
        if decision.action in CUTTING:
            gone = decision.action == "remove"
            action: Literal["remove", "shorten"] = "remove" if gone else "shorten"
            done.append(RootDone(label=label, action=action, part=decision.cost))
    return done


def _details(
    studio: Studio, view: VisitView, told: Deciding, answers: dict[str, Any]
) -> dict[str, Any]:
    """What the record keeps beyond its columns: reasons, findings, unfinished work."""
    plain = {key: value for key, value in answers.items() if ":" not in key}
    return {
        "answers": {key: value for key, value in plain.items() if key not in RECORDED},
        "practice": view.practice,
        "exposed_minutes": exposed_minutes(view),
        "decided": {
            label: {"action": one.action, "part": one.part, "why": one.why}
            for label, one in told.decided.items()
        },
        "findings": view.of_roots("seen"),
        "planned": newest_step(studio, view.tree.id, view.visit.begun_at.year),
        "unfinished": unfinished(view, told),
    }


def unfinished(view: VisitView, told: Deciding) -> list[dict[str, str]]:
    """What this session leaves for the next, each with a code and a sentence."""
    left = [*_spared(told), *_halved(told)]
    left += [
        {"code": "waits", "text": f"Root {label} waits until {other} is decided."}
        for label, other in view.of_roots("waits").items()
        if label not in told.decided or told.decided[label].cost == 0
    ]
    hours = view.answers.get("old_soil") or []
    if hours:
        said = ", ".join(str(hour) for hour in hours)
        left.append({"code": "old_soil", "text": f"Old soil stayed at {said} o'clock."})
    if view.answers.get("uneven_underside"):
        left.append({"code": "underside", "text": "The underside is still uneven."})
    if view.answers.get("next_when"):
        left.append({"code": "return", "text": f"Return: {view.answers['next_when']}."})
    return left


def _spared(told: Deciding) -> list[dict[str, str]]:
    """Roots left though something was wrong with them, and why."""
    spared = []
    for label, advice in told.advice.items():
        decision = told.decided.get(label)
        asked = advice.wanted or (advice.action if advice.action in CUTTING else None)
        if asked is None or (decision is not None and decision.cost > 0):
            continue
        held = "; ".join(reason.sentence for reason in advice.held_back)
        why = (decision.why if decision is not None else "") or held
        text = f"Root {label} was spared though {advice.reasons[0].sentence}"
        spared.append(
            {"code": "spared", "root": label, "text": f"{text}{': ' + why if why else ''}."}
        )
    return spared


def _halved(told: Deciding) -> list[dict[str, str]]:
    return [
        {"code": "halved", "root": label, "text": f"Root {label} was halved: the rest next time."}
        for label, decision in told.decided.items()
        if decision.action == "halve"
    ]
