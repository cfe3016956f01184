"""Copies of the records by day, kept beside them against mishaps; photos are never rewritten."""

from __future__ import annotations

from datetime import date
from pathlib import Path

from mirvo.core.errors import Damaged
from mirvo.records.database import FILE_NAME, copy_database, known_revisions
from mirvo.records.soundness import SNAPSHOTS, complaint_about

# The newest copies, then the last of each month: what is found wrong late was right once.
DAYS, MONTHS = 14, 12


def keep_snapshot(folder: Path, today: date) -> Path | None:
    """Copy the records once a day; None when it was done today.

    The newest 14 copies stay, and of older ones the last of each of twelve months.

    Raises
    ------
    Damaged : the copy is not sound; it is not kept, and older ones stay.
    """
    place = folder / SNAPSHOTS
    path = place / f"mirvo-{today.isoformat()}.sqlite3"
    if path.exists():
        return None
    place.mkdir(parents=True, exist_ok=True)
    # A copy broken off must not pass for one that is whole.
    making = path.with_suffix(".making")
    try:
        copy_database(folder / FILE_NAME, making)
        wrong = complaint_about(making, known_revisions(), thorough=True)
        if wrong is not None:
            raise Damaged(str(making), f"today's copy was not kept: {wrong}")
        making.replace(path)
    finally:
        making.unlink(missing_ok=True)
    for old in _too_old(sorted(place.glob("mirvo-*.sqlite3"))):
        old.unlink()
    return path


def _too_old(copies: list[Path]) -> list[Path]:
    """Of copies sorted by day, as their names do, those that need not stay."""
    older = copies[:-DAYS]
    # A later copy of a month takes the place of an earlier one.
    monthly = {path.stem[: -len("-dd")]: path for path in older}
    staying = set(list(monthly.values())[-MONTHS:])
    return [path for path in older if path not in staying]
