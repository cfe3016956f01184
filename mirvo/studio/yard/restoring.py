"""A backup put back from the browser: unpacked and checked beside the studio, in place from the
next start on. A folder that is being served is never moved."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import BinaryIO

from pydantic import BaseModel, ValidationError

from mirvo.core.errors import BadInput
from mirvo.formats.bundle import unpack_bundle
from mirvo.records.lock import held
from mirvo.studio.yard.backups import swap

SUMMARY = "restored-from.json"


class Waiting(BaseModel):
    """A backup that waits for the next start. lost : what of it was not sound."""

    trees: int
    photos: int
    made_at: datetime
    lost: tuple[str, ...] = ()


def stage_backup(folder: Path, sent: BinaryIO, now: datetime) -> Waiting:
    """Unpack a backup beside the studio, in place of one that waits already.

    Raises
    ------
    BadInput : it is damaged, harmful or too new, or there is no room; one that waits stays.
    """
    packed = folder.with_name(f"{folder.name}.to-restore.zip")

    def fill(making: Path) -> Waiting:
        found = unpack_bundle(packed, making, now)
        return Waiting(
            trees=found.trees, photos=found.photos, made_at=found.made_at, lost=found.lost
        )

    try:
        with packed.open("wb") as target:
            shutil.copyfileobj(sent, target)
        return stage_folder(folder, fill)
    except OSError as error:
        raise BadInput("backup", f"It cannot be unpacked here: {error.strerror}.") from None
    except BadInput as error:
        # The name of the file it was taken in under says nothing to whoever sent it.
        raise BadInput("backup", f"This backup {error.message}.") from None
    finally:
        packed.unlink(missing_ok=True)


def stage_folder(folder: Path, fill: Callable[[Path], Waiting]) -> Waiting:
    """Make a folder ready that takes the place of a studio's at the next start.

    fill : makes it at a place that is not there yet. One that waits already stays until the new
    one is whole.
    """
    place = _staged(folder)
    making = place.with_name(f"{place.name}.making")
    try:
        shutil.rmtree(making, ignore_errors=True)
        waiting = fill(making)
        (making / SUMMARY).write_text(waiting.model_dump_json(), "utf-8")
        shutil.rmtree(place, ignore_errors=True)
        making.rename(place)
    finally:
        shutil.rmtree(making, ignore_errors=True)
    return waiting


def waiting_backup(folder: Path) -> Waiting | None:
    """The backup that waits beside a studio's folder."""
    try:
        return Waiting.model_validate_json((_staged(folder) / SUMMARY).read_text("utf-8"))
    except (OSError, ValidationError, ValueError):
        return None


def drop_waiting(folder: Path) -> None:
    """The backup that waits is not put back."""
    shutil.rmtree(_staged(folder), ignore_errors=True)


def put_waiting_in_place(folder: Path, now: datetime) -> Waiting | None:
    """Put a backup that waits in place of a studio nobody serves, which is kept beside it.

    Raises
    ------
    BadInput : it cannot be moved; all stays as it was.
    """
    waiting = waiting_backup(folder)
    if waiting is None:
        return None
    with held(folder):
        swap(folder, _staged(folder), now)
    (folder / SUMMARY).unlink(missing_ok=True)
    return waiting


def _staged(folder: Path) -> Path:
    return folder.with_name(f"{folder.name}.to-restore")
