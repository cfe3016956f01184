"""A yard of any size, made from the shapes of a small one: to see what pages cost in a large one.

    python -m tools.large_yard SOURCE TARGET [TIMES]

SOURCE is a data folder, the demo's for one; TARGET becomes a data folder in which each of its
trees stands TIMES times (100), with its measured photos and sessions several times over twenty
years. With the demo yard that is more than a thousand trees. Pictures are shared: rows point at
the same originals.
"""

from __future__ import annotations

import shutil
import sqlite3
import sys
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import Column, Table
from sqlalchemy import Integer as WholeNumber

from mirvo.records import models

TIMES = 100
# Who is shown what is up to people.
SHOWN = ("guest_trees", "shared_trees")
# What is there once, however many trees there are.
SHELF = ("soil_components", "soil_recipes", "supplies", "figure_changes")
OTHERS = ("foreign_rows", "shared_experience", "api_tokens")
OF_THE_YARD = (
    "yard",
    "state_versions",
    "eye_checks",
    "night_minima",
    "people",
    "sign_ins",
    *SHOWN,
    *SHELF,
    *OTHERS,
)
DAYS = ("taken_on", "measured_on", "done_on")
PHOTOS_APART, SESSIONS_APART = 140, 6 * 365
OF_PHOTOS = ("photos", "measurements")
OF_SESSIONS = ("root_sessions", "cut_decisions", "root_findings")


@dataclass(frozen=True)
class Spread:
    """How many times over the years a measured photo, its measurement (from above, where roots
    are marked, and from the side) and a session stand."""

    photos: int = 16
    from_above: int = 16
    from_the_side: int = 6
    sessions: int = 3


TWENTY_YEARS = Spread()


def tables() -> list[Table]:
    """All that belongs to trees, what others point at first."""
    return [one for one in models.Table.metadata.sorted_tables if one.name not in OF_THE_YARD]


def multiply(db: sqlite3.Connection, times: int) -> None:
    """Each tree and all that belongs to it, `times` times."""
    steps = {table.name: _next_number(db, table) for table in tables()}
    for time in range(1, times):
        for table in tables():
            _copy(db, table, [_renumbered(column, time, steps) for column in table.columns])


def spread_over_years(db: sqlite3.Connection, spread: Spread) -> None:
    """Measured photos and sessions more often, each time earlier than the one before."""
    by_name = {table.name: table for table in tables()}
    steps = {name: _next_number(db, by_name[name]) for name in (*OF_PHOTOS, *OF_SESSIONS)}
    measured = f"id IN (SELECT photo_id FROM measurements WHERE id < {steps['measurements']})"
    for name, times, chosen, moved, days in (
        ("photos", spread.photos, measured, OF_PHOTOS, PHOTOS_APART),
        ("measurements", spread.from_above, "view = 'top'", OF_PHOTOS, PHOTOS_APART),
        ("measurements", spread.from_the_side, "view = 'side'", OF_PHOTOS, PHOTOS_APART),
        *((name, spread.sessions, "1", OF_SESSIONS, SESSIONS_APART) for name in OF_SESSIONS),
    ):
        for time in range(1, times):
            given = [
                _earlier(column, time, days, {one: steps[one] for one in moved})
                for column in by_name[name].columns
            ]
            _copy(db, by_name[name], given, f"id < {steps[name]} AND {chosen}")


def _next_number(db: sqlite3.Connection, table: Table) -> int:
    key = next(iter(table.primary_key.columns))
    if not isinstance(key.type, WholeNumber):
        return 0
    # A table that goes by its tree's number is renumbered as trees are.
    name = table.name if not key.foreign_keys else "trees"
    [[most]] = db.execute(f"SELECT coalesce(max(id), 0) FROM {name}")
    return int(most) + 1


def _copy(db: sqlite3.Connection, table: Table, given: list[str], where: str = "1") -> None:
    names = ", ".join(f'"{column.name}"' for column in table.columns)
    within = f"SELECT {', '.join(given)} FROM {table.name} WHERE {_first_of(table)} AND {where}"
    db.execute(f"INSERT INTO {table.name} ({names}) {within}")


def _first_of(table: Table) -> str:
    """Only the rows that were there before anything was copied."""
    return f"rowid <= (SELECT upto FROM temp.before WHERE name = '{table.name}')"


def _renumbered(column: Column[object], time: int, steps: dict[str, int]) -> str:
    name = f'"{column.name}"'
    points_at = next((key.column.table.name for key in column.foreign_keys), column.table.name)
    if column.primary_key or column.foreign_keys:
        if not isinstance(column.type, WholeNumber):
            return f"{name} || '-{time}'"
        # What the whole yard shares stays what it is.
        return f"{name} + {time * steps[points_at]}" if points_at in steps else name
    if column.table.name == "trees" and column.name == "name":
        return f"{name} || ' {time + 1}'"
    return name


def _earlier(column: Column[object], time: int, days: int, steps: dict[str, int]) -> str:
    name = f'"{column.name}"'
    points_at = next((key.column.table.name for key in column.foreign_keys), "")
    moved = column.table.name if column.primary_key else points_at
    if moved in steps:
        return f"{name} + {time * steps[moved]}"
    if column.name == "digest":
        # A tree holds a picture once, so a copy must seem another one.
        return f"substr({name}, 1, 60) || printf('%04x', {time})"
    if column.name in DAYS:
        return f"date({name}, '-{time * days} days')"
    return name


def remember(db: sqlite3.Connection) -> None:
    """How far each table goes now, for `_first_of`."""
    db.execute("CREATE TEMP TABLE IF NOT EXISTS before (name TEXT PRIMARY KEY, upto INTEGER)")
    for table in tables():
        db.execute(
            f"INSERT OR REPLACE INTO temp.before "
            f"SELECT '{table.name}', coalesce(max(rowid), 0) FROM {table.name}"
        )


def make(source: Path, target: Path, times: int = TIMES, spread: Spread = TWENTY_YEARS) -> None:
    """Copy a data folder and make its yard as large as wished."""
    shutil.copytree(source, target)
    file = target / "mirvo.sqlite3"
    with sqlite3.connect(file) as db:
        db.execute("PRAGMA foreign_keys = OFF")
        remember(db)
        spread_over_years(db, spread)
        remember(db)
        multiply(db, times)
        db.execute("ANALYZE")


def main(source: str, target: str, times: str = str(TIMES)) -> None:
    make(Path(source), Path(target), int(times))


if __name__ == "__main__":
    main(*sys.argv[1:])
