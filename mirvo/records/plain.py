"""Rows as plain records, which outlive the session that read them and belong to no other."""

from __future__ import annotations

from functools import cache
from types import FunctionType
from typing import Any, TypeVar, cast

from sqlalchemy import inspect

Row = TypeVar("Row")


def plain(row: Row) -> Row:
    """A copy of all that was loaded of a row, with its properties; nothing more is read by it.

    What was not loaded is not there. To a session it is no row: it can be read, not kept.
    """
    if row is None:
        return row
    relations = inspect(type(row)).relationships.keys()
    copy: Any = object.__new__(_kind(cast(Any, type(row))))
    for name, value in vars(row).items():
        if name.startswith("_sa_"):
            continue
        related = name in relations
        if related and isinstance(value, list):
            copy.__dict__[name] = [plain(one) for one in value]
        else:
            copy.__dict__[name] = plain(value) if related else value
    return copy  # type: ignore[no-any-return] # to whoever reads it, it is such a row


@cache
def _kind(table: Any) -> Any:
    """A plain class with the methods and properties of a table's."""
    columns: set[str] = set(inspect(table).attrs.keys())
    own = {
        name: value
        for base in reversed(table.__mro__)
        for name, value in vars(base).items()
        if isinstance(value, (property, FunctionType))
        and name not in columns
        and not name.startswith("__")
    }
    return type(table.__name__, (), own)
