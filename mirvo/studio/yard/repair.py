"""What helps when something in the data folder is wrong: copies of the records, and the log."""

from __future__ import annotations

import logging
import os
import shutil
import sqlite3
from collections.abc import Iterator
from contextlib import closing
from dataclasses import dataclass
from datetime import UTC, datetime
from logging.handlers import RotatingFileHandler
from pathlib import Path

from mirvo.core.errors import BadInput, NotFound
from mirvo.records.database import FILE_NAME, known_revisions
from mirvo.records.limits import BeyondLimits, values_beyond_limits
from mirvo.records.soundness import SNAPSHOTS, complaint_about
from mirvo.studio.ground.context import Studio
from mirvo.studio.yard.restoring import Waiting, stage_folder

LOG_FILE, MAX_LOG_BYTES, LOG_FILES = "mirvo.log", 512 * 1024, 2
SHOWN_LINES = 120
MAX_SHOWN = 100


@dataclass(frozen=True)
class RecordsCopy:
    """A copy of the records by day. name : of its file. trees : how many it holds."""

    name: str
    made_at: datetime
    trees: int
    wrong: str


def copies_of_records(folder: Path) -> list[RecordsCopy]:
    """The copies that were kept, the newest first."""
    paths = sorted((folder / SNAPSHOTS).glob("mirvo-*.sqlite3"), reverse=True)
    return [_copy(path) for path in paths]


def _copy(path: Path) -> RecordsCopy:
    made_at = datetime.fromtimestamp(path.stat().st_mtime, UTC).replace(tzinfo=None)
    wrong, trees = complaint_about(path, known_revisions()) or "", 0
    if not wrong:
        with closing(sqlite3.connect(path)) as kept:
            (trees,) = kept.execute("SELECT count(*) FROM trees").fetchone()
    return RecordsCopy(path.name, made_at, int(trees), wrong)


def stage_copy(folder: Path, name: str) -> Waiting:
    """Make a copy of the records ready for the next start, with the photos that are here.

    Raises
    ------
    NotFound : there is no such copy. BadInput : it is damaged, or there is no room for it.
    """
    # Looked up among the copies there are: a name that was sent may be no name at all.
    kept = {path.name: path for path in (folder / SNAPSHOTS).glob("mirvo-*.sqlite3")}
    path = kept.get(name)
    if path is None:
        raise NotFound("copy", "This copy is not here any more.")
    found = _copy(path)
    if found.wrong:
        raise BadInput("copy", f"This copy cannot be used: {found.wrong}.")

    def fill(making: Path) -> Waiting:
        making.mkdir()
        shutil.copy2(path, making / FILE_NAME)
        for part in ("photos/originals", "standins", SNAPSHOTS):
            if (folder / part).is_dir():
                # The same files under a second name: photos are never rewritten.
                shutil.copytree(folder / part, making / part, copy_function=_link)
        return Waiting(trees=found.trees, photos=_photos(path), made_at=found.made_at)

    try:
        return stage_folder(folder, fill)
    except OSError as error:
        said = f"The copy cannot be made ready here: {error.strerror}. Nothing was changed."
        raise BadInput("copy", said) from None


def _link(source: str, target: str) -> str:
    try:
        os.link(source, target)
    except OSError:
        shutil.copy2(source, target)
    return target


def _photos(path: Path) -> int:
    with closing(sqlite3.connect(path)) as kept:
        (count,) = kept.execute("SELECT count(*) FROM photos").fetchone()
    return int(count)


def still_beyond_limits(studio: Studio) -> list[BeyondLimits]:
    """Values in the records that no way in would take today."""
    with closing(sqlite3.connect(studio.folder / FILE_NAME)) as kept:
        found = values_beyond_limits(kept, studio.today)
        return [one for one, _ in zip(found, range(MAX_SHOWN), strict=False)]


def keep_log(folder: Path) -> None:
    """From now on what goes wrong is written to a file of the data folder too."""
    handler = RotatingFileHandler(
        folder / LOG_FILE,
        maxBytes=MAX_LOG_BYTES,
        backupCount=LOG_FILES,
        encoding="utf-8",
        delay=True,
    )
    handler.setLevel(logging.WARNING)
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(name)s: %(message)s"))
    logging.getLogger().addHandler(handler)


def log_lines(folder: Path) -> list[str]:
    """The last lines of the log, the newest last."""
    try:
        text = (folder / LOG_FILE).read_text("utf-8", "replace")
    except FileNotFoundError:
        return []
    return list(_last(text))


def _last(text: str) -> Iterator[str]:
    yield from text.splitlines()[-SHOWN_LINES:]
