"""The studio's own settings: name, place, usual last frost, school, click deviation, workload."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from pydantic import Field, StringConstraints, field_validator

from mirvo.core.errors import BadInput
from mirvo.core.forms import FormModel
from mirvo.records.database import DbSession, read_once
from mirvo.records.models import Yard
from mirvo.studio.context import Studio

ONLY_ROW = 1
Word = Annotated[str, StringConstraints(strip_whitespace=True, max_length=80)]


class YardForm(FormModel):
    """The studio itself. last_frost : MM-DD. frost_free : no frost ever comes.
    simulated_weather : the simulated station speaks for it. bench_days : of a week on which
    trees are worked.
    """

    name: Annotated[Word, StringConstraints(min_length=1)] = "My yard"
    place: Word = ""
    last_frost: str = "04-20"
    frost_free: bool = False
    simulated_weather: bool = False
    school: Literal["gentle", "steady", "bold"] = "steady"
    click_sd_px: Annotated[float, Field(ge=0.2, le=20)] = 2.0
    trees_a_day: Annotated[int, Field(ge=1, le=50)] = 3
    bench_days: Annotated[int, Field(ge=1, le=7)] = 2

    @field_validator("last_frost")
    @classmethod
    def _a_day_of_the_year(cls, value: str) -> str:
        try:
            # A year without a leap day, so that the day is there in every year.
            datetime.strptime(f"2001-{value}", "%Y-%m-%d")
        except ValueError:
            raise BadInput("last_frost", "Give month and day, such as 04-20.") from None
        return value


@read_once
def yard_of(db: DbSession) -> Yard:
    """The studio's own settings; defaults until they are saved."""
    return db.get(Yard, ONLY_ROW) or _unsaved()


def put_yard(db: DbSession, **changes: Any) -> Yard:
    """Change some settings within a transaction."""
    row = db.get(Yard, ONLY_ROW)
    if row is None:
        # The first change makes the row; until then defaults hold.
        row = _unsaved()
        db.add(row)
    for name, value in changes.items():
        setattr(row, name, value)
    return row


def save_yard(studio: Studio, form: YardForm) -> None:
    """Keep the studio's own settings; its practice stays as it is."""
    with studio.writing() as db:
        put_yard(db, **form.model_dump())


def _unsaved() -> Yard:
    return Yard(
        id=ONLY_ROW, practice={}, own_species={}, calendar_secret="", **YardForm().model_dump()
    )
