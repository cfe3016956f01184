"""Entries: what is entered at the bench, one thing at a time.

An entry is a field of a step, a step done, a root decided or inspected. The browser gives each
entry its name, so that entries handed over again after a lost connection are kept once.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import func, select

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.rootwork.bench import Field, all_steps, fields_for
from mirvo.records.database import as_utc
from mirvo.records.models import BenchEntry, BenchPhoto, BenchSession, Photo, Tree
from mirvo.studio.bench_session.entered import checked_value
from mirvo.studio.bench_session.session import load_bench_session
from mirvo.studio.ground.context import Studio
from mirvo.studio.photos.intake import take_in
from mirvo.studio.records.aftercare import replan_care

# A whole session has fewer; more at once is no session.
MAX_ENTRIES = 500
NAME_LENGTH = 40
BUDS = "bud_stage"


@dataclass(frozen=True)
class Refused:
    """An entry that cannot be kept, and why."""

    id: str
    field: str
    message: str


@dataclass(frozen=True)
class SaveResult:
    """What became of entries: names of those kept (or known already), and those refused."""

    kept: list[str]
    refused: list[Refused]


def save_entries(
    studio: Studio, bench_id: int, entries: Any, sent_at: str | None = None
) -> SaveResult:
    """Keep entries, each once; one that cannot be used is refused with a sentence.

    sent_at : what the browser's clock said as it handed them over.

    Raises
    ------
    BadInput : this is no list of entries.
    """
    if not isinstance(entries, list) or len(entries) > MAX_ENTRIES:
        raise BadInput("entries", f"must be a list of at most {MAX_ENTRIES} entries")
    kept, refused = [], []
    with studio.writing() as db:
        bench = load_bench_session(db, bench_id)
        names = [_name_of(entry) for entry in entries]
        known = select(BenchEntry.id, BenchEntry.bench_session_id).where(BenchEntry.id.in_(names))
        owners = {row.id: row.bench_session_id for row in db.execute(known)}
        counted = select(func.count()).where(BenchEntry.bench_session_id == bench_id)
        number = db.scalar(counted) or 0
        fields = fields_for(bench.kind)
        for name, entry in zip(names, entries, strict=True):
            # Handed over again after a lost answer: it is here already.
            if owners.get(name) == bench_id:
                kept.append(name)
                continue
            try:
                if name in owners:
                    raise BadInput("entries", "this was entered in another session")
                if bench.closed_at is not None:
                    raise BadInput("session", "this session is closed; open its record to see it")
                row = _checked(studio, bench, fields, entry, number, sent_at)
            except (BadInput, NotFound) as error:
                refused.append(Refused(name, error.field, error.message))
                continue
            db.add(row)
            if row.field == BUDS:
                # What is seen at the bench is seen everywhere: one season, not two.
                tree = db.get_one(Tree, bench.tree_id)
                tree.buds_seen = str(row.value or "")
                tree.buds_seen_on = studio.today if row.value else None
                replan_care(db, tree, studio.today)
            owners[name], number = bench_id, number + 1
            kept.append(name)
    return SaveResult(kept, refused)


def _name_of(entry: Any) -> str:
    name = entry.get("id") if isinstance(entry, dict) else None
    if not isinstance(name, str) or not 8 <= len(name) <= NAME_LENGTH:
        raise BadInput("entries", f"every entry needs a name of 8 to {NAME_LENGTH} letters")
    return name


def _checked(
    studio: Studio,
    bench: BenchSession,
    fields: dict[str, Field],
    entry: dict[str, Any],
    number: int,
    sent_at: str | None,
) -> BenchEntry:
    field = str(entry.get("field", ""))
    value = checked_value(fields, field, entry.get("value"))
    return BenchEntry(
        id=_name_of(entry),
        bench_session_id=bench.id,
        number=number,
        field=field,
        value=value,
        entered_at=_moment(studio.now, entry.get("at"), sent_at, as_utc(bench.begun_at)),
    )


def _moment(now: datetime, entered_at: Any, sent_at: Any, begun_at: datetime) -> datetime:
    """When something was entered, by the server's clock.

    A browser's clock may be hours off or turned back; how long ago by it something was entered
    is true all the same. Without that the browser's own time stands, and what cannot be read is
    now.
    """
    entered, sent = _read_moment(entered_at), _read_moment(sent_at)
    if entered is None:
        return now
    if sent is None:
        return entered
    # Nothing is entered before its session is begun, nor after it is here.
    return min(max(now - (sent - entered), begun_at), now)


def _read_moment(text: Any) -> datetime | None:
    """A moment with its zone; None where none can be read."""
    try:
        moment = datetime.fromisoformat(str(text).replace("Z", "+00:00"))
        # A clock without a zone could be hours off.
        return as_utc(moment.astimezone(UTC)) if moment.tzinfo else None
    except (ValueError, OverflowError):
        return None


def keep_photo(
    studio: Studio, bench_id: int, name: str, step: str, file_name: str, content: bytes
) -> Photo:
    """Keep a photo taken at a step, once by its name. Raises BadInput."""
    _name_of({"id": name})
    with studio.reading() as db:
        bench = load_bench_session(db, bench_id)
        known = db.get(BenchPhoto, name)
        if known is not None and known.bench_session_id != bench_id:
            raise BadInput("photo", "this photo was taken in another session")
        if known is not None:
            kept = db.get(Photo, known.photo_id)
            if kept is not None:
                return kept
        steps = [step.key for step in all_steps(bench.kind)]
    if step not in steps:
        raise BadInput("step", "this session has no such step")
    kind = "top" if step in ("inspect", "decide") else "before" if step == "prepare" else "other"
    # The very photo may be here from before; then that one belongs to the step.
    [taken] = take_in(studio, bench.tree_id, [(file_name, content)], kind, bench.session_id)
    photo = taken.photo or taken.known
    if photo is None:
        raise BadInput("photo", taken.refused or "this is no photo")
    with studio.writing() as db:
        db.add(BenchPhoto(id=name, bench_session_id=bench_id, photo_id=photo.id, step=step))
    return photo
