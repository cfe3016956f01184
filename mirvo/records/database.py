"""The database: SQLite in one data folder, opened and brought up to date here."""

from __future__ import annotations

import logging
import sqlite3
from collections.abc import Iterator, Mapping
from contextlib import closing, contextmanager
from datetime import datetime
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory
from types import MappingProxyType
from typing import Any, TypeVar

from sqlalchemy import Connection, Engine, ExceptionContext, create_engine, event, text
from sqlalchemy.orm import Session

from mirvo.core.errors import Damaged, MirvoError, NotFound
from mirvo.records.models import Compostable, Table
from mirvo.records.soundness import SNAPSHOTS, complaint_about, is_bare, last_sound_copy
from mirvo.records.versions import drop_triggers, put_triggers, triggers_in_place

MIGRATIONS = Path(__file__).parent / "migrations"
FILE_NAME = "mirvo.sqlite3"
BUSY_MS = 5000
Row = TypeVar("Row", bound=Table)

log = logging.getLogger(__name__)


class DbSession(Session):
    """A conversation with the database, handed on to whatever reads or writes in it."""


def open_database(folder: Path) -> Engine:
    """Engine on the folder's database, created and migrated when needed.

    Raises
    ------
    Damaged : the database there is damaged, empty, another program's, or from a newer Mirvo;
        it is left as it is, and the sentence names the last good copy.
    """
    folder.mkdir(parents=True, exist_ok=True)
    _refuse_unsound(folder)
    engine = engine_on(folder / FILE_NAME)
    _migrate(engine, folder)
    _settle_triggers(engine)
    return engine


def engine_on(path: Path) -> Engine:
    """Engine on a database file as it is."""
    engine = create_engine(f"sqlite:///{path}")
    event.listen(engine, "connect", _set_up)
    event.listen(engine, "begin", _begin)
    event.listen(engine, "handle_error", _no_such_number)
    return engine


def _no_such_number(context: ExceptionContext) -> None:
    """A number too large for any column, as an address may bear, is that of no row."""
    if isinstance(context.original_exception, OverflowError):
        raise NotFound("", "There is nothing under so large a number.")


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
        # A database made elsewhere may bring functions along in its tables; none are run.
        "trusted_schema = OFF",
    ):
        cursor.execute(f"PRAGMA {pragma}")
    cursor.close()


def _begin(connection: Any) -> None:
    """Take the write lock at the start: a read that later writes cannot be turned away."""
    writes = connection.get_execution_options().get("writes", False)
    connection.exec_driver_sql("BEGIN IMMEDIATE" if writes else "BEGIN")


def known_revisions() -> frozenset[str]:
    """Numbers of all migrations; their files are numbered in order."""
    files = (MIGRATIONS / "versions").glob("[0-9]*.py")
    return frozenset(path.name.split("_")[0] for path in files)


def newest_revision() -> str:
    """Number of the newest migration."""
    return max(known_revisions())


def _refuse_unsound(folder: Path) -> None:
    path, known = folder / FILE_NAME, known_revisions()
    if not path.exists():
        # Photos without their records: someone's work, not a new studio.
        wrong = "it is missing" if _was_lived_in(folder) else None
    else:
        wrong = complaint_about(path, known)
        if wrong is None and _was_lived_in(folder):
            with closing(sqlite3.connect(path)) as kept:
                wrong = (
                    "it holds nothing, though the folder holds photos" if is_bare(kept) else None
                )
    if wrong is None:
        return
    copy = last_sound_copy(folder, known)
    advice = (
        "restore a backup with 'mirvo restore BACKUP.zip --aside'"
        if copy is None
        else f"the last good copy is {copy}: move the other away and put this in its place"
    )
    raise Damaged(str(path), f"Mirvo does not start on this database: {wrong}. To go on, {advice}.")


def _was_lived_in(folder: Path) -> bool:
    """Whether a folder holds photos or copies of former records."""
    kept = (folder / "photos" / "originals", folder / SNAPSHOTS)
    return any(place.is_dir() and any(place.iterdir()) for place in kept)


def tables_of(path: Path) -> dict[str, tuple[str, ...]]:
    """The columns of each table of a database file, by name."""
    with closing(sqlite3.connect(path)) as kept:
        named = kept.execute("SELECT name FROM sqlite_master WHERE type = 'table'").fetchall()
        return {
            str(name): tuple(
                str(column[1]) for column in kept.execute(f'PRAGMA table_info("{name}")')
            )
            for (name,) in named
            if not str(name).startswith("sqlite_") and '"' not in str(name)
        }


@cache
def tables_at(revision: str) -> Mapping[str, tuple[str, ...]]:
    """The tables as the migrations up to a revision make them; it takes seconds the first time."""
    with TemporaryDirectory() as place:
        engine = engine_on(Path(place) / FILE_NAME)
        try:
            upgrade(engine, revision)
        finally:
            engine.dispose()
        return MappingProxyType(tables_of(Path(place) / FILE_NAME))


def copy_before_upgrade(folder: Path) -> Path:
    """Where the records lie as they were before this Mirvo brought them up to date."""
    return folder / f"before-{newest_revision()}.sqlite3"


def waits_for_upgrade(folder: Path) -> bool:
    """Whether a folder's records are of a former Mirvo and will be brought up to date."""
    path = folder / FILE_NAME
    if not path.exists():
        return False
    with closing(sqlite3.connect(path)) as kept:
        try:
            found = kept.execute("SELECT version_num FROM alembic_version").fetchone()
        except sqlite3.DatabaseError:
            return False  # opening it says what is wrong
    return found is not None and found[0] != newest_revision()


def _migrate(engine: Engine, folder: Path) -> None:
    """Bring the tables up to date, a copy of the old ones made first."""
    newest = newest_revision()
    with engine.connect() as connection:
        current = _revision(connection)
    if current == newest:
        return
    if current is not None:
        # Should a migration go wrong in a way no test saw, the old records are still there.
        copy_database(folder / FILE_NAME, copy_before_upgrade(folder))
    upgrade(engine, "head")
    _give_room_back(folder / FILE_NAME)


def _settle_triggers(engine: Engine) -> None:
    with engine.connect() as connection:
        if triggers_in_place(connection):
            return
    with engine.execution_options(writes=True).begin() as connection:
        put_triggers(connection)


def _give_room_back(path: Path) -> None:
    """A table made anew leaves as much empty room in the file as it needed before."""
    with closing(sqlite3.connect(path)) as connection:
        try:
            connection.execute("VACUUM")
        except sqlite3.OperationalError as error:
            # It wants the room of a whole copy for a moment; without it the file stays large.
            log.warning("the database was not made smaller: %s", error)


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
                drop_triggers(connection)
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
    """A whole copy of a database, also while it is in use; one left half made is made anew."""
    copy.unlink(missing_ok=True)
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
        yield db


@contextmanager
def writing(engine: Engine) -> Iterator[DbSession]:
    """A session in one transaction: all of it is kept, or nothing."""
    bound = engine.execution_options(writes=True)
    with DbSession(bound, expire_on_commit=False) as db, db.begin():
        yield db


def find_kept(db: DbSession, table: type[Row], number: int) -> Row | None:
    """A row by its number; None where there is none, or where it lies on the compost heap."""
    row = db.get(table, number)
    if isinstance(row, Compostable) and row.composted_at is not None:
        return None
    return row


def as_utc(moment: datetime) -> datetime:
    """UTC without zone, as the tables keep it."""
    return moment.replace(tzinfo=None, microsecond=0)
