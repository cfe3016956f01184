"""The studio's own settings: name, place, usual last frost, school, click deviation, workload."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Any, Literal

from pydantic import Field, StringConstraints, ValidationInfo, field_validator, model_validator
from sqlalchemy import String, select, type_coerce

from mirvo.core.errors import BadInput, Conflict, Damaged
from mirvo.core.limits.base import Limits
from mirvo.core.season.window import UNTOLD_FROST, frost_day
from mirvo.core.typed_values import read_day
from mirvo.records.database import DbSession
from mirvo.records.models import Yard
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.state_cache import kept_by_settings

ONLY_ROW = 1
# Said of what two windows saved at once; what it is of comes first.
SAVED_ELSEWHERE = (
    "{} saved in another tab meanwhile. Your entries are still here: compare them with what is "
    "kept now, then save again."
)
# What grows entry by entry; where it cannot be read, nothing may be put in its place.
ADDED_TO = {"own_species": "The almanac's own species", "seasons_seen": "The seasons noted"}
UNREAD = (
    "{} cannot be read any more and are kept as they are; a backup from before brings them back."
)
ANY_YEAR, DAYS_A_YEAR = 2001, 365
# Nowhere that trees are kept outside is the time without frost shorter.
SHORTEST_SEASON_DAYS = 56
SOME_DAY = date(ANY_YEAR, 12, 31)
Word = Annotated[str, StringConstraints(strip_whitespace=True, max_length=80)]


class YardFields(Limits):
    """The studio itself.

    last_frost, first_frost : a day and its month, kept as MM-DD; the first one may be unknown.
    frost_free : no frost ever comes.
    simulated_weather : the simulated station speaks for it. bench_days : of a week on which
    trees are worked.
    """

    name: Annotated[Word, StringConstraints(min_length=1)] = "My yard"
    place: Word = ""
    last_frost: str = UNTOLD_FROST
    first_frost: str = ""
    frost_free: bool = False
    simulated_weather: bool = False
    school: Literal["gentle", "steady", "bold"] = "steady"
    click_sd_px: Annotated[float, Field(ge=0.2, le=20)] = 2.0
    trees_a_day: Annotated[int, Field(ge=1, le=50)] = 3
    bench_days: Annotated[int, Field(ge=1, le=7)] = 2

    @field_validator("last_frost", "first_frost")
    @classmethod
    def _a_day_of_the_year(cls, value: str, info: ValidationInfo) -> str:
        if not value.strip() and info.field_name == "first_frost":
            return ""
        # A year without a leap day, so that the day is there in every year.
        found = read_day(f"{ANY_YEAR}-{value}", SOME_DAY) or read_day(
            f"{value} {ANY_YEAR}", SOME_DAY
        )
        if found is None:
            raise BadInput(str(info.field_name), "Give a day and its month, such as 20 apr.")
        return f"{found:%m-%d}"

    @model_validator(mode="after")
    def _a_season_between_the_frosts(self) -> YardFields:
        """Between the last frost and the first one trees must have time to grow."""
        if self.first_frost and not self.frost_free:
            last, first = (
                frost_day(frost, ANY_YEAR) for frost in (self.last_frost, self.first_frost)
            )
            if (first - last).days % DAYS_A_YEAR < SHORTEST_SEASON_DAYS:
                said = "This is less than eight weeks after the last frost. Is the day right?"
                raise BadInput("first_frost", said)
        return self


@kept_by_settings
def yard_of(db: DbSession) -> Yard:
    """The studio's own settings; defaults until they are saved."""
    return db.get(Yard, ONLY_ROW) or _unsaved()


def put_yard(db: DbSession, **changes: Any) -> Yard:
    """Change some settings within a transaction.

    Raises
    ------
    Damaged : what would be added to cannot be read any more, and would be lost.
    """
    row = db.get(Yard, ONLY_ROW)
    if row is None:
        # The first change makes the row; until then defaults hold.
        row = _unsaved()
        db.add(row)
    for name in changes.keys() & ADDED_TO.keys():
        column: Any = Yard.__table__.c[name]
        if not column.type.can_read(db.scalar(select(type_coerce(column, String)))):
            raise Damaged(name, UNREAD.format(ADDED_TO[name]))
    for name, value in changes.items():
        setattr(row, name, value)
    return row


def save_yard(studio: Studio, form: YardFields, version: int | None = None) -> None:
    """Keep the studio's own settings; its practice stays as it is.

    version : the one the form was filled in on, None where nobody else can have saved.

    Raises
    ------
    Conflict : it was saved elsewhere since.
    """
    with studio.writing() as db:
        now = yard_of(db).version
        if version is not None and version != now:
            raise Conflict("version", SAVED_ELSEWHERE.format("These settings were"))
        put_yard(db, **form.model_dump(include=set(YardFields.model_fields)), version=now + 1)


def _unsaved() -> Yard:
    return Yard(
        id=ONLY_ROW,
        version=1,
        practice={},
        own_species={},
        calendar_secret="",
        **YardFields().model_dump(),
    )
