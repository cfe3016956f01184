"""Trying what would be taken in, on a copy of the records: nothing is kept, and nobody waits."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory

from mirvo.records.database import (
    FILE_NAME,
    DbSession,
    copy_database,
    engine_on,
    writing,
)
from mirvo.studio.ground.context import Studio


@contextmanager
def on_trial(studio: Studio) -> Iterator[DbSession]:
    """A session that writes into a copy of the studio's records, which goes afterwards."""
    # In the data folder: there is room for a backup, elsewhere there may be none.
    with TemporaryDirectory(dir=studio.folder, prefix="trial.", suffix=".making") as place:
        copy = Path(place) / FILE_NAME
        copy_database(studio.folder / FILE_NAME, copy)
        engine = engine_on(copy)
        try:
            with writing(engine) as db:
                yield db
        finally:
            engine.dispose()
