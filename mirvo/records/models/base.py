"""What all tables share: names of constraints, column types, CHECKs, and laying aside."""

from collections.abc import Sequence
from datetime import date, datetime
from typing import Any, ClassVar

from sqlalchemy import (
    CheckConstraint,
    ColumnElement,
    Integer,
    MetaData,
    String,
)
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

from mirvo.core.care import CareValues
from mirvo.core.limits.base import FIRST_DAY, LAST_DAY
from mirvo.core.measure.eye import EyeResult
from mirvo.core.plan.case import Case
from mirvo.core.plan.records import PlannedStep, PlanResult, YearForecast
from mirvo.records.columns import (
    Count,
    Day,
    Moment,
    Number,
    PydanticColumn,
    ReadableColumn,
    Words,
)
from mirvo.records.documents import (
    Answers,
    BenchNotes,
    Clicks,
    OwnSpecies,
    SeasonSeen,
    SignSeen,
    UnfinishedWork,
)

CASCADE, SET_NULL = "CASCADE", "SET NULL"
MAX_LABEL = 12
# Under this a constraint says its column and the words it takes.
ONE_OF = "one of"


class Table(DeclarativeBase):
    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(table_name)s_%(column_0_name)s",
            "uq": "uq_%(table_name)s_%(column_0_name)s",
            "fk": "fk_%(table_name)s_%(column_0_name)s",
            "pk": "pk_%(table_name)s",
            "ck": "ck_%(table_name)s_%(constraint_name)s",
        }
    )
    type_annotation_map: ClassVar[dict[Any, Any]] = {
        date: Day(),
        datetime: Moment(),
        float: Number(),
        Answers: PydanticColumn(Answers),
        CareValues: PydanticColumn(CareValues),
        BenchNotes: PydanticColumn(BenchNotes),
        dict[str, OwnSpecies]: PydanticColumn(dict[str, OwnSpecies]),
        dict[str, float]: PydanticColumn(dict[str, float]),
        tuple[SeasonSeen, ...]: PydanticColumn(tuple[SeasonSeen, ...]),
        tuple[SignSeen, ...]: PydanticColumn(tuple[SignSeen, ...]),
        tuple[str, ...]: PydanticColumn(tuple[str, ...]),
        tuple[UnfinishedWork, ...]: PydanticColumn(tuple[UnfinishedWork, ...]),
        Clicks: PydanticColumn(Clicks),
        EyeResult: PydanticColumn(EyeResult),
        PlannedStep: PydanticColumn(PlannedStep),
        PlanResult: PydanticColumn(PlanResult, shared=64),
        YearForecast: PydanticColumn(YearForecast),
        Case: PydanticColumn(Case, exactly=True, shared=64),
    }

    def __init_subclass__(cls, **kinds: Any) -> None:
        super().__init_subclass__(**kinds)
        for column in cls.__table__.columns:
            kind, required = column.type, not column.nullable
            if isinstance(kind, Day):
                cls.__table__.append_constraint(within_days(column.name))  # type: ignore[attr-defined]
            # What rows go by has to be there as it is.
            if column.primary_key or column.foreign_keys:
                continue
            if isinstance(kind, Integer):
                column.type = Count(required=required)
            elif isinstance(kind, String):
                column.type = Words(kind.length, required=required)
            elif isinstance(kind, ReadableColumn):
                column.type = type(kind)(required=required)


# For tables whose numbers stand in addresses and on labels: none is ever given again.
OWN_NUMBERS = {"sqlite_autoincrement": True}


def one_of(column: str, values: Sequence[str]) -> CheckConstraint:
    """A column that holds one of some words."""
    listed = ", ".join(f"'{value}'" for value in values)
    said = {ONE_OF: (column, tuple(values))}
    return CheckConstraint(f"{column} IN ({listed})", name=column, info=said)


def within_days(column: str) -> CheckConstraint:
    """A column that holds a day on which something can have been, or can be planned."""
    between = f"{column} BETWEEN '{FIRST_DAY}' AND '{LAST_DAY}'"
    return CheckConstraint(between, name=column)


def within(column: str, low: float, high: float) -> CheckConstraint:
    """A column that holds a number from low to high, both included."""
    return CheckConstraint(f"{column} BETWEEN {low:g} AND {high:g}", name=column)


class Compostable:
    """Rows that can be laid on the compost heap, where no page sees them until they are put back.

    Every query of such a table says so: `.where(Photo.kept())`.
    """

    composted_at: Mapped[datetime | None] = mapped_column(default=None)

    @classmethod
    def kept(cls) -> ColumnElement[bool]:
        """That a row does not lie on the compost heap."""
        return cls.composted_at.is_(None)
