"""A second copy of the studio in another folder, best on another drive, kept up by itself.

It is a data folder like the first: `mirvo serve --data` opens it as it is. Originals never change,
so only new ones are copied; nothing in it is ever deleted but old copies of the records.
"""

from __future__ import annotations

import shutil
import sqlite3
import sys
import threading
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from mirvo.core.errors import BadInput, MirvoError
from mirvo.records.database import FILE_NAME, copy_database, known_revisions
from mirvo.records.lock import held
from mirvo.records.photos import DIGEST
from mirvo.records.snapshots import keep_snapshot
from mirvo.records.soundness import complaint_about
from mirvo.studio.ground.context import KEY_FILE, Studio

EVERY_S = 24 * 3600.0


@dataclass(frozen=True)
class SecondCopy:
    """What is known of the copy. made_at : when it was last whole, UTC, None before the first.
    failed : why the last try came to nothing, "" when it did not."""

    folder: Path
    made_at: datetime | None
    failed: str = ""


def look_at_copy(folder: Path) -> SecondCopy:
    """The copy as it lies there."""
    path = folder / FILE_NAME
    if not path.exists():
        return SecondCopy(folder, None)
    made_at = datetime.fromtimestamp(path.stat().st_mtime, UTC).replace(tzinfo=None)
    return SecondCopy(folder, made_at)


def copy_beside(studio: Studio, folder: Path) -> int:
    """Bring the copy up to date; how many photos were copied.

    Raises
    ------
    BadInput : the folder lies within the studio's, is another studio's, or cannot be written; or
        the records are not sound. The copy stays as it was.
    """
    own, there = studio.folder.resolve(), folder.resolve()
    if there == own or own in there.parents or there in own.parents:
        raise BadInput(str(folder), "the second copy must lie outside the data folder")
    try:
        there.mkdir(parents=True, exist_ok=True)
        _refuse_foreign(there, studio.key)
        with held(there):
            copied = _copy_photos(studio, there)
            _copy_records(own, there)
            (there / KEY_FILE).write_text(studio.key, "utf-8")
            keep_snapshot(there, studio.today)
    except (OSError, sqlite3.Error) as error:
        raise BadInput(str(folder), f"cannot be written: {error}") from None
    return copied


def _refuse_foreign(folder: Path, key: str) -> None:
    if not (folder / FILE_NAME).exists():
        return
    named = folder / KEY_FILE
    if not named.exists() or named.read_text("utf-8").strip() != key:
        raise BadInput(
            str(folder),
            "holds another studio; nothing was written over it. Name another folder, or move "
            "that one away",
        )


def _copy_photos(studio: Studio, folder: Path) -> int:
    # Photos first: records must never speak of a photo that is not there yet.
    copied = 0
    for path in _files_of(studio):
        target = folder / path.relative_to(studio.folder)
        if target.exists() and target.stat().st_size == path.stat().st_size:
            continue
        target.parent.mkdir(parents=True, exist_ok=True)
        making = target.with_name(f"{target.name}.making")
        shutil.copyfile(path, making)
        making.replace(target)
        copied += path.parent != studio.standins
    return copied


def _files_of(studio: Studio) -> Iterator[Path]:
    for path in studio.photos.originals.glob("*/*"):
        if DIGEST.fullmatch(path.name):
            yield path
    yield from studio.standins.glob("*.json")


def _copy_records(own: Path, folder: Path) -> None:
    making = folder / f"{FILE_NAME}.making"
    try:
        copy_database(own / FILE_NAME, making)
        wrong = complaint_about(making, known_revisions(), thorough=True)
        if wrong is not None:
            raise BadInput(FILE_NAME, f"the records are not sound: {wrong}")
        making.replace(folder / FILE_NAME)
    finally:
        making.unlink(missing_ok=True)


class CopyKeeper:
    """Brings the second copy up to date now and once a day, beside the server."""

    def __init__(self, studio: Studio, folder: Path) -> None:
        self.studio, self.state = studio, look_at_copy(folder)
        self._over = threading.Event()
        self._thread = threading.Thread(target=self._keep, daemon=True)

    def start(self) -> None:
        self._thread.start()

    def close(self) -> None:
        """Stop after the photo or the records that are being copied."""
        self._over.set()

    def copy_now(self) -> None:
        """One try; what became of it is in `state`."""
        folder = self.state.folder
        try:
            copy_beside(self.studio, folder)
            self.state = look_at_copy(folder)
        except MirvoError as error:
            self.state = SecondCopy(folder, look_at_copy(folder).made_at, str(error))
            print(f"The second copy was not made: {error}", file=sys.stderr)

    def _keep(self) -> None:
        while True:
            self.copy_now()
            if self._over.wait(EVERY_S):
                return
