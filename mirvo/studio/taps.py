"""Taps: what is entered at the bench, one thing at a time.

A tap is a field of a step, a step done, a root decided or inspected. The browser gives each
tap its name, so that taps handed over again after a lost connection are kept once.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import func, select

from mirvo.core.errors import BadInput
from mirvo.core.rootwork.bench import fields_for, steps_for
from mirvo.core.rootwork.cases import ACTIONS
from mirvo.records.database import as_utc, reading, writing
from mirvo.records.models import Photo, Tap, Visit, VisitPhoto
from mirvo.studio.context import Studio
from mirvo.studio.photos import take_in
from mirvo.studio.visits import load_visit

MOST_TAPS = 500
NAME_LENGTH = 40
CONDITIONS = ("sound", "weak", "dead")
HEIGHTS = ("above", "on", "below")
MOST_WORDS = 300


@dataclass(frozen=True)
class Handed:
    """What became of handed-over taps: names kept (or known already), and those refused."""

    kept: list[str]
    refused: list[dict[str, str]]


def keep_taps(studio: Studio, visit_id: int, taps: Any) -> Handed:
    """Keep taps, each once; one that cannot be used is refused with a sentence.

    Raises
    ------
    BadInput : this is no list of taps.
    """
    if not isinstance(taps, list) or len(taps) > MOST_TAPS:
        raise BadInput("taps", f"must be a list of at most {MOST_TAPS} taps")
    kept, refused = [], []
    with writing(studio.engine) as unit:
        visit = load_visit(unit, visit_id)
        names = [_name_of(tap) for tap in taps]
        found = unit.execute(select(Tap.id, Tap.visit_id).where(Tap.id.in_(names)))
        owners = {row.id: row.visit_id for row in found}
        number = unit.scalar(select(func.count()).where(Tap.visit_id == visit_id)) or 0
        fields = fields_for(visit.kind)
        for name, tap in zip(names, taps, strict=True):
            if owners.get(name) == visit_id:
                kept.append(name)
                continue
            try:
                if name in owners:
                    raise BadInput("taps", "this was tapped in another session")
                if visit.closed_at is not None:
                    raise BadInput("visit", "this session is closed; open its record to see it")
                row = _checked(studio, visit, fields, tap, number)
            except BadInput as error:
                refused.append({"id": name, "field": error.field, "message": error.message})
                continue
            unit.add(row)
            owners[name], number = visit_id, number + 1
            kept.append(name)
    return Handed(kept, refused)


def _name_of(tap: Any) -> str:
    name = tap.get("id") if isinstance(tap, dict) else None
    if not isinstance(name, str) or not 8 <= len(name) <= NAME_LENGTH:
        raise BadInput("taps", "every tap needs a name of 8 to 40 letters")
    return name


def _checked(
    studio: Studio, visit: Visit, fields: dict[str, Any], tap: dict[str, Any], number: int
) -> Tap:
    field, value = str(tap.get("field", "")), tap.get("value")
    prefix, _, rest = field.partition(":")
    if field in fields:
        value = fields[field].check(value)
    elif prefix in CHECKS and rest and len(rest) <= 20:
        value = CHECKS[prefix](field, value)
    else:
        raise BadInput(field, "this session does not ask for that")
    return Tap(
        id=_name_of(tap),
        visit_id=visit.id,
        number=number,
        field=field,
        value=value,
        tapped_at=_moment(studio, tap.get("at")),
    )


def _moment(studio: Studio, said: Any) -> datetime:
    """When it was tapped by the browser's clock; the server's own when that cannot be read."""
    try:
        moment = datetime.fromisoformat(str(said).replace("Z", "+00:00"))
        return as_utc(moment.astimezone(UTC)) if moment.tzinfo else studio.now
    except (ValueError, OverflowError):
        return studio.now


def _check_done(field: str, value: Any) -> bool:
    if not isinstance(value, bool):
        raise BadInput(field, "a step is done or not")
    return value


def _check_decision(field: str, value: Any) -> dict[str, Any] | None:
    if value is None:
        return None
    if not isinstance(value, dict) or value.get("action") not in ACTIONS:
        raise BadInput(field, f"must be one of {', '.join(ACTIONS)}")
    part = value.get("part", 0.5)
    if not isinstance(part, (int, float)) or not 0 <= part <= 1:
        raise BadInput(field, "the part cut off must lie between 0 and 1")
    why = str(value.get("why", ""))[:MOST_WORDS]
    return {"action": value["action"], "part": float(part), "why": why}


def _check_findings(field: str, value: Any) -> dict[str, Any] | None:
    if value is None:
        return None
    if not isinstance(value, dict):
        raise BadInput(field, "must name what was found of the root")
    found: dict[str, Any] = {}
    if value.get("feeders") is not None:
        if value["feeders"] not in (0, 1, 2, 3):
            raise BadInput(field, "fine roots are given as 0 to 3")
        found["feeders"] = value["feeders"]
    for key, known in (("condition", CONDITIONS), ("height", HEIGHTS)):
        if value.get(key) is not None:
            if value[key] not in known:
                raise BadInput(field, f"'{value[key]}' is not one of {', '.join(known)}")
            found[key] = value[key]
    if value.get("feeds") is not None:
        named = value["feeds"]
        if not isinstance(named, list) or not all(isinstance(one, str) for one in named):
            raise BadInput(field, "what it feeds must be a list of names")
        found["feeds"] = [one.strip()[:40] for one in named if one.strip()][:12]
    return found


def _check_word(field: str, value: Any) -> str | None:
    if value is None or value == "":
        return None
    if not isinstance(value, str) or len(value) > MOST_WORDS:
        raise BadInput(field, f"must be at most {MOST_WORDS} letters")
    return value


CHECKS = {
    "done": _check_done,
    "root": _check_decision,
    "seen": _check_findings,
    "waits": _check_word,
}


def keep_photo(
    studio: Studio, visit_id: int, name: str, step: str, file_name: str, content: bytes
) -> Photo:
    """Keep a photo taken at a step, once by its name. Raises BadInput."""
    _name_of({"id": name})
    with reading(studio.engine) as unit:
        visit = load_visit(unit, visit_id)
        known = unit.get(VisitPhoto, name)
        if known is not None and known.visit_id != visit_id:
            raise BadInput("photo", "this photo was taken in another session")
        if known is not None:
            kept = unit.get(Photo, known.photo_id)
            if kept is not None:
                return kept
        steps = [one.key for one in steps_for({"kind": visit.kind})]
    if step not in steps:
        raise BadInput("step", "this session has no such step")
    kind = "top" if step in ("inspect", "decide") else "before" if step == "prepare" else "other"
    [taken] = take_in(studio, visit.tree_id, [(file_name, content)], kind, visit.session_id)
    photo = taken.photo or taken.known
    if photo is None:
        raise BadInput("photo", taken.refused or "this is no photo")
    with writing(studio.engine) as unit:
        unit.add(VisitPhoto(id=name, visit_id=visit_id, photo_id=photo.id, step=step))
    return photo
