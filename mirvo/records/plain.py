"""Rows as plain records, which outlive the session that read them and belong to no other."""

from __future__ import annotations

from dataclasses import fields, is_dataclass, replace
from functools import cache
from operator import is_
from types import FunctionType
from typing import Any, TypeVar, cast

from sqlalchemy import inspect

Row = TypeVar("Row")


def all_plain(found: Row) -> Row:
    """The same with every row in it plain: in tuples, lists, dicts and records of them."""
    known: Any = found
    if hasattr(known, "_sa_instance_state"):
        return plain(found)
    if type(known) in (tuple, list):
        freed: Any = type(known)(map(all_plain, known))
        return found if all(map(is_, freed, known)) else cast(Row, freed)
    if type(known) is dict:
        return cast(Row, {key: all_plain(one) for key, one in known.items()})
    if is_dataclass(known) and not isinstance(known, type):
        parts = {one.name: getattr(known, one.name) for one in fields(known) if one.init}
        plain_parts = {name: all_plain(part) for name, part in parts.items()}
        changed = {name: one for name, one in plain_parts.items() if one is not parts[name]}
        return cast(Row, replace(known, **changed)) if changed else found
    return found


def plain(row: Row) -> Row:
    """A copy of all that was loaded of a row, with its properties; nothing more is read by it.

    What was not loaded is not there. To a session it is no row: it can be read, not kept.
    """
    if row is None:
        return row
    relations = inspect(type(row)).relationships.keys()
    copy: Any = object.__new__(_kind(cast(Any, type(row))))
    if inspect(row).transient:
        # Of a row no one has kept yet, what nobody gave is None.
        copy.__dict__.update(dict.fromkeys(inspect(type(row)).column_attrs.keys()))
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
