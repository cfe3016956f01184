"""What every use case works with: the data folder's database and photos, and the clock."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import UTC, date, datetime
from pathlib import Path
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints, field_validator
from sqlalchemy import Engine
from sqlalchemy.orm import Session as Unit

from mirvo.core.errors import BadInput
from mirvo.records.database import as_utc, once_a_page, open_database, reading, writing
from mirvo.records.models import Yard
from mirvo.records.photos import PhotoStore
from mirvo.studio.helper import Helper

Word = Annotated[str, StringConstraints(strip_whitespace=True, max_length=80)]


class YardForm(BaseModel):
    """The studio itself: name, place, usual last frost as MM-DD, school, click deviation,
    how many trees a day are worked and on how many days of a week."""

    model_config = ConfigDict(extra="ignore")
    name: Annotated[Word, StringConstraints(min_length=1)] = "My yard"
    place: Word = ""
    last_frost: str = "04-20"
    school: Literal["gentle", "steady", "bold"] = "steady"
    click_sd_px: Annotated[float, Field(ge=0.2, le=20)] = 2.0
    trees_a_day: Annotated[int, Field(ge=1, le=50)] = 3
    bench_days: Annotated[int, Field(ge=1, le=7)] = 2

    @field_validator("last_frost")
    @classmethod
    def _a_day_of_the_year(cls, value: str) -> str:
        try:
            datetime.strptime(f"2001-{value}", "%Y-%m-%d")
        except ValueError:
            raise BadInput("last_frost", "Give month and day, such as 04-20.") from None
        return value


@once_a_page
def _saved_yard(unit: Unit) -> Yard | None:
    return unit.get(Yard, 1)


@dataclass
class Studio:
    """One data folder, opened."""

    folder: Path
    clock: Callable[[], datetime] = lambda: datetime.now(UTC)
    engine: Engine = field(init=False)
    photos: PhotoStore = field(init=False)
    helper: Helper = field(init=False)

    def __post_init__(self) -> None:
        self.engine = open_database(self.folder)
        self.photos = PhotoStore(self.folder)
        self.helper = Helper()

    def close(self) -> None:
        """Let go of the database file and the helper process."""
        self.helper.stop()
        self.engine.dispose()

    @property
    def now(self) -> datetime:
        return as_utc(self.clock())

    @property
    def today(self) -> date:
        return self.clock().date()

    @property
    def standins(self) -> Path:
        """Truth of simulated photos, beside the photos."""
        return self.folder / "standins"

    @contextmanager
    def one_state(self) -> Iterator[None]:
        """What is read inside comes from one state of the database, each row once."""
        with reading(self.engine):
            yield

    def yard(self) -> Yard:
        """The studio's own settings; defaults until they are saved."""
        with reading(self.engine) as unit:
            found = _saved_yard(unit)
        return found or Yard(
            id=1, practice={}, own_species={}, calendar_secret="", **YardForm().model_dump()
        )

    def save_yard(self, form: YardForm) -> None:
        """Keep the studio's own settings; its practice stays as it is."""
        with writing(self.engine) as unit:
            unit.merge(Yard(id=1, **form.model_dump()))
