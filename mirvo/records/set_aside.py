"""Taking rows out of their tables without losing them, and putting them back.

A row is taken with every row that hangs on it. Where others merely name it, they name nothing
meanwhile; putting it back makes them name it again. Works on a database of any version, by what its
tables declare.
"""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from mirvo.core.errors import BadInput, Conflict

TABLE = "set_aside"
DELETED, BEYOND_LIMITS = "deleted", "limits"
# Who may come in; no entry that lay aside says so.
OF_ACCESS = frozenset(("people", "sign_ins", "guest_trees", "shared_trees", "api_tokens", TABLE))
# Bytes as JSON has none.
BYTES = "base16"
NOTE_COLUMNS = ("why", "table_name", "row_number", "column_name", "value", "rows", "label")

# A row by its columns, as it is laid aside.
Row = dict[str, Any]


@dataclass(frozen=True)
class Link:
    """A row that named another. column : by which it did, value : what stood there."""

    table: str
    row: int
    column: str
    value: Any


@dataclass(frozen=True)
class Taken:
    """Rows taken out, each after those it hangs on, and what named them."""

    rows: tuple[tuple[str, int, Row], ...]
    links: tuple[Link, ...]

    def as_json(self) -> str:
        rows = [[table, row, values] for table, row, values in self.rows]
        links = [[link.table, link.row, link.column, link.value] for link in self.links]
        return json.dumps({"rows": rows, "links": links}, default=_bytes_as_json)

    @classmethod
    def from_json(cls, text: str) -> Taken:
        found = json.loads(text, object_hook=_bytes_from_json)
        rows = tuple((str(table), int(row), dict(values)) for table, row, values in found["rows"])
        return cls(rows, tuple(Link(*link) for link in found["links"]))


def take_out(kept: sqlite3.Connection, table: str, row: int) -> Taken:
    """Take a row out with all that hangs on it."""
    taken = gather(kept, table, row)
    for link in taken.links:
        kept.execute(
            f'UPDATE "{link.table}" SET "{link.column}" = NULL WHERE rowid = ?', (link.row,)
        )
    for name, number, _ in reversed(taken.rows):
        kept.execute(f'DELETE FROM "{name}" WHERE rowid = ?', (number,))
    return taken


def gather(kept: sqlite3.Connection, table: str, row: int) -> Taken:
    """A row with all that hangs on it, and what names it; nothing is changed."""
    rows: dict[tuple[str, int], Row] = {}
    links: list[Link] = []
    _gather(kept, table, row, rows, links)
    loose = [link for link in links if (link.table, link.row) not in rows]
    return Taken(tuple((name, number, rows[name, number]) for name, number in rows), tuple(loose))


def put_in_again(kept: sqlite3.Connection, taken: Taken, changed: Mapping[str, Any]) -> None:
    """Put rows back where they stood. changed : values of the first row that are put right.

    Raises
    ------
    Conflict : another row has taken its place. BadInput : a value still cannot be.
    """
    tables = _tables(kept)
    named = {table for table, _, _ in taken.rows} | {link.table for link in taken.links}
    # Nobody is let in by an entry of a backup.
    if (
        named & OF_ACCESS
        or not named <= tables.keys()
        or not changed.keys() <= tables[taken.rows[0][0]]
    ):
        raise BadInput("", "This entry belongs to no table of this Mirvo. It is kept as it is.")
    kept.execute("SAVEPOINT putting_back")
    try:
        for place, (table, row, values) in enumerate(taken.rows):
            known = tables[table]
            said = {name: value for name, value in values.items() if name in known}
            said |= changed if place == 0 else {}
            if "rowid" not in said and "id" not in said:
                said = {"rowid": row, **said}
            names = ", ".join(f'"{name}"' for name in said)
            marks = ", ".join("?" for _ in said)
            kept.execute(f'INSERT INTO "{table}" ({names}) VALUES ({marks})', tuple(said.values()))
        for link in taken.links:
            if link.column not in tables[link.table]:
                continue
            kept.execute(
                f'UPDATE "{link.table}" SET "{link.column}" = ? '
                f'WHERE rowid = ? AND "{link.column}" IS NULL',
                (link.value, link.row),
            )
    except sqlite3.IntegrityError as error:
        kept.execute("ROLLBACK TO putting_back")
        kept.execute("RELEASE putting_back")
        if "CHECK" in str(error):
            raise BadInput("", "A value of it still cannot be. Put that right first.") from None
        raise Conflict("", "Another entry has taken its place. Rename that one first.") from None
    kept.execute("RELEASE putting_back")


def note_rows(
    kept: sqlite3.Connection,
    taken: Taken,
    why: str,
    label: str,
    sentence: str,
    now: datetime,
    column: str = "",
) -> int:
    """Keep rows that were taken out; the number they are kept under. column : of the first row,
    whose value is wrong."""
    table, row, _ = taken.rows[0]
    return _note(kept, (why, table, row, column, "null", taken.as_json(), label), sentence, now)


def note_value(
    kept: sqlite3.Connection,
    place: tuple[str, int, str],
    value: object,
    label: str,
    sentence: str,
    now: datetime,
) -> int:
    """Keep one value that was replaced. place : table, row, column."""
    text = json.dumps(value, default=_bytes_as_json)
    return _note(kept, (BEYOND_LIMITS, *place, text, "null", label), sentence, now)


def _note(kept: sqlite3.Connection, values: tuple[Any, ...], sentence: str, now: datetime) -> int:
    names = ", ".join((*NOTE_COLUMNS, "sentence", "set_aside_at"))
    moment = f"{now:%Y-%m-%d %H:%M:%S.%f}"
    made = kept.execute(
        f"INSERT INTO {TABLE} ({names}) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
        (*values[:6], str(values[6])[:200], sentence[:300], moment),
    )
    return int(made.lastrowid or 0)


def beyond_limits_aside(kept: sqlite3.Connection) -> list[str]:
    """What was set aside because it could not be, each in words."""
    asked = f"SELECT label, sentence FROM {TABLE} WHERE why = ? ORDER BY id"
    found = kept.execute(asked, (BEYOND_LIMITS,)).fetchall()
    return [f"{label}: {sentence} It is set aside." for label, sentence in found]


def value_from_json(text: str) -> Any:
    """A value as it was kept."""
    return json.loads(text, object_hook=_bytes_from_json)


def _gather(
    kept: sqlite3.Connection,
    table: str,
    row: int,
    rows: dict[tuple[str, int], Row],
    links: list[Link],
) -> None:
    if (table, row) in rows:
        return
    read = kept.execute(f'SELECT * FROM "{table}" WHERE rowid = ?', (row,))
    names = [column[0] for column in read.description]
    found = read.fetchone()
    if found is None:
        return
    values = dict(zip(names, found, strict=True))
    rows[table, row] = values
    for other, column, target, on_delete in _pointing_at(kept, table):
        wanted = values.get(target) if target in values else row
        pointing = kept.execute(f'SELECT rowid FROM "{other}" WHERE "{column}" = ?', (wanted,))
        for (number,) in pointing.fetchall():
            if on_delete == "CASCADE":
                _gather(kept, other, number, rows, links)
            else:
                links.append(Link(other, number, column, wanted))


def _pointing_at(kept: sqlite3.Connection, table: str) -> Iterator[tuple[str, str, str, str]]:
    """Columns of other tables that point at a table: table, column, what at, and what happens."""
    for name in _tables(kept):
        for link in kept.execute(f'PRAGMA foreign_key_list("{name}")').fetchall():
            if link[2] == table:
                yield name, link[3], link[4] or "id", link[6]


def _tables(kept: sqlite3.Connection) -> dict[str, set[str]]:
    """Columns of each table by name. Names that are no plain words are left out."""
    named = kept.execute("SELECT name FROM sqlite_master WHERE type = 'table' ORDER BY name")
    return {
        name: {column[1] for column in kept.execute(f'PRAGMA table_info("{name}")')}
        for (name,) in named.fetchall()
        if name.isidentifier() and not name.startswith("sqlite_")
    }


def _bytes_as_json(value: object) -> Any:
    if isinstance(value, bytes):
        return {BYTES: value.hex()}
    raise TypeError(f"cannot be kept as JSON: {type(value)}")


def _bytes_from_json(found: Row) -> Any:
    return bytes.fromhex(found[BYTES]) if set(found) == {BYTES} else found
