"""A yard of any size, made from the shapes of a small one: to see what pages cost in a large one.

    python -m tools.large_yard SOURCE TARGET [TIMES] [PHOTOS]

SOURCE is a data folder, the demo's for one; TARGET becomes a data folder in which each of its
trees stands TIMES times (100), with each measured photo PHOTOS times (8) over the years. With the
demo yard that is a thousand trees. Pictures are shared: rows point at the same originals.
"""

from __future__ import annotations

import shutil
import sqlite3
import sys
from pathlib import Path

from sqlalchemy import Column, Table
from sqlalchemy import Integer as WholeNumber

from mirvo.records import models

TIMES, PHOTOS = 100, 8
# Who is shown what is up to people.
SHOWN = ("guest_trees", "shared_trees")
# What is there once, however many trees there are.
SHELF = ("soil_components", "soil_recipes", "supplies", "figure_changes")
OTHERS = ("foreign_rows", "shared_experience", "api_tokens")
OF_THE_YARD = ("yard", "eye_checks", "night_minima", "people", "sign_ins", *SHOWN, *SHELF, *OTHERS)
DAYS_APART = 140
DATES = ("taken_on", "measured_on", "created_at", "updated_at")


def tables() -> list[Table]:
    """All that belongs to trees, what others point at first."""
    return [one for one in models.Table.metadata.sorted_tables if one.name not in OF_THE_YARD]


def multiply(db: sqlite3.Connection, times: int) -> None:
    """Each tree and all that belongs to it, `times` times."""
    steps = {table.name: _next_number(db, table) for table in tables()}
    for time in range(1, times):
        for table in tables():
            _copy(db, table, [_renumbered(column, time, steps) for column in table.columns])


def spread_over_years(db: sqlite3.Connection, times: int) -> None:
    """Each measured photo `times` times, each earlier than the one before."""
    by_name = {table.name: table for table in tables()}
    photos, measurements = by_name["photos"], by_name["measurements"]
    steps = {one.name: _next_number(db, one) for one in (photos, measurements)}
    measured = "id IN (SELECT photo_id FROM measurements WHERE id < {})"
    for time in range(1, times):
        for table, chosen in (
            (photos, measured.format(steps["measurements"]) + f" AND id < {steps['photos']}"),
            (measurements, f"id < {steps['measurements']}"),
        ):
            given = [_earlier(column, time, steps) for column in table.columns]
            _copy(db, table, given, chosen)


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


def _earlier(column: Column[object], time: int, steps: dict[str, int]) -> str:
    name = f'"{column.name}"'
    own = column.primary_key or (column.table.name, column.name) == ("measurements", "photo_id")
    if own:
        return (
            f"{name} + {time * steps['photos' if column.name == 'photo_id' else column.table.name]}"
        )
    if column.name == "digest":
        # A tree holds a picture once, so a copy must seem another one.
        return f"substr({name}, 1, 60) || printf('%04x', {time})"
    if column.name in ("taken_on", "measured_on"):
        return f"date({name}, '-{time * DAYS_APART} days')"
    return name


def remember(db: sqlite3.Connection) -> None:
    """How far each table goes now, for `_first_of`."""
    db.execute("CREATE TEMP TABLE IF NOT EXISTS before (name TEXT PRIMARY KEY, upto INTEGER)")
    for table in tables():
        db.execute(
            f"INSERT OR REPLACE INTO temp.before "
            f"SELECT '{table.name}', coalesce(max(rowid), 0) FROM {table.name}"
        )


def make(source: Path, target: Path, times: int = TIMES, photos: int = PHOTOS) -> None:
    """Copy a data folder and make its yard as large as wished."""
    shutil.copytree(source, target)
    file = target / "mirvo.sqlite3"
    with sqlite3.connect(file) as db:
        db.execute("PRAGMA foreign_keys = OFF")
        remember(db)
        spread_over_years(db, photos)
        remember(db)
        multiply(db, times)
        db.execute("ANALYZE")


def main(source: str, target: str, times: str = str(TIMES), photos: str = str(PHOTOS)) -> None:
    make(Path(source), Path(target), int(times), int(photos))


if __name__ == "__main__":
    main(*sys.argv[1:])
