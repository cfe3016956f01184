"""The database: SQLite in one data folder, opened and brought up to date here."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager
from contextvars import ContextVar
from datetime import datetime
from functools import wraps
from pathlib import Path
from typing import Any, ParamSpec, TypeVar

from sqlalchemy import Engine, create_engine, event, text
from sqlalchemy.orm import ORMExecuteState, with_loader_criteria
from sqlalchemy.orm import Session as Unit

from mirvo.records.models import Compostable

MIGRATIONS = Path(__file__).parent / "migrations"
FILE_NAME = "mirvo.sqlite3"
BUSY_MS = 5000
KEPT = "kept for the page"
P = ParamSpec("P")
T = TypeVar("T")
_held: ContextVar[Unit | None] = ContextVar("unit that reads", default=None)


def open_database(folder: Path) -> Engine:
    """Engine on the folder's database, created and migrated when needed."""
    folder.mkdir(parents=True, exist_ok=True)
    engine = create_engine(f"sqlite:///{folder / FILE_NAME}")
    event.listen(engine, "connect", _prepare)
    event.listen(engine, "begin", _begin)
    _migrate(engine, folder)
    return engine


def _prepare(connection: Any, _record: Any) -> None:
    connection.isolation_level = None
    cursor = connection.cursor()
    for pragma in (
        f"busy_timeout = {BUSY_MS}",
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
    head = newest_revision()
    with engine.connect() as connection:
        current = _revision(connection)
    if current == head:
        return
    from alembic import command  # slow to import: only when there is something to do
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    if current is not None:
        copy_database(folder / FILE_NAME, folder / f"before-{head}.sqlite3")
    with engine.execution_options(writes=True).begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")


def copy_database(source: Path, copy: Path) -> None:
    """A whole copy of a database, also while it is in use."""
    with closing(sqlite3.connect(source)) as old, closing(sqlite3.connect(copy)) as new:
        old.backup(new)


def _revision(connection: Any) -> str | None:
    named = "SELECT name FROM sqlite_master WHERE name = 'alembic_version'"
    if connection.execute(text(named)).first() is None:
        return None
    found = connection.execute(text("SELECT version_num FROM alembic_version")).scalar()
    return None if found is None else str(found)


@event.listens_for(Unit, "do_orm_execute")
def _without_compost(asked: ORMExecuteState) -> None:
    """What lies on the compost heap is not seen, whatever is asked for."""
    if asked.is_select and not asked.execution_options.get("composted"):
        asked.statement = asked.statement.options(
            with_loader_criteria(Compostable, _not_composted, include_aliases=True)
        )


def _not_composted(table: type[Compostable]) -> Any:
    return table.composted_at.is_(None)


@contextmanager
def reading(engine: Engine) -> Iterator[Unit]:
    """A unit of work that only reads; one inside another is the same one.

    So whatever is read for one page comes from one state of the database, each row once.
    """
    held = _held.get()
    if held is not None and held.get_bind() is engine:
        yield held
        return
    with Unit(engine, expire_on_commit=False) as unit:
        token = _held.set(unit)
        try:
            yield unit
        finally:
            _held.reset(token)


def once_a_page(read: Callable[P, T]) -> Callable[P, T]:
    """A reading of a unit and some keys that is kept while the page is read.

    Asked again, it costs nothing; in units that write it is read anew each time.
    """

    @wraps(read)
    def kept(*args: P.args, **named: P.kwargs) -> T:
        unit = args[0]
        if not isinstance(unit, Unit) or unit is not _held.get():
            return read(*args, **named)
        known = unit.info.setdefault(KEPT, {})
        key = (read, args[1:], tuple(named.items()))
        if key not in known:
            known[key] = read(*args, **named)
        return known[key]  # type: ignore[no-any-return]

    return kept


@contextmanager
def writing(engine: Engine) -> Iterator[Unit]:
    """A unit of work in one transaction: all of it is kept, or nothing.

    A unit that reads around it starts afresh, so that what was written is seen from then on.
    """
    bound = engine.execution_options(writes=True)
    around = _held.get()
    token = _held.set(None)
    try:
        with Unit(bound, expire_on_commit=False) as unit, unit.begin():
            yield unit
    finally:
        _held.reset(token)
        if around is not None:
            around.commit()
            around.expunge_all()
            around.info.pop(KEPT, None)


def as_utc(moment: datetime) -> datetime:
    """UTC without zone, as the tables keep it."""
    return moment.replace(tzinfo=None, microsecond=0)
