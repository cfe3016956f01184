"""The limits of `mirvo.core.limits` held against the rows of a database, of any version.

What is beyond them is named by `mirvo check`, and set aside when a backup is restored: a value is
replaced by what a new row would have, or left empty; a row that needs it is taken out whole. All of
it can be read, put right and put back.
"""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import date, datetime
from functools import cache
from typing import Annotated, Any

from pydantic import AfterValidator, TypeAdapter, ValidationError
from pydantic_core import PydanticCustomError
from sqlalchemy import Column, Date, DateTime

from mirvo.core.almanac import Entry, figures_of
from mirvo.core.almanac import species as shipped_species
from mirvo.core.complaints import form_complaint
from mirvo.core.errors import BadInput
from mirvo.core.limits.base import (
    LAST_DAY,
    Limits,
    PastDay,
    PlannedDay,
    checked,
    future_day,
    short_day,
)
from mirvo.core.limits.care import AnswerFields, NightFields, TaskRowFields, WeightFields
from mirvo.core.limits.measuring import HandFields, PhotoFields, RootFields
from mirvo.core.limits.sessions import SessionFields
from mirvo.core.limits.shelf import ComponentRow, PotFields
from mirvo.core.limits.targets import TargetFields
from mirvo.core.limits.trees import GraftFields, TreeFields, unknown_species
from mirvo.records.columns import FIRST_YEAR, PydanticColumn, plain_type
from mirvo.records.models import Table
from mirvo.records.set_aside import BEYOND_LIMITS, note_rows, note_value, take_out

# By table; the fields of each bear the names of its columns.
LIMITS: Mapping[str, type[Limits]] = {
    "trees": TreeFields,
    "tree_grafts": GraftFields,
    "roots": RootFields,
    "root_sessions": SessionFields,
    "photos": PhotoFields,
    "hand_measurements": HandFields,
    "care_tasks": TaskRowFields,
    "tree_answers": AnswerFields,
    "pot_weights": WeightFields,
    "night_minima": NightFields,
    "pots": PotFields,
    "soil_components": ComponentRow,
    "targets": TargetFields,
}
# Days on which something is to be done; every other day is one on which something was.
PLANNED = frozenset((("care_tasks", "due"), ("care_tasks", "since"), ("trees", "moved_to")))
# A tree keeps its species, known or not: nothing could take its place.
NEVER_REPLACED = frozenset((("trees", "species_key"), ("yard", "own_species")))


def _moment_in_range(moment: datetime) -> datetime:
    if not FIRST_YEAR <= moment.year <= LAST_DAY.year:
        said = f"The moment {short_day(moment.date())} cannot be: years run from {FIRST_YEAR} on."
        raise PydanticCustomError("day_refused", "{said}", {"said": said})
    return moment


PastMoment = Annotated[datetime, AfterValidator(_moment_in_range)]


@dataclass(frozen=True)
class BeyondLimits:
    """A value no way in would take. row : its rowid. label : of the row, for people."""

    table: str
    row: int
    column: str
    value: object
    sentence: str
    label: str

    @property
    def words(self) -> str:
        return f"{self.label}, {self.column.replace('_', ' ')}: {self.sentence}"


def limit_of(column: Column[Any]) -> Any:
    """The type a column's values are checked against; None where none is."""
    table, kind = column.table.name, plain_type(column.type)
    model = LIMITS.get(table)
    field = None if model is None else model.model_fields.get(column.name)
    if field is not None and not isinstance(kind, PydanticColumn):
        return Annotated[field.annotation, *field.metadata] if field.metadata else field.annotation
    if isinstance(kind, DateTime):
        return PastMoment
    if isinstance(kind, Date):
        return PlannedDay if (table, column.name) in PLANNED else PastDay
    return None


@cache
def _checks(table: str) -> dict[str, TypeAdapter[Any]]:
    columns = Table.metadata.tables[table].columns
    limits = {column.name: limit_of(column) for column in columns}
    return {name: TypeAdapter(limit) for name, limit in limits.items() if limit is not None}


def complaint_of(table: str, column: str, value: object, today: date) -> str | None:
    """Why a value cannot stand in a column; None where it can, or where it is left empty."""
    check = _checks(table).get(column)
    if value is None or check is None:
        return None
    try:
        found = check.validate_python(value)
    except ValidationError as error:
        return form_complaint(error.errors(include_url=False, include_input=False)[0])
    is_past = type(found) is date and (table, column) not in PLANNED
    return future_day(found) if is_past and found > today else None


def check_row(table: str, values: Mapping[str, Any], today: date) -> None:
    """Refuse a row of another studio that could not have been entered here.

    Raises
    ------
    BadInput : at the column concerned.
    """
    for name, value in values.items():
        said = complaint_of(table, name, value, today)
        if said is not None:
            raise BadInput(name, said)
    model = LIMITS.get(table)
    if model is not None:
        there = {name: values.get(name) for name in model.model_fields}
        checked(model, {name: value for name, value in there.items() if value is not None}, today)


def values_beyond_limits(kept: sqlite3.Connection, today: date) -> Iterator[BeyondLimits]:
    """Every value of a database that no way in would take."""
    yield from _species_beyond_limits(kept)
    for table in Table.metadata.sorted_tables:
        there = {column[1] for column in kept.execute(f'PRAGMA table_info("{table.name}")')}
        names = [name for name in _checks(table.name) if name in there]
        if not names:
            continue
        listed = ", ".join(f'"{name}"' for name in names)
        for row, *values in kept.execute(f'SELECT rowid, {listed} FROM "{table.name}"').fetchall():
            for name, value in zip(names, values, strict=True):
                said = complaint_of(table.name, name, value, today)
                if said is not None:
                    label = label_of(kept, table.name, row)
                    yield BeyondLimits(table.name, row, name, value, said, label)


def _species_beyond_limits(kept: sqlite3.Connection) -> Iterator[BeyondLimits]:
    """Trees of a species no almanac has, and species of the studio's own that cannot be."""
    there = {column[1] for column in kept.execute('PRAGMA table_info("yard")')}
    text = None
    if "own_species" in there:
        text = next((row[0] for row in kept.execute("SELECT own_species FROM yard")), None)
    own = own_figures(text)
    for key, figures in own.items():
        said = species_complaint(key, figures)
        if said is not None:
            yield BeyondLimits("yard", 1, "own_species", key, said, f"Species {key[:60]}")
    known = {one.key for one in shipped_species()} | set(own)
    for row, name, key in kept.execute("SELECT rowid, name, species_key FROM trees").fetchall():
        if key not in known:
            said = unknown_species(str(key))
            yield BeyondLimits("trees", row, "species_key", key, said, f"Tree {str(name)[:80]}")


def own_figures(text: str | None) -> dict[str, dict[str, Any]]:
    """Figures of the studio's own species by key, as the yard's row holds them."""
    try:
        found = json.loads(text or "{}")
        listed = found.get("body", found) if isinstance(found, dict) else {}
        return {
            str(key): dict(one.get("figures", one))
            for key, one in listed.items()
            if isinstance(one, dict) and isinstance(one.get("figures", one), dict)
        }
    except (ValueError, AttributeError):
        return {}


def species_complaint(key: str, figures: Mapping[str, Any]) -> str | None:
    """Why a species of the studio's own cannot be; None where it can."""
    shipped = next((one for one in shipped_species() if one.key == key), None)
    before = {} if shipped is None else figures_of(shipped)
    try:
        Entry.model_validate({**before, **figures})
    except ValidationError as error:
        wrong = error.errors(include_url=False, include_input=False)[0]
        return f"{'.'.join(str(part) for part in wrong['loc'])}: {form_complaint(wrong)}"
    except BadInput as error:
        return str(error)
    return None


def set_aside_beyond_limits(kept: sqlite3.Connection, now: datetime) -> list[str]:
    """Set aside every value no way in would take; each in words with what became of it."""
    kept.execute("PRAGMA foreign_keys = OFF")
    told = []
    for found in list(values_beyond_limits(kept, now.date())):
        if kept.execute(f'SELECT 1 FROM "{found.table}" WHERE rowid = ?', (found.row,)).fetchone():
            told.append(f"{found.words} {_set_aside(kept, found, now)}")
    kept.commit()
    return told


def _set_aside(kept: sqlite3.Connection, found: BeyondLimits, now: datetime) -> str:
    if (found.table, found.column) in NEVER_REPLACED:
        return "It is kept as it is; put it right on its page."
    column = Table.metadata.tables[found.table].columns[found.column]
    default = getattr(column.default, "arg", None)
    model = LIMITS.get(found.table)
    field = None if model is None else model.model_fields.get(found.column)
    if field is not None and not field.is_required():
        default = field.default if default is None else default
    if column.nullable or (default is not None and not callable(default)):
        place = found.table, found.row, found.column
        note_value(kept, place, found.value, found.label, found.sentence, now)
        kept.execute(
            f'UPDATE "{found.table}" SET "{found.column}" = ? WHERE rowid = ?',
            (None if column.nullable else default, found.row),
        )
        return "The value is set aside; the rest of the entry is kept."
    taken = take_out(kept, found.table, found.row)
    note_rows(kept, taken, BEYOND_LIMITS, found.label, found.sentence, now, found.column)
    return "The entry is set aside."


# A row of a table in words; others are called by their table.
ROW_NAMES = {
    "trees": "Tree",
    "root_sessions": "Root session",
    "photos": "Photo",
    "measurements": "Measurement",
    "hand_measurements": "Figures by hand",
    "care_tasks": "Task",
    "tree_answers": "Recovery note",
    "waterings": "Watering",
    "pot_weights": "Weight",
    "roots": "Root",
    "tree_grafts": "Graft",
    "night_minima": "Night",
    "pots": "Pot",
}


def label_of(kept: sqlite3.Connection, table: str, row: int) -> str:
    """A row in words: what it is, and of which tree."""
    named = {column[1] for column in kept.execute(f'PRAGMA table_info("{table}")')}
    kind = ROW_NAMES.get(table, table.replace("_", " "))
    if "tree_id" in named:
        asked = (
            f'SELECT trees.name FROM trees JOIN "{table}" AS one ON trees.id = one.tree_id '
            "WHERE one.rowid = ?"
        )
        found = kept.execute(asked, (row,)).fetchone()
        if found is not None:
            return f"{kind} {row} of {str(found[0])[:80]}"
    if "name" in named:
        found = kept.execute(f'SELECT name FROM "{table}" WHERE rowid = ?', (row,)).fetchone()
        return f"{kind} {str(found[0])[:80]}"
    return f"{kind} {row}"
