"""Copies of the records by day, kept beside them against mishaps; photos are never rewritten."""

from __future__ import annotations

from datetime import date
from pathlib import Path

from mirvo.records.database import FILE_NAME, copy_database

FOLDER = "snapshots"
KEPT = 14


def keep_snapshot(folder: Path, today: date) -> Path | None:
    """Copy the records once a day and keep the newest 14 copies; None when it was done today."""
    place = folder / FOLDER
    path = place / f"mirvo-{today.isoformat()}.sqlite3"
    if path.exists():
        return None
    place.mkdir(parents=True, exist_ok=True)
    # A copy broken off must not pass for one that is whole.
    making = path.with_suffix(".making")
    copy_database(folder / FILE_NAME, making)
    making.replace(path)
    # Their names sort by day.
    for old in sorted(place.glob("mirvo-*.sqlite3"))[:-KEPT]:
        old.unlink()
    return path
