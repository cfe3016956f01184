"""Whether a database file is whole, Mirvo's own, and not newer than this Mirvo. Only looks."""

from __future__ import annotations

import sqlite3
from collections.abc import Collection
from contextlib import closing
from pathlib import Path

from mirvo.records.versions import triggers

SNAPSHOTS = "snapshots"
HEADER = b"SQLite format 3\0"
# What these run would run with every look at the records, so none but Mirvo's own triggers may be
# there, word for word.
FOREIGN = (
    "SELECT name, sql FROM sqlite_master WHERE type IN ('trigger', 'view') "
    "OR (type = 'table' AND upper(sql) LIKE 'CREATE VIRTUAL%')"
)
REVISION = "SELECT version_num FROM alembic_version"


def complaint_about(path: Path, revisions: Collection[str], thorough: bool = False) -> str | None:
    """What is wrong with a database file in a few words, None where nothing is.

    thorough : its indexes too are compared with what they point to; takes a few times longer.
    revisions : numbers of the migrations known here. A database without any tables is sound: it
    was just begun.
    """
    try:
        with path.open("rb") as file:
            head = file.read(len(HEADER))
        if not head:
            return "it is empty (0 bytes)"
        if head != HEADER:
            return "it is no database"
        with closing(sqlite3.connect(path)) as kept:
            # Nothing that a foreign file brings along is to be run by looking at it.
            kept.execute("PRAGMA trusted_schema = OFF")
            # A value beyond its limits is no damage: it is named, and set aside or passed over.
            kept.execute("PRAGMA ignore_check_constraints = ON")
            return _complaint(kept, revisions, thorough)
    except OSError as error:
        return f"it cannot be read: {error.strerror}"
    except sqlite3.OperationalError as error:
        return f"it cannot be opened: {error}"
    except sqlite3.DatabaseError as error:
        return f"it is damaged: {error}"


def _complaint(kept: sqlite3.Connection, revisions: Collection[str], thorough: bool) -> str | None:
    check = "integrity_check" if thorough else "quick_check"
    verdict = str(kept.execute(f"PRAGMA {check}(1)").fetchone()[0])
    if verdict != "ok":
        return f"it is damaged: {' '.join(verdict.split())}"
    if is_bare(kept):
        return None
    try:
        found = kept.execute(REVISION).fetchone()
    except sqlite3.OperationalError:
        return "it is another program's"
    revision = "" if found is None else str(found[0])
    if revision in revisions:
        foreign = any(triggers().get(name) != sql for name, sql in kept.execute(FOREIGN))
        return "it holds triggers or views that are not Mirvo's" if foreign else None
    newer = revision.isdigit() and revision > max(revisions)
    return (
        "it comes from a newer Mirvo; bring this one up to date"
        if newer
        else ("it is another program's")
    )


def is_bare(kept: sqlite3.Connection) -> bool:
    """Whether a database holds no table yet."""
    return kept.execute("SELECT 1 FROM sqlite_master LIMIT 1").fetchone() is None


def last_sound_copy(folder: Path, revisions: Collection[str]) -> Path | None:
    """The newest of the copies by day that can be put in the place of a damaged database."""
    # Their names sort by day.
    copies = sorted((folder / SNAPSHOTS).glob("mirvo-*.sqlite3"), reverse=True)
    return next((copy for copy in copies if complaint_about(copy, revisions) is None), None)
