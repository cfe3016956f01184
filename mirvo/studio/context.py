"""What every use case works with: one data folder, opened, and the clock."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import AbstractContextManager
from dataclasses import dataclass, field
from datetime import UTC, date, datetime
from pathlib import Path

from sqlalchemy import Engine

from mirvo.records.database import DbSession, as_utc, open_database, reading, writing
from mirvo.records.photos import PhotoStore
from mirvo.studio.measuring.vision_worker import VisionWorker


@dataclass
class Studio:
    """One data folder, opened.

    Readings take a database session from `reading()`; a use case that changes something opens
    one transaction with `writing()`.
    """

    folder: Path
    clock: Callable[[], datetime] = lambda: datetime.now(UTC)
    engine: Engine = field(init=False)
    photos: PhotoStore = field(init=False)
    vision: VisionWorker = field(init=False)

    def __post_init__(self) -> None:
        self.engine = open_database(self.folder)
        self.photos = PhotoStore(self.folder)
        self.vision = VisionWorker()

    def close(self) -> None:
        """Let go of the database file and the process that looks at photos."""
        self.vision.close()
        self.engine.dispose()

    def reading(self) -> AbstractContextManager[DbSession]:
        """A session that reads one state of the database."""
        return reading(self.engine)

    def writing(self) -> AbstractContextManager[DbSession]:
        """A session in one transaction."""
        return writing(self.engine)

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
