"""Which tables are exchanged, and their rows as JSON: one Pydantic model a table, made from it.

A row's names are those of its columns. Numbers (`id` and what refers to them) hold within the file
alone; `came_from` says of which studio's row it is a copy, so that it is known again there.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from datetime import date, datetime
from functools import cache
from typing import Annotated, Any, Literal, cast

from pydantic import BaseModel, ConfigDict, Field, create_model
from sqlalchemy import (
    JSON,
    Boolean,
    CheckConstraint,
    Column,
    Float,
    Integer,
    String,
)
from sqlalchemy import Table as SqlTable

from mirvo.records.columns import MOST as MOST_NUMBER
from mirvo.records.columns import PydanticColumn, plain_type
from mirvo.records.limits import limit_of
from mirvo.records.models import (
    BenchEntry,
    BenchPhoto,
    BenchSession,
    CareTask,
    CutRecord,
    EyeCheck,
    FigureChange,
    FindingRecord,
    GapPlan,
    HandMeasurement,
    Measurement,
    NightMinimum,
    Photo,
    Plan,
    PotWeight,
    Regrowth,
    Root,
    RootSession,
    ShelfPot,
    SoilComponent,
    SoilRecipe,
    Supply,
    Table,
    Target,
    TargetHold,
    TargetPot,
    Tree,
    TreeAnswer,
    TreeGraft,
    Watering,
    Yard,
)
from mirvo.records.models.base import ONE_OF

TableKind = type[Table]
# Each after those its rows refer to.
STUDIO_TABLES: tuple[TableKind, ...] = (
    Yard,
    NightMinimum,
    FigureChange,
    SoilComponent,
    SoilRecipe,
    Supply,
    ShelfPot,
    EyeCheck,
)
TREE_TABLES: tuple[TableKind, ...] = (
    Tree,
    Root,
    RootSession,
    Photo,
    Measurement,
    HandMeasurement,
    CutRecord,
    FindingRecord,
    CareTask,
    TreeAnswer,
    Watering,
    PotWeight,
    Target,
    TargetHold,
    TargetPot,
    GapPlan,
    Regrowth,
    Plan,
    TreeGraft,
    BenchSession,
    BenchEntry,
    BenchPhoto,
)
# Of this studio and machine alone: who may come in, and what was done with it.
LEFT_OUT: Mapping[TableKind, frozenset[str]] = {
    Yard: frozenset(("calendar_secret", "backed_up_at", "reachable", "started_at", "version"))
}
# Columns with a default that files of former versions do not have.
ADDED_LATER: Mapping[TableKind, frozenset[str]] = {
    Tree: frozenset(("in_ground", "held_bare", "design")),
    Yard: frozenset(("first_frost",)),
    Target: frozenset(("only_shelf",)),
}
# Counts of saves and moments of them: two rows that differ in these alone say the same.
COUNTED_APART = frozenset(("version", "revision", "created_at", "updated_at"))
DIGESTS = ("digest", "photo_digest")
# JSON's own numbers are exact so far.
MOST = 2**53
MOST_TEXT = 200_000
Whole = Annotated[int, Field(ge=-MOST, le=MOST)]
Decimal = Annotated[float, Field(allow_inf_nan=False, ge=-MOST_NUMBER, le=MOST_NUMBER)]
# The values of one row by column, as JSON has them.
RowValues = dict[str, Any]


class Row(BaseModel):
    """A row of a table."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    came_from: tuple[Annotated[str, Field(max_length=64)], Whole] | None = Field(
        default=None, description="Key of the studio it is a copy from, and its number there."
    )


def columns_of(kind: TableKind) -> list[Column[Any]]:
    """The columns that are exchanged."""
    left = LEFT_OUT.get(kind, frozenset())
    return [column for column in table_of(kind).columns if column.name not in left]


def table_of(kind: TableKind) -> SqlTable:
    """The table itself."""
    return cast(SqlTable, kind.__table__)


@cache
def row_type(kind: TableKind) -> type[Row]:
    """The Pydantic model of a table's rows."""
    words = words_of(kind)
    fields: RowValues = {}
    for column in columns_of(kind):
        said = _type_of(column, words.get(column.name))
        # What a row may leave unsaid, it may leave out; so may files older than the column.
        if column.nullable:
            fields[column.name] = (said | None, None)
        elif column.name in ADDED_LATER.get(kind, ()):
            fields[column.name] = (said, column.default.arg)  # type: ignore[union-attr]
        else:
            fields[column.name] = (said, ...)
    said = " ".join((kind.__doc__ or "").split())
    return create_model(kind.__name__, __base__=Row, __doc__=said, **fields)


def words_of(kind: TableKind) -> dict[str, tuple[str, ...]]:
    """Words a column takes, by its name."""
    checks = (one for one in table_of(kind).constraints if isinstance(one, CheckConstraint))
    return dict(check.info[ONE_OF] for check in checks if ONE_OF in check.info)


def _type_of(column: Column[Any], words: tuple[str, ...] | None) -> Any:
    limit = limit_of(column)
    if limit is not None:
        return limit
    kind = plain_type(column.type)
    if words is not None:
        return Literal[words]
    if isinstance(kind, PydanticColumn):
        return kind.kind
    if isinstance(kind, Boolean):
        return bool
    if isinstance(kind, Integer):
        return Whole
    if isinstance(kind, Float):
        return Decimal
    if isinstance(kind, JSON):
        return Any
    if isinstance(kind, String):
        if column.name in DIGESTS:
            return Annotated[str, Field(pattern=r"^([0-9a-f]{64})?$")]
        return Annotated[str, Field(max_length=kind.length or MOST_TEXT)]
    raise TypeError(f"{column} has a type that is not exchanged: {kind!r}")


def as_json(kind: TableKind, row: Mapping[str, Any]) -> RowValues:
    """A row, by the names of its columns, as it stands in the file."""
    return {column.name: _plain(column, row[column.name]) for column in columns_of(kind)}


def _plain(column: Column[Any], value: Any) -> Any:
    kind = column.type
    if value is None:
        # A damaged document reads as nothing; the file says what a new row would.
        default = getattr(column.default, "arg", None)
        if column.nullable or default is None:
            return None
        value = default(None) if callable(default) else default
    if isinstance(kind, PydanticColumn):
        return kind.adapter.dump_python(value, mode="json", exclude_unset=kind.exactly)
    if isinstance(value, (date, datetime)):
        return value.isoformat()
    if isinstance(value, float) and not math.isfinite(value):
        return None
    return value
