"""A whole studio in one file: records and photos, checked when they are put back.

A bundle is a zip file: `mirvo.sqlite3`, the originals as `photos/<sha256>`, what is known of
simulated photos as `standins/<sha256>.json`, and last `manifest.json`, which says what must
be there. It is written as a stream, so that its size is no matter.

A bundle from elsewhere may be made to harm: nothing in it is a file's name unless it is a digest,
nothing is unpacked beyond what photos and records can come to, and records that run anything of
their own are refused.
"""

from __future__ import annotations

import hashlib
import json
import os
import re
import shutil
import sqlite3
import tempfile
import zipfile
from collections.abc import Iterator
from contextlib import closing
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import IO, Literal

from pydantic import BaseModel, ConfigDict, ValidationError
from sqlalchemy.exc import SQLAlchemyError

from mirvo.core.errors import BadInput
from mirvo.formats.packing import CHUNK, UNREADABLE, Outlet, put_file, too_much
from mirvo.records.database import (
    FILE_NAME,
    as_utc,
    copy_database,
    engine_on,
    known_revisions,
    newest_revision,
    tables_at,
    tables_of,
    upgrade,
)
from mirvo.records.limits import set_aside_beyond_limits
from mirvo.records.photos import DIGEST, MAX_BYTES, PhotoStore, digest_of
from mirvo.records.set_aside import beyond_limits_aside
from mirvo.records.soundness import complaint_about
from mirvo.records.values import take_out_unreadable

FORMAT: Literal["mirvo-bundle"] = "mirvo-bundle"
# What is said of a bundle reads on from its name; people know bundles as backups.
NO_BACKUP = "is no backup of Mirvo, or is damaged"
VERSION = 1
MANIFEST = "manifest.json"
STANDINS = "standins"
# Larger than the list of half a million photos; more is no manifest.
MAX_MANIFEST = 64 << 20
STANDIN = re.compile(r"standins/[0-9a-f]{64}\.json")
# Photos lie in a bundle as they are; records and truths of simulated photos pack well, but no
# more than so much. What says it unpacks to more is made to fill a disk.
MOST_PACKED, MOST_STANDIN, MOST_RECORDS = 100, 4 << 20, 16 << 30
# Of what was not sound so much is named; more is counted.
MOST_NAMED = 60


@dataclass(frozen=True)
class Bundled:
    """What a bundle holds. photos : that came back whole. lost : the others, by tree and name, and
    values nobody can read, each in words with what befell it."""

    made_at: datetime
    trees: int
    photos: int
    lost: tuple[str, ...]


class Manifest(BaseModel):
    """What must be in a bundle: the digest of its records, and the photos by theirs."""

    model_config = ConfigDict(frozen=True, strict=True)
    format: Literal["mirvo-bundle"]
    version: int
    made_at: datetime
    revision: str
    records_sha256: str
    trees: int
    photos: tuple[str, ...]
    missing: tuple[str, ...]
    # Not what they were already when the bundle was made; they are in it as they were found.
    damaged: tuple[str, ...] = ()


def bundle_pieces(folder: Path, made_at: datetime) -> Iterator[bytes]:
    """A data folder as a bundle, piece by piece; records as they stand at the first piece."""
    # Copied first, so that what is written meanwhile is not half in it.
    store, outlet = PhotoStore(folder), Outlet()
    with tempfile.TemporaryDirectory() as place:
        records = Path(place) / FILE_NAME
        copy_database(folder / FILE_NAME, records)
        digests, trees, revision = _counted(records)
        with zipfile.ZipFile(outlet, "w", allowZip64=True) as made:
            digest = hashlib.sha256()
            for piece in put_file(made, FILE_NAME, records, zipfile.ZIP_DEFLATED):
                digest.update(piece)
                yield outlet.taken()
            missing, damaged = [], []
            for name in digests:
                path = store.place_of(name) if DIGEST.fullmatch(name) else None
                if path is None or not path.exists():
                    missing.append(name)
                    continue
                if digest_of(path) != name:
                    damaged.append(name)
                for _ in put_file(made, f"photos/{name}", path, zipfile.ZIP_STORED):
                    yield outlet.taken()
                known = folder / STANDINS / f"{name}.json"
                if known.exists():
                    for _ in put_file(
                        made, f"{STANDINS}/{known.name}", known, zipfile.ZIP_DEFLATED
                    ):
                        yield outlet.taken()
            manifest = Manifest(
                format=FORMAT,
                version=VERSION,
                made_at=made_at.replace(microsecond=0),
                revision=revision,
                records_sha256=digest.hexdigest(),
                trees=trees,
                photos=tuple(sorted(set(digests) - set(missing) - set(damaged))),
                missing=tuple(missing),
                damaged=tuple(damaged),
            )
            made.writestr(MANIFEST, manifest.model_dump_json(indent=1))
        yield outlet.taken()


def unpack_bundle(bundle: Path, folder: Path, now: datetime) -> Bundled:
    """Put a bundle into a new data folder: all that is sound in it.

    The records must be sound; photos that are not are left out and named.

    Raises
    ------
    BadInput : the folder is taken, or says what in the bundle is damaged, harmful or too new;
        nothing of it stays.
    """
    if folder.exists() and any(folder.iterdir()):
        raise BadInput(str(folder), "holds data already; name an empty folder or one not there yet")
    # Unpacked beside, moved when whole: a broken bundle leaves nothing.
    making = folder.with_name(f"{folder.name}.unpacking")
    shutil.rmtree(making, ignore_errors=True)
    try:
        found = _opened(bundle, making, now, keep=True)
        # An empty folder was named; the unpacked one takes its place.
        if folder.exists():
            folder.rmdir()
        making.replace(folder)
    except OSError as error:
        raise BadInput(str(bundle), f"cannot be unpacked: {error.strerror or error}") from None
    finally:
        shutil.rmtree(making, ignore_errors=True)
    return found


def check_bundle(bundle: Path, now: datetime) -> Bundled:
    """Read a bundle through as if to restore it, without keeping its photos.

    Raises
    ------
    BadInput : as `unpack_bundle`.
    """
    with tempfile.TemporaryDirectory() as place:
        return _opened(bundle, Path(place) / "checked", now, keep=False)


def _opened(bundle: Path, folder: Path, now: datetime, keep: bool) -> Bundled:
    try:
        with zipfile.ZipFile(bundle) as packed:
            manifest = _manifest(packed)
            if keep:
                _enough_room(packed, folder)
            return _unpack(packed, manifest, folder, now, keep)
    except BadInput as error:
        # Whoever holds the backup knows it by its name, not by what lies in it.
        raise BadInput(str(bundle), error.message) from None
    except UNREADABLE:
        raise BadInput(str(bundle), NO_BACKUP) from None


def _enough_room(packed: zipfile.ZipFile, folder: Path) -> None:
    needed = sum(entry.file_size for entry in packed.infolist())
    place = next(place for place in folder.absolute().parents if place.exists())
    if needed > (free := shutil.disk_usage(place).free):
        room = f"{needed / 1e9:.1f} GB are needed and {free / 1e9:.1f} GB are free"
        raise BadInput(str(folder.parent), f"needs more room than there is: {room}")


def _counted(records: Path) -> tuple[list[str], int, str]:
    """Digests of all photos, how many trees, and the revision of the tables."""
    with closing(sqlite3.connect(records)) as kept:
        digests = kept.execute(
            "SELECT digest FROM photos UNION SELECT photo_digest FROM pots WHERE photo_digest != ''"
        )
        names = sorted(str(row[0]) for row in digests)
        trees = kept.execute("SELECT count(*) FROM trees WHERE composted_at IS NULL").fetchone()
        revision = kept.execute("SELECT version_num FROM alembic_version").fetchone()
    return names, int(trees[0]), str(revision[0])


def _manifest(packed: zipfile.ZipFile) -> Manifest:
    try:
        entry = packed.getinfo(MANIFEST)
        # The size is the one in the index; what is read is bounded by it.
        manifest = json.loads(packed.read(entry)) if entry.file_size <= MAX_MANIFEST else None
    except (KeyError, ValueError):
        manifest = None
    if not isinstance(manifest, dict) or manifest.get("format") != FORMAT:
        raise BadInput(MANIFEST, NO_BACKUP)
    # A newer bundle may say more than is known here, so its age is looked at first.
    if manifest.get("version") != VERSION or str(manifest.get("revision", "")) > newest_revision():
        raise BadInput(MANIFEST, "comes from a newer Mirvo; bring this one up to date")
    try:
        return Manifest.model_validate_json(json.dumps(manifest))
    except ValidationError:
        raise BadInput(MANIFEST, "does not say what it holds") from None


def _unpack(
    packed: zipfile.ZipFile, manifest: Manifest, folder: Path, now: datetime, keep: bool
) -> Bundled:
    """Records first, then every photo they speak of that is sound. keep : photos too."""
    store, entries = PhotoStore(folder), {entry.filename: entry for entry in packed.infolist()}
    for digest in (*manifest.photos, *manifest.damaged):
        if not DIGEST.fullmatch(digest):
            raise BadInput(MANIFEST, "holds a photo of a name no photo can have")
    records = folder / FILE_NAME
    if FILE_NAME not in entries:
        raise BadInput(FILE_NAME, "holds no records")
    if too_much(entries[FILE_NAME], MOST_RECORDS, MOST_PACKED):
        raise BadInput(FILE_NAME, "would unpack to more than any records come to")
    if _copied(packed, FILE_NAME, records) != manifest.records_sha256:
        raise BadInput(FILE_NAME, "is damaged: its records are not what they were")
    _refuse_records(records, manifest)
    unread = _made_sound(records, manifest.made_at, now)
    with closing(sqlite3.connect(records)) as kept:
        trees = int(kept.execute("SELECT count(*) FROM trees").fetchone()[0])
    names = _names_of_photos(records)
    told_of = {*manifest.photos, *manifest.damaged}
    lost = {digest: "it is not in the backup" for digest in names if digest not in told_of}
    lost |= dict.fromkeys(manifest.missing, "its file was missing")
    lost |= dict.fromkeys(manifest.damaged, "its file was damaged already")
    sound = 0
    for digest in (*manifest.photos, *manifest.damaged):
        entry = entries.get(f"photos/{digest}")
        if entry is None:
            lost[digest] = "it is not in the backup"
        elif too_much(entry, MAX_BYTES, packed_share=1):
            lost[digest] = "it would unpack to more than any photo comes to"
        elif (found := _sound_copy(packed, entry, store.place_of(digest), keep)) == digest:
            sound += digest in names
        elif digest in manifest.damaged and found is not None:
            # As it was found when the bundle was made: better than none.
            continue
        else:
            store.place_of(digest).unlink(missing_ok=True)
            lost[digest] = "it is damaged in the backup"
    for name, entry in entries.items():
        if keep and STANDIN.fullmatch(name) and not too_much(entry, MOST_STANDIN, MOST_PACKED):
            _sound_copy(packed, entry, folder / name, keep)
    told = sorted(f"{names.get(digest, digest[:12])}: {why}" for digest, why in lost.items())
    named = [*told[:MOST_NAMED], *unread[:MOST_NAMED]]
    if more := len(told) + len(unread) - len(named):
        named.append(f"and {more:,} more")
    # Trees on the compost heap lie in the backup and are not counted in what it says.
    return Bundled(manifest.made_at, min(trees, manifest.trees), sound, tuple(named))


def _made_sound(records: Path, made_at: datetime, now: datetime) -> list[str]:
    """Bring records up to date and set aside what no way in would take; what befell each value."""
    with closing(sqlite3.connect(records)) as kept:
        told = take_out_unreadable(kept, made_at)
    engine = engine_on(records)
    try:
        upgrade(engine, "head")
    except SQLAlchemyError as error:
        raise BadInput(
            FILE_NAME, f"holds records that cannot be brought up to date: {error}"
        ) from None
    finally:
        engine.dispose()
    # Of two clocks the later one is believed: one that stands at its beginning calls all days
    # days to come.
    today = max(as_utc(now), as_utc(made_at))
    with closing(sqlite3.connect(records)) as kept:
        return [*told, *beyond_limits_aside(kept), *set_aside_beyond_limits(kept, today)]


def _sound_copy(
    packed: zipfile.ZipFile, entry: zipfile.ZipInfo, path: Path, keep: bool
) -> str | None:
    """The digest of one file of the bundle, copied where it is to be kept; None: unreadable."""
    try:
        return _copied(packed, entry.filename, path if keep else Path(os.devnull))
    except UNREADABLE:
        return None


def _copied(packed: zipfile.ZipFile, name: str, path: Path) -> str:
    """Copy one file out of the bundle; sha256 of what was copied."""
    path.parent.mkdir(parents=True, exist_ok=True)
    digest = hashlib.sha256()
    source: IO[bytes]
    with packed.open(name) as source, path.open("wb") as target:
        while piece := source.read(CHUNK):
            digest.update(piece)
            target.write(piece)
    return digest.hexdigest()


def _refuse_records(path: Path, manifest: Manifest) -> None:
    wrong = complaint_about(path, known_revisions(), thorough=True)
    if wrong is None and manifest.revision not in known_revisions():
        wrong = "it says nothing of its age"
    if wrong is None and tables_of(path) != tables_at(manifest.revision):
        wrong = "its tables are not those Mirvo makes"
    if wrong is not None:
        raise BadInput(FILE_NAME, f"holds damaged records: {wrong}")


def _names_of_photos(records: Path) -> dict[str, str]:
    """Photos in words by digest: tree, name and day; or the pot it is of."""
    asked = (
        "SELECT photos.digest, trees.name, photos.file_name, photos.taken_on FROM photos "
        "JOIN trees ON trees.id = photos.tree_id ORDER BY photos.id DESC"
    )
    with closing(sqlite3.connect(records)) as kept:
        rows = kept.execute(asked).fetchall()
        columns = {row[1] for row in kept.execute("PRAGMA table_info(pots)")}
        # Bundles of former versions know no photos of pots.
        of_pots = "SELECT photo_digest, name FROM pots WHERE photo_digest != ''"
        pots = kept.execute(of_pots).fetchall() if "photo_digest" in columns else []
    named = {str(digest): f"pot {name}" for digest, name in pots}
    return named | {str(digest): f"{tree}, {name}, of {day}" for digest, tree, name, day in rows}
