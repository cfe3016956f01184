"""The database: SQLite in one data folder, opened and brought up to date here."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager
from datetime import datetime
from functools import wraps
from pathlib import Path
from typing import Any, Concatenate, ParamSpec, TypeVar

from sqlalchemy import Connection, Engine, create_engine, event, text
from sqlalchemy.orm import Session

from mirvo.core.errors import MirvoError
from mirvo.records.models import Compostable, Table

MIGRATIONS = Path(__file__).parent / "migrations"
FILE_NAME = "mirvo.sqlite3"
BUSY_MS = 5000
READ_ONCE = "read once"
P = ParamSpec("P")
T = TypeVar("T")
Row = TypeVar("Row", bound=Table)


class DbSession(Session):
    """A conversation with the database, handed on to whatever reads or writes in it."""


def open_database(folder: Path) -> Engine:
    """Engine on the folder's database, created and migrated when needed."""
    folder.mkdir(parents=True, exist_ok=True)
    engine = create_engine(f"sqlite:///{folder / FILE_NAME}")
    event.listen(engine, "connect", _set_up)
    event.listen(engine, "begin", _begin)
    _migrate(engine, folder)
    return engine


def _set_up(connection: Any, _record: Any) -> None:
    # The driver begins no transactions of its own; `_begin` does.
    connection.isolation_level = None
    cursor = connection.cursor()
    for pragma in (
        f"busy_timeout = {BUSY_MS}",
        # Readers and one writer at once; and a power cut loses nothing that was kept.
        "journal_mode = WAL",
        "synchronous = FULL",
        "foreign_keys = ON",
    ):
        cursor.execute(f"PRAGMA {pragma}")
    cursor.close()


def _begin(connection: Any) -> None:
    """Take the write lock at the start: a read that later writes cannot be turned away."""
    writes = connection.get_execution_options().get("writes", False)
    connection.exec_driver_sql("BEGIN IMMEDIATE" if writes else "BEGIN")


def newest_revision() -> str:
    """Number of the newest migration; their files are numbered in order."""
    return max(path.name.split("_")[0] for path in (MIGRATIONS / "versions").glob("[0-9]*.py"))


def _migrate(engine: Engine, folder: Path) -> None:
    """Bring the tables up to date, a copy of the old ones made first."""
    newest = newest_revision()
    with engine.connect() as connection:
        current = _revision(connection)
    if current == newest:
        return
    if current is not None:
        # Should a migration go wrong in a way no test saw, the old records are still there.
        copy_database(folder / FILE_NAME, folder / f"before-{newest}.sqlite3")
    upgrade(engine, "head")


def upgrade(engine: Engine, revision: str) -> None:
    """Run migrations up to a revision in one transaction: all of them, or none.

    Tables that others refer to can be made anew: foreign keys are switched off before the
    transaction (inside one SQLite ignores the switch) and checked before it is kept.

    Raises
    ------
    MirvoError : a reference would lead nowhere afterwards.
    """
    from alembic import command  # slow to import: only when there is something to do
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine.execution_options(writes=True).connect() as connection:
        _foreign_keys(connection, on=False)
        try:
            with connection.begin():
                config.attributes["connection"] = connection
                command.upgrade(config, revision)
                _check_references(connection)
        finally:
            _foreign_keys(connection, on=True)


def _foreign_keys(connection: Connection, on: bool) -> None:
    cursor = connection.connection.cursor()
    cursor.execute(f"PRAGMA foreign_keys = {'ON' if on else 'OFF'}")
    cursor.close()


def _check_references(connection: Connection) -> None:
    broken = connection.exec_driver_sql("PRAGMA foreign_key_check").first()
    if broken is not None:
        table, row, parent, _ = broken
        raise MirvoError(f"Row {row} of {table} refers to a row of {parent} that is not there.")


def copy_database(source: Path, copy: Path) -> None:
    """A whole copy of a database, also while it is in use."""
    with closing(sqlite3.connect(source)) as old, closing(sqlite3.connect(copy)) as new:
        old.backup(new)


def _revision(connection: Connection) -> str | None:
    named = "SELECT name FROM sqlite_master WHERE name = 'alembic_version'"
    if connection.execute(text(named)).first() is None:
        return None
    found = connection.execute(text("SELECT version_num FROM alembic_version")).scalar()
    return None if found is None else str(found)


@contextmanager
def reading(engine: Engine) -> Iterator[DbSession]:
    """A session that only reads; all it reads comes from one state of the database."""
    # Rows stay readable after the session, so that a template may still use them.
    with DbSession(engine, expire_on_commit=False, autoflush=False) as db:
        db.info[READ_ONCE] = {}
        yield db


@contextmanager
def writing(engine: Engine) -> Iterator[DbSession]:
    """A session in one transaction: all of it is kept, or nothing."""
    bound = engine.execution_options(writes=True)
    with DbSession(bound, expire_on_commit=False) as db, db.begin():
        yield db


def read_once(
    read: Callable[Concatenate[DbSession, P], T],
) -> Callable[Concatenate[DbSession, P], T]:
    """A query that a reading session remembers, so that a page that needs it twice asks once.

    A session that writes remembers nothing: there it is asked anew each time.
    """

    @wraps(read)
    def remembered(db: DbSession, *args: P.args, **named: P.kwargs) -> T:
        known: dict[Any, T] | None = db.info.get(READ_ONCE)
        if known is None:
            return read(db, *args, **named)
        # Queries are told apart by what they were asked.
        key = (read, args, tuple(named.items()))
        if key not in known:
            known[key] = read(db, *args, **named)
        return known[key]

    return remembered  # type: ignore[return-value] # wraps keeps the parameter's own name


def find_kept(db: DbSession, table: type[Row], number: int) -> Row | None:
    """A row by its number; None where there is none, or where it lies on the compost heap."""
    row = db.get(table, number)
    if isinstance(row, Compostable) and row.composted_at is not None:
        return None
    return row


def as_utc(moment: datetime) -> datetime:
    """UTC without zone, as the tables keep it."""
    return moment.replace(tzinfo=None, microsecond=0)
