"""Checkup: do the records and the files of a data folder agree, and what lies about in it."""

from __future__ import annotations

import sqlite3
import time
from collections.abc import Iterator
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import select

from mirvo.records.database import FILE_NAME
from mirvo.records.limits import values_beyond_limits
from mirvo.records.models import Photo, ShelfPot, Tree
from mirvo.records.photos import DIGEST, digest_of
from mirvo.records.values import rows_astray, unreadable_values
from mirvo.studio.ground.context import Studio

# Younger than this a file may be in the making right now, s.
SETTLED_S = 3600
LEFT_OVERS = (
    *("photos/**/tmp*", "**/*.making", "snapshots/*.sqlite3-journal"),
    # A copy of the records on which an import was tried when the server was killed.
    "trial.*.making/*",
    # Photos made ready to go out when the server was killed.
    "given.*.making/*",
)


@dataclass(frozen=True)
class Checkup:
    """What was found. missing, damaged : photos by tree and name. orphans : files no record knows.
    left_overs : files left half made. unreadable : values of the records that cannot be read,
    beyond_limits : those that cannot be. photos : how many records of photos were looked at."""

    photos: int
    missing: tuple[str, ...]
    damaged: tuple[str, ...]
    orphans: tuple[Path, ...]
    left_overs: tuple[Path, ...]
    unreadable: tuple[str, ...]
    beyond_limits: tuple[str, ...]

    @property
    def to_clear(self) -> tuple[Path, ...]:
        return (*self.orphans, *self.left_overs)

    @property
    def lost(self) -> bool:
        """Whether a photo that the records speak of is gone, or it or a value not what it was."""
        return bool(self.missing or self.damaged or self.unreadable or self.beyond_limits)

    def sentences(self) -> Iterator[str]:
        """What was found, a line each."""
        yield f"{self.photos} photos looked at."
        for words in self.missing:
            yield f"Its file is missing: {words}."
        for words in self.damaged:
            yield f"Its file is not what it was: {words}."
        for words in self.unreadable:
            yield f"It cannot be read and counts as nothing: {words}."
        for words in self.beyond_limits:
            yield f"It cannot be so: {words} See Repair in the browser."
        for path in self.orphans:
            yield f"No record knows this file: {path}"
        for path in self.left_overs:
            yield f"Left half made: {path}"
        if not self.lost and not self.to_clear:
            yield "Records and files agree."


def check_folder(studio: Studio) -> Checkup:
    """Look at every photo's file and at what else lies in the folder; nothing is changed."""
    with studio.reading() as db:
        rows = db.execute(
            select(Photo.digest, Photo.file_name, Photo.taken_on, Tree.name)
            .join(Tree, Tree.id == Photo.tree_id)
            .order_by(Tree.name, Photo.taken_on, Photo.id)
        ).all()
        pots = db.execute(
            select(ShelfPot.photo_digest, ShelfPot.name).where(ShelfPot.photo_digest != "")
        ).all()
    named: dict[str, str] = {}
    for row in rows:
        named.setdefault(row.digest, f"{row.name}, {row.file_name}, of {row.taken_on}")
    for digest, name in pots:
        named.setdefault(digest, f"pot {name}")
    missing, damaged = [], []
    for digest, words in named.items():
        path = studio.photos.place_of(digest) if DIGEST.fullmatch(digest) else None
        if path is None or not path.exists():
            missing.append(words)
        elif digest_of(path) != digest:
            damaged.append(words)
    known = studio.standins.glob("*.json")
    files = [path for path in studio.photos.originals.rglob("*") if path.is_file()]
    orphans = [path for path in files if DIGEST.fullmatch(path.name) and path.name not in named]
    orphans += [path for path in known if DIGEST.fullmatch(path.stem) and path.stem not in named]
    with closing(sqlite3.connect(studio.folder / FILE_NAME)) as kept:
        unreadable = [one.words for one in unreadable_values(kept)]
        unreadable += [one.words for one in rows_astray(kept)]
        beyond = [one.words for one in values_beyond_limits(kept, studio.today)]
    left = {path for pattern in LEFT_OVERS for path in studio.folder.glob(pattern)}
    return Checkup(
        photos=len(rows) + len(pots),
        missing=tuple(missing),
        damaged=tuple(damaged),
        orphans=tuple(sorted(path for path in orphans if _settled(path))),
        left_overs=tuple(sorted(path for path in left if _settled(path))),
        unreadable=tuple(unreadable),
        beyond_limits=tuple(beyond),
    )


def clear_away(found: Checkup) -> int:
    """Remove what no record knows and what was left half made; bytes set free."""
    freed = 0
    for path in found.to_clear:
        size = path.stat().st_size if path.exists() else 0
        path.unlink(missing_ok=True)
        freed += size
    return freed


def _settled(path: Path) -> bool:
    return path.is_file() and time.time() - path.stat().st_mtime > SETTLED_S
