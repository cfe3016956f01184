"""Values nobody can read: days that are none, words among numbers, bytes that are no text, and rows
that point at nothing. They are found in a database file, and taken out of one from elsewhere.

The columns' declared types are gone by, so that a database of any age can be looked at.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime

from mirvo.core.typed_values import plain_text
from mirvo.records.columns import FIRST_YEAR, LAST_YEAR, MOST

# What SQLite takes for a time and writes the same again is one; a year 0 is none to us.
DAY = "typeof({0}) != 'text' OR date({0}, '+0 days') IS NOT {0} OR substr({0}, 1, 4) < '0001'"
MOMENT = (
    "typeof({0}) != 'text' OR datetime({0}, '+0 days') IS NOT substr({0}, 1, 19) "
    f"OR substr({{0}}, 1, 4) NOT BETWEEN '{FIRST_YEAR}' AND '{LAST_YEAR}' "
    "OR (length({0}) != 19 AND substr({0}, 20) NOT GLOB '.[0-9][0-9][0-9][0-9][0-9][0-9]')"
)
WHOLE = "typeof({0}) NOT IN ('integer', 'real')"
NUMBER = f"{WHOLE} OR abs({{0}}) > {MOST}"
TEXT = "typeof({0}) != 'text'"
UNREADABLE = {"DATE": DAY, "DATETIME": MOMENT}
UNREADABLE |= dict.fromkeys(("INTEGER", "BOOLEAN"), WHOLE)
UNREADABLE |= dict.fromkeys(("FLOAT", "DOUBLE"), NUMBER)
UNREADABLE |= dict.fromkeys(("TEXT", "VARCHAR"), TEXT)
MOST_SHOWN = 40
LEFT_EMPTY, DATED, KEPT_IN_PART, LEFT_OUT = (
    "it is left empty",
    "it got the day of the backup",
    "what can be read of it is kept",
    "the row is left out",
)


@dataclass(frozen=True)
class Column:
    """A column as its table declares it. kind : its type without a length."""

    name: str
    kind: str
    required: bool

    @property
    def unreadable(self) -> str:
        """The condition in SQL that a value cannot be read."""
        quoted = f'"{self.name}"'
        return f"({quoted} IS NOT NULL AND ({UNREADABLE[self.kind].format(quoted)}))"


@dataclass(frozen=True)
class Unreadable:
    """One value. row : the row's number in its table."""

    table: str
    row: int
    column: Column
    value: object

    @property
    def words(self) -> str:
        raw = self.value
        shown = plain_text(raw.decode("utf-8", "replace") if isinstance(raw, bytes) else str(raw))
        shown = shown if len(shown) <= MOST_SHOWN else f"{shown[:MOST_SHOWN]}…"
        return f"{_said(self.table)}, row {self.row}, {_said(self.column.name)}: “{shown}”"


@dataclass(frozen=True)
class Astray:
    """A row that points at another that is not there. columns : those that point, by which it can
    be set loose; none where it cannot be without."""

    table: str
    row: int
    parent: str
    columns: tuple[str, ...]

    @property
    def words(self) -> str:
        pointed = f"what it points at in {_said(self.parent)} is not there"
        return f"{_said(self.table)}, row {self.row}: {pointed}"


def unreadable_values(kept: sqlite3.Connection) -> Iterator[Unreadable]:
    """Every value of a database that nobody can read."""
    for table in _tables(kept):
        columns = _columns(kept, table)
        if not columns:
            continue
        wrong = " OR ".join(column.unreadable for column in columns)
        rows = {row for (row,) in kept.execute(f'SELECT rowid FROM "{table}" WHERE {wrong}')}
        for row in sorted(rows | set(_undecodable(kept, table, columns))):
            yield from _of_row(kept, table, row, columns)


def rows_astray(kept: sqlite3.Connection) -> Iterator[Astray]:
    """Every row of a database that points at one not there."""
    for table, row, parent, link in kept.execute("PRAGMA foreign_key_check").fetchall():
        required = {column.name for column in _columns(kept, table) if column.required}
        links = kept.execute(f'PRAGMA foreign_key_list("{table}")').fetchall()
        columns = tuple(str(one[3]) for one in links if one[0] == link)
        loose = required.isdisjoint(columns) and any(one[6] == "SET NULL" for one in links)
        yield Astray(str(table), int(row), str(parent), columns if loose else ())


def take_out_unreadable(kept: sqlite3.Connection, made_at: datetime) -> list[str]:
    """Take out what nobody can read, each in words with what became of it.

    A value is left empty where it may be; a required moment becomes `made_at`, text what of it is
    text; else its row goes, and then all that points at it.
    """
    kept.execute("PRAGMA foreign_keys = OFF")
    told = [f"{one.words}; {_mend(kept, one, made_at)}" for one in list(unreadable_values(kept))]
    while astray := list(rows_astray(kept)):
        for one in astray:
            told.append(f"{one.words}; {_set_loose(kept, one)}")
    kept.commit()
    return told


def _mend(kept: sqlite3.Connection, found: Unreadable, made_at: datetime) -> str:
    value: object = None
    became = LEFT_EMPTY
    if isinstance(found.value, bytes) and UNREADABLE[found.column.kind] == TEXT:
        value, became = plain_text(found.value.decode("utf-8", "replace")), KEPT_IN_PART
    elif found.column.required and found.column.kind == "DATETIME":
        value, became = f"{made_at:%Y-%m-%d %H:%M:%S.%f}", DATED
    elif found.column.required:
        kept.execute(f'DELETE FROM "{found.table}" WHERE rowid = ?', (found.row,))
        return LEFT_OUT
    put = f'UPDATE "{found.table}" SET "{found.column.name}" = ? WHERE rowid = ?'
    try:
        kept.execute(put, (value, found.row))
    except sqlite3.IntegrityError:
        # What can be read of it may stand elsewhere, where there must be but one.
        kept.execute(f'DELETE FROM "{found.table}" WHERE rowid = ?', (found.row,))
        return LEFT_OUT
    return became


def _set_loose(kept: sqlite3.Connection, found: Astray) -> str:
    if not found.columns:
        kept.execute(f'DELETE FROM "{found.table}" WHERE rowid = ?', (found.row,))
        return LEFT_OUT
    puts = ", ".join(f'"{column}" = NULL' for column in found.columns)
    kept.execute(f'UPDATE "{found.table}" SET {puts} WHERE rowid = ?', (found.row,))
    return LEFT_EMPTY


def _of_row(
    kept: sqlite3.Connection, table: str, row: int, columns: list[Column]
) -> Iterator[Unreadable]:
    for column in columns:
        # As bytes, for text that is none cannot be read as text.
        asked = f'CAST("{column.name}" AS BLOB), typeof("{column.name}"), {column.unreadable}'
        raw, kind, wrong = kept.execute(
            f'SELECT {asked} FROM "{table}" WHERE rowid = ?', (row,)
        ).fetchone()
        if wrong or (kind == "text" and not _is_text(raw)):
            value = raw.decode() if kind != "blob" and _is_text(raw) else raw
            yield Unreadable(table, row, column, value)


def _undecodable(kept: sqlite3.Connection, table: str, columns: list[Column]) -> Iterator[int]:
    """Rows with text that is no text."""
    texts = [column for column in columns if UNREADABLE[column.kind] not in (NUMBER, WHOLE)]
    names = [f'"{column.name}"' for column in texts]
    if not names:
        return
    try:
        # Reading tells, and nearly always finds nothing.
        for _ in kept.execute(f'SELECT {", ".join(names)} FROM "{table}"'):
            pass
    except sqlite3.OperationalError:
        as_bytes = ", ".join(f"CAST({name} AS BLOB)" for name in names)
        for row, *raw in kept.execute(f'SELECT rowid, {as_bytes} FROM "{table}"'):
            if not all(one is None or _is_text(one) for one in raw):
                yield int(row)


def _is_text(raw: bytes) -> bool:
    try:
        raw.decode()
    except UnicodeDecodeError:
        return False
    return True


def _tables(kept: sqlite3.Connection) -> list[str]:
    found = kept.execute("SELECT name FROM sqlite_master WHERE type = 'table' ORDER BY name")
    return [
        str(name) for (name,) in found if '"' not in str(name) and not name.startswith("sqlite_")
    ]


def _columns(kept: sqlite3.Connection, table: str) -> list[Column]:
    found = []
    for _, name, declared, required, _, key in kept.execute(f'PRAGMA table_info("{table}")'):
        kind = str(declared).split("(")[0].upper()
        if kind in UNREADABLE and '"' not in str(name):
            found.append(Column(str(name), kind, bool(required or key)))
    return found


def _said(name: str) -> str:
    return name.replace("_", " ")
