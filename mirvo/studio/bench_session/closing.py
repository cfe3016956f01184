"""Closing a session: its entries become the record, the aftercare and the note for next time."""

from __future__ import annotations

from pydantic import ValidationError
from sqlalchemy import select

from mirvo.core.clock import clock_list
from mirvo.core.complaints import first_complaint
from mirvo.core.errors import Conflict
from mirvo.core.limits.sessions import RootDone, SessionFields
from mirvo.core.rootwork.cuts import CUTTING
from mirvo.records.database import DbSession, find_kept
from mirvo.records.documents import UnfinishedWork
from mirvo.records.models import BenchPhoto, Photo, RootSession
from mirvo.studio.bench_session.cut_review import BenchReview, cut_review
from mirvo.studio.bench_session.session import BenchState, Entered, bench_state
from mirvo.studio.ground.context import Studio
from mirvo.studio.records.offspring import put_offspring
from mirvo.studio.records.root_sessions import put_session
from mirvo.studio.records.session_form import ENTERED, BenchDetails


def close_session(studio: Studio, bench_id: int) -> RootSession:
    """Make the record of a session; closing it again gives the same record.

    Raises
    ------
    BadInput : what was entered cannot be recorded; names the field.
    """
    with studio.writing() as db:
        state = bench_state(db, bench_id)
        bench = state.bench
        if bench.session_id is not None:
            # A second click, or the same form sent again, must not write a second record.
            kept = find_kept(db, RootSession, bench.session_id)
            if kept is not None:
                return kept
        if bench.closed_at is not None:
            message = "this session was closed meanwhile; open its record to see it"
            raise Conflict("session", message)
        review = cut_review(db, studio, state)
        form, details = form_of(state, review), details_of(db, state, review)
        session = put_session(db, studio, state.tree.id, form, details)
        bench.closed_at, bench.session_id = studio.now, session.id
        for what, count in _offspring(state.answers).items():
            put_offspring(db, state.tree, what, count, session.done_on, studio.now)
        ids = select(BenchPhoto.photo_id).where(BenchPhoto.bench_session_id == bench_id)
        for photo in db.scalars(select(Photo).where(Photo.id.in_(ids))):
            photo.session_id = session.id
    return session


def _offspring(answers: Entered) -> dict[str, int]:
    """How many new trees are kept: offcuts with root hair, a layer separated."""
    return {
        "offcut": int(answers.get("offcuts_kept") or 0),
        "layer": 1 if answers.get("layer_kept") else 0,
    }


def form_of(state: BenchState, review: BenchReview) -> SessionFields:
    """The record's form from what was entered. Raises BadInput at the field concerned."""
    answers = state.answers
    entered = {name: answers[name] for name in ENTERED if answers.get(name) is not None}
    # Nothing said of the container: it stays in the one it stands in.
    entered.setdefault("container_after", state.tree.container)
    same = entered["container_after"] == state.tree.container and "pot_after" not in entered
    if same and state.tree.pot is not None:
        entered.setdefault("pot_id", state.tree.pot_id)
    if state.last is not None and "pot_id" not in entered:
        entered.setdefault("pot_after", state.last.pot_after)
    roots = tuple(
        RootDone(label=label, action=decision.as_done, part=decision.cost)
        for label, decision in review.decided.items()
        if decision.action in CUTTING
    )
    try:
        return SessionFields.model_validate(
            {
                **entered,
                "kind": state.bench.kind,
                "done_on": state.day,
                "measurement_id": review.base.measurement.id if review.base else None,
                "roots": roots,
            }
        )
    except ValidationError as error:
        raise first_complaint(error) from None


def details_of(db: DbSession, state: BenchState, review: BenchReview) -> BenchDetails:
    """What the record keeps beyond the form: reasons, findings, unfinished work."""
    notes = {
        key: value
        for key, value in state.answers.items()
        if value is not None and ":" not in key and key not in ENTERED
    }
    # Findings on a root that is not marked any more have no root to belong to.
    standing = set(review.cases)
    return BenchDetails(
        decisions=review.decided,
        findings={label: finding for label, finding in state.findings.items() if label in standing},
        practice=state.practice,
        exposed_minutes=state.exposed_minutes,
        notes=notes,
        unfinished=tuple(unfinished(state, review)),
    )


def unfinished(state: BenchState, review: BenchReview) -> list[UnfinishedWork]:
    """What this session leaves for the next, each with a code and a sentence."""
    decided, answers = review.decided, state.answers
    left = [*_spared(review), *_halved(review), *_not_as_planned(state)]
    left += [
        UnfinishedWork(code="waits", text=f"Root {label} waits until {other} is decided.")
        for label, other in state.waits_on.items()
        if label not in decided or decided[label].cost == 0
    ]
    hours = answers.get("old_soil") or []
    if hours:
        text = ", ".join(str(hour) for hour in hours)
        left.append(UnfinishedWork(code="old_soil", text=f"Old soil stayed at {text} o'clock."))
    if answers.get("uneven_underside"):
        left.append(UnfinishedWork(code="underside", text="The underside is still uneven."))
    if answers.get("next_when"):
        left.append(UnfinishedWork(code="return", text=f"Return: {answers['next_when']}."))
    return left


def _not_as_planned(state: BenchState) -> list[UnfinishedWork]:
    """What the plan has for this session and nobody entered."""
    step, answers = state.planned, state.answers
    if step is None:
        return []
    left = []
    if step.slice_mm and answers.get("slice_mm") is None:
        text = f"The {step.slice_mm:.0f} mm planned off the underside were not noted."
        left.append(UnfinishedWork(code="planned", text=text))
    if step.side_trim_mm and answers.get("ball_length_after") is None:
        text = f"The {step.side_trim_mm} mm planned off each side were not noted."
        left.append(UnfinishedWork(code="planned", text=text))
    if step.grafts and not answers.get("graft_hours"):
        places = clock_list(work.azimuth_deg for work in step.grafts)
        noun = "graft" if len(step.grafts) == 1 else "grafts"
        text = f"Set the {noun} planned at {places}."
        left.append(UnfinishedWork(code="planned", text=text))
    return left


def _spared(review: BenchReview) -> list[UnfinishedWork]:
    """Roots left though something was wrong with them, and why."""
    spared = []
    for label, advice in review.advice.items():
        decision = review.decided.get(label)
        asked = advice.wanted or (advice.action if advice.action in CUTTING else None)
        if asked is None or (decision is not None and decision.cost > 0):
            continue
        held = "; ".join(reason.sentence for reason in advice.held_back)
        why = (decision.why if decision is not None else "") or held
        text = f"Root {label} was spared though {advice.reasons[0].sentence}"
        text = f"{text}{': ' + why if why else ''}."
        spared.append(UnfinishedWork(code="spared", root=label, text=text))
    return spared


def _halved(review: BenchReview) -> list[UnfinishedWork]:
    return [
        UnfinishedWork(
            code="halved", root=label, text=f"Root {label} was halved: the rest next time."
        )
        for label, decision in review.decided.items()
        if decision.action == "halve"
    ]
