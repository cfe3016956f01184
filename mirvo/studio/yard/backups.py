"""Backups: the whole studio as one file, when the last one was made, and putting one back."""

from __future__ import annotations

import os
import shutil
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from mirvo.core.errors import BadInput
from mirvo.formats.bundle import Bundled, bundle_pieces, check_bundle, unpack_bundle
from mirvo.records.database import DbSession
from mirvo.records.lock import held
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import put_yard, yard_of

REMIND_AFTER_DAYS = 30


def backup_pieces(studio: Studio) -> Iterator[bytes]:
    """A backup, piece by piece."""
    yield from bundle_pieces(studio.folder, studio.now)


def mark_backed_up(studio: Studio) -> None:
    """Keep that a whole backup was made now."""
    with studio.writing() as db:
        put_yard(db, backed_up_at=studio.now)


@dataclass(frozen=True)
class Written:
    """A backup that was written. size : bytes. held : what comes back from it, and what does
    not."""

    size: int
    held: Bundled


def write_backup(studio: Studio, path: Path) -> Written:
    """Write a backup to a file, whole or not at all, and read it through as if to restore it.

    Raises
    ------
    BadInput : it cannot be written there, or does not come back.
    """
    # Beside its place and moved there whole, so that half a backup never bears its name.
    making = path.with_name(f"{path.name}.making")
    try:
        with making.open("wb") as target:
            size = sum(target.write(piece) for piece in backup_pieces(studio))
            target.flush()
            os.fsync(target.fileno())
        comes_back = check_bundle(making, studio.now)
        making.replace(path)
    except OSError as error:
        raise BadInput(str(path), f"cannot be written: {error.strerror}") from None
    finally:
        making.unlink(missing_ok=True)
    mark_backed_up(studio)
    return Written(size, comes_back)


def restore(bundle: Path, folder: Path, now: datetime, aside: bool = False) -> Bundled:
    """Put a backup into a data folder.

    aside : data that is there is moved beside it under another name instead of refused.

    Raises
    ------
    BadInput : the folder is taken or in use, or the backup is damaged; what was there stays.
    """
    if not bundle.is_file():
        raise BadInput(str(bundle), "there is no such file")
    taken = folder.exists() and any(folder.iterdir())
    if not (taken and aside):
        return unpack_bundle(bundle, folder, now)
    with held(folder):
        # Unpacked and checked before anything that is there is touched.
        fresh = folder.with_name(f"{folder.name}.restored")
        shutil.rmtree(fresh, ignore_errors=True)
        found = unpack_bundle(bundle, fresh, now)
        swap(folder, fresh, now)
    return found


def swap(folder: Path, fresh: Path, now: datetime) -> Path:
    """Put another folder in place of a data folder; where that one is kept.

    Raises
    ------
    BadInput : one of the two cannot be moved; both are where they were.
    """
    former = folder.with_name(f"{folder.name}.before-{now:%Y-%m-%d-%H%M%S}")
    try:
        folder.rename(former)
        fresh.rename(folder)
    except OSError as error:
        # Put back as it was, whichever of the two did not go through.
        if former.exists() and not folder.exists():
            former.rename(folder)
        raise BadInput(str(folder), f"cannot be moved aside: {error.strerror}") from None
    return former


def days_since_backup(db: DbSession, now: datetime) -> int | None:
    """Days since the last backup, None when there was none yet."""
    made = yard_of(db).backed_up_at
    return None if made is None else (now - made).days


def backup_is_due(db: DbSession, now: datetime) -> bool:
    """Whether a month has gone by without a backup."""
    days = days_since_backup(db, now)
    return days is None or days >= REMIND_AFTER_DAYS
