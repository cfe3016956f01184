"""What every use case works with: the data folder's database and photos, and the clock."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, date, datetime
from pathlib import Path

from sqlalchemy import Engine

from mirvo.records.database import as_utc, open_database, reading, writing
from mirvo.records.models import Yard
from mirvo.records.photos import PhotoStore

DEFAULT_YARD = {
    "name": "My yard",
    "place": "",
    "last_frost": "04-20",
    "school": "steady",
    "click_sd_px": 2.0,
}


@dataclass
class Studio:
    """One data folder, opened."""

    folder: Path
    clock: Callable[[], datetime] = lambda: datetime.now(UTC)
    engine: Engine = field(init=False)
    photos: PhotoStore = field(init=False)

    def __post_init__(self) -> None:
        self.engine = open_database(self.folder)
        self.photos = PhotoStore(self.folder)

    def close(self) -> None:
        """Let go of the database file."""
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

    def yard(self) -> Yard:
        """The studio's own settings; defaults until they are saved."""
        with reading(self.engine) as unit:
            found = unit.get(Yard, 1)
        return found or Yard(id=1, **DEFAULT_YARD)

    def save_yard(self, **values: object) -> None:
        with writing(self.engine) as unit:
            unit.merge(Yard(id=1, **{**DEFAULT_YARD, **values}))
