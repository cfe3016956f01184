"""What was deleted lately or set aside, where it can be read, put right and put back.

Deleted rows are kept for 30 days. Entries that no way in would take stay until somebody decides.
"""

from __future__ import annotations

import json
import sqlite3
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from pathlib import Path
from typing import Any

from sqlalchemy import select

from mirvo.core.errors import BadInput, Conflict, NotFound
from mirvo.core.typed_values import read_day, read_number
from mirvo.records.columns import plain_type
from mirvo.records.database import DbSession
from mirvo.records.documents import SeasonSeen
from mirvo.records.limits import complaint_of
from mirvo.records.models import SetAside, Table
from mirvo.records.set_aside import (
    BEYOND_LIMITS,
    DELETED,
    Taken,
    gather,
    put_in_again,
    value_from_json,
)
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import put_yard, yard_of

KEPT_DAYS = 30
# What is kept of a note of a season, and of another studio's file.
SEASON, OTHERS = "season", "others"
MAX_SHOWN = 200


@dataclass(frozen=True)
class Aside:
    """One entry that is out of the records.

    column, value : of the value that is wrong with it, "" for an entry that was deleted. until :
    last day to put a deleted one back, None for one that stays until it is decided. parts : how
    many entries go back with it.
    """

    number: int
    label: str
    sentence: str
    column: str
    value: str
    on: date
    until: date | None
    parts: int


def keep_deleted(db: DbSession, now: datetime, row: Table, label: str) -> None:
    """Delete a row; for 30 days it can be put back with all that hangs on it."""
    db.flush()
    taken = gather(driver(db), row.__tablename__, int(row.id))  # type: ignore[attr-defined]
    _note(db, now, row.__tablename__, int(row.id), label, rows=taken.as_json())  # type: ignore[attr-defined]
    db.delete(row)


def keep_deleted_value(db: DbSession, now: datetime, kind: str, value: Any, label: str) -> None:
    """Note something deleted that is no row of its own. kind : SEASON or OTHERS."""
    _note(db, now, kind, 0, label, value=json.dumps(value))


def _note(
    db: DbSession,
    now: datetime,
    table: str,
    row: int,
    label: str,
    value: str = "null",
    rows: str = "null",
) -> None:
    note = SetAside(why=DELETED, table_name=table, row_number=row, label=label[:200])
    note.value, note.rows, note.set_aside_at = value, rows, now
    db.add(note)


def deleted(db: DbSession) -> list[Aside]:
    """What was deleted in the last 30 days, the latest first."""
    return _listed(db, DELETED)


def beyond_limits(db: DbSession) -> list[Aside]:
    """What was set aside because it could not be, the latest first."""
    return _listed(db, BEYOND_LIMITS)


def _listed(db: DbSession, why: str) -> list[Aside]:
    query = select(SetAside).where(SetAside.why == why).order_by(SetAside.id.desc())
    return [_aside(note) for note in db.scalars(query.limit(MAX_SHOWN))]


def _aside(note: SetAside) -> Aside:
    column, value, parts = note.column_name, note.value, 1
    try:
        if note.rows != "null":
            taken = Taken.from_json(note.rows)
            parts = len(taken.rows)
            value = json.dumps(taken.rows[0][2].get(column))
        shown = value_from_json(value)
    except (ValueError, TypeError, KeyError, IndexError):
        shown = value
    on = note.set_aside_at.date()
    until = on + timedelta(days=KEPT_DAYS) if note.why == DELETED else None
    said = "" if shown is None else str(shown)[:80]
    return Aside(note.id, note.label, note.sentence, column, said, on, until, parts)


def put_back(studio: Studio, number: int, typed: str = "") -> str:
    """Put an entry back; its label. typed : the right value for the one that is wrong.

    Raises
    ------
    NotFound : there is no such entry. BadInput : the value still cannot be. Conflict : another
    entry has taken its place.
    """
    with studio.writing() as db:
        note = db.get(SetAside, number)
        if note is None:
            raise NotFound("set_aside", "This is not here any more.")
        label = note.label
        if note.table_name == OTHERS:
            _file_back(studio, note)
        elif note.table_name == SEASON:
            _season_back(db, note)
        else:
            _row_back(db, studio, note, typed)
        db.delete(note)
        # Lists and plans of all trees are worked out anew.
        put_yard(db, version=yard_of(db).version + 1)
    return label


def _row_back(db: DbSession, studio: Studio, note: SetAside, typed: str) -> None:
    aside = _aside(note)
    right: dict[str, Any] = {}
    if note.why == BEYOND_LIMITS:
        right = {aside.column: _read(note.table_name, aside.column, typed, studio.today)}
    db.flush()
    kept = driver(db)
    try:
        if note.rows != "null":
            put_in_again(kept, Taken.from_json(note.rows), right)
        else:
            _put_value(kept, note, right[aside.column])
    except sqlite3.IntegrityError as error:
        raise BadInput("value", f"This value cannot stand here: {error}.") from None
    except (ValueError, TypeError, KeyError, IndexError):
        raise BadInput("value", "This entry cannot be read. It is kept as it is.") from None
    db.expire_all()


def _put_value(kept: sqlite3.Connection, note: SetAside, value: Any) -> None:
    table = Table.metadata.tables.get(note.table_name)
    if table is None or note.column_name not in table.columns:
        raise ValueError(note.table_name)
    changed = kept.execute(
        f'UPDATE "{table.name}" SET "{note.column_name}" = ? WHERE rowid = ?',  # noqa: S608 # names of this Mirvo's own tables
        (value, note.row_number),
    )
    if not changed.rowcount:
        raise Conflict("value", "The entry it belongs to is not there any more.")


def _read(table: str, column: str, typed: str, today: date) -> Any:
    """A typed value as its column keeps it. Raises BadInput."""
    known = Table.metadata.tables.get(table)
    if known is None or column not in known.columns:
        raise BadInput(
            "value", "This entry belongs to no table of this Mirvo. It is kept as it is."
        )
    kind = plain_type(known.columns[column].type).python_type
    text = typed.strip()
    value: Any = text
    if not text:
        raise BadInput("value", "Enter the right value.")
    if kind is date:
        day = read_day(text, today)
        if day is None:
            raise BadInput("value", f"“{text[:40]}” is no day; write it as 12 mar 2026")
        value = day.isoformat()
    elif kind in (int, float):
        number = read_number(text.removeprefix("-"))
        if number is None:
            raise BadInput("value", "Please give a number, such as 42 or 42.5.")
        value = kind(-number if text.startswith("-") else number)
    said = complaint_of(table, column, value, today)
    if said is not None:
        raise BadInput("value", said)
    return value


def _season_back(db: DbSession, note: SetAside) -> None:
    seen = SeasonSeen.model_validate(value_from_json(note.value))
    others = [one for one in yard_of(db).seasons_seen or () if one != seen]
    listed = sorted([*others, seen], key=lambda one: (one.seen_on, one.name))
    put_yard(db, seasons_seen=tuple(listed))


def _file_back(studio: Studio, note: SetAside) -> None:
    name = Path(str(value_from_json(note.value))).name
    place = studio.folder / OTHERS / name
    gone = place.with_name(f"{name}.{DELETED}")
    if not gone.is_file():
        raise NotFound("others", "This file is not here any more.")
    if place.exists():
        raise Conflict("others", "A newer file of the same studio is here. Delete that one first.")
    gone.rename(place)


def leave_out(studio: Studio, number: int) -> None:
    """Decide that an entry stays out; for 30 days more it can be put back. Raises NotFound."""
    with studio.writing() as db:
        note = db.get(SetAside, number)
        if note is None:
            raise NotFound("set_aside", "This is not here any more.")
        note.why, note.set_aside_at = DELETED, studio.now


def forget_old(db: DbSession, studio: Studio, before: datetime) -> None:
    """Remove for good what was deleted before a moment."""
    query = select(SetAside).where(SetAside.why == DELETED, SetAside.set_aside_at < before)
    for note in db.scalars(query):
        if note.table_name == OTHERS:
            # The last part alone: a note from elsewhere may name any place.
            name = Path(str(value_from_json(note.value))).name
            (studio.folder / OTHERS / f"{name}.{DELETED}").unlink(missing_ok=True)
        db.delete(note)


def driver(db: DbSession) -> sqlite3.Connection:
    """The driver's own connection, within the transaction of a session."""
    connection = db.connection().connection.driver_connection
    if not isinstance(connection, sqlite3.Connection):
        raise TypeError("this is no connection of SQLite")
    return connection
