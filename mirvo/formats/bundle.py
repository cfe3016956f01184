"""A whole studio in one file: records and photos, checked when they are put back.

A bundle is a zip file: `mirvo.sqlite3`, the originals as `photos/<sha256>`, what is known of
simulated photos as `standins/<sha256>.json`, and last `manifest.json`, which says what must
be there. It is written as a stream, so that its size is no matter.
"""

from __future__ import annotations

import hashlib
import json
import re
import shutil
import sqlite3
import tempfile
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import closing
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import IO, Literal

from pydantic import BaseModel, ConfigDict, ValidationError

from mirvo.core.errors import BadInput
from mirvo.records.database import FILE_NAME, copy_database, newest_revision
from mirvo.records.photos import PhotoStore

FORMAT: Literal["mirvo-bundle"] = "mirvo-bundle"
VERSION = 1
MANIFEST = "manifest.json"
STANDINS = "standins"
CHUNK = 1 << 20
# Larger than the list of half a million photos; more is no manifest.
MAX_MANIFEST = 64 << 20
# what zipfile raises for damage, a way of packing it does not know, and a password
UNREADABLE = (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError)
PHOTO = re.compile(r"photos/([0-9a-f]{64})")
STANDIN = re.compile(r"standins/[0-9a-f]{64}\.json")


@dataclass(frozen=True)
class Bundled:
    """What a bundle holds. missing : photos whose files were gone when it was made."""

    made_at: str
    trees: int
    photos: int
    missing: int


class Manifest(BaseModel):
    """What must be in a bundle: the digest of its records, and the photos by theirs."""

    model_config = ConfigDict(frozen=True, strict=True)
    format: Literal["mirvo-bundle"]
    version: int
    made_at: str
    revision: str
    records_sha256: str
    trees: int
    photos: tuple[str, ...]
    missing: tuple[str, ...]


class _Outlet:
    """Takes what the zip writes, to be handed on piece by piece."""

    def __init__(self) -> None:
        self._pieces: list[bytes] = []

    def write(self, piece: bytes) -> int:
        self._pieces.append(bytes(piece))
        return len(piece)

    def flush(self) -> None:
        """Nothing is held back."""

    def close(self) -> None:
        """There is nothing to close."""

    def taken(self) -> bytes:
        whole = b"".join(self._pieces)
        self._pieces.clear()
        return whole


def bundle_pieces(folder: Path, made_at: datetime) -> Iterator[bytes]:
    """A data folder as a bundle, piece by piece; records as they stand at the first piece."""
    # Copied first, so that what is written meanwhile is not half in it.
    store, outlet = PhotoStore(folder), _Outlet()
    with tempfile.TemporaryDirectory() as place:
        records = Path(place) / FILE_NAME
        copy_database(folder / FILE_NAME, records)
        digests, trees, revision = _counted(records)
        with zipfile.ZipFile(outlet, "w", allowZip64=True) as made:
            digest = hashlib.sha256()
            for piece in _put(made, FILE_NAME, records, zipfile.ZIP_DEFLATED):
                digest.update(piece)
                yield outlet.taken()
            missing = []
            for name in digests:
                path = store.place_of(name)
                if not path.exists():
                    missing.append(name)
                    continue
                for _ in _put(made, f"photos/{name}", path, zipfile.ZIP_STORED):
                    yield outlet.taken()
                known = folder / STANDINS / f"{name}.json"
                if known.exists():
                    for _ in _put(made, f"{STANDINS}/{known.name}", known, zipfile.ZIP_DEFLATED):
                        yield outlet.taken()
            manifest = Manifest(
                format=FORMAT,
                version=VERSION,
                made_at=made_at.isoformat(timespec="seconds"),
                revision=revision,
                records_sha256=digest.hexdigest(),
                trees=trees,
                photos=tuple(sorted(set(digests) - set(missing))),
                missing=tuple(missing),
            )
            made.writestr(MANIFEST, manifest.model_dump_json(indent=1))
        yield outlet.taken()


def unpack_bundle(bundle: Path, folder: Path) -> Bundled:
    """Put a bundle into a new data folder; all of it is checked before the folder is there.

    Raises
    ------
    BadInput : the folder is taken, or says what in the bundle is damaged, missing or too new.
    """
    if folder.exists() and any(folder.iterdir()):
        raise BadInput(str(folder), "holds data already; name an empty folder or one not there yet")
    # Unpacked beside, moved when whole: a broken bundle leaves nothing.
    making = folder.with_name(f"{folder.name}.unpacking")
    shutil.rmtree(making, ignore_errors=True)
    try:
        with zipfile.ZipFile(bundle) as packed:
            manifest = _manifest(packed)
            _unpack(packed, manifest, making)
        # An empty folder was named; the unpacked one takes its place.
        if folder.exists():
            folder.rmdir()
        making.replace(folder)
    except UNREADABLE as error:
        raise BadInput(str(bundle), f"is damaged or no bundle: {error}") from None
    except OSError as error:
        raise BadInput(str(bundle), f"cannot be unpacked: {error.strerror or error}") from None
    finally:
        shutil.rmtree(making, ignore_errors=True)
    photos, missing = len(manifest.photos), len(manifest.missing)
    return Bundled(manifest.made_at, manifest.trees, photos, missing)


def _put(made: zipfile.ZipFile, name: str, path: Path, how: int) -> Iterator[bytes]:
    # Without the time of day the same records make the same bundle.
    entry = zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0))
    entry.compress_type = how
    entry.external_attr = 0o644 << 16
    large = path.stat().st_size >= zipfile.ZIP64_LIMIT
    with path.open("rb") as source, made.open(entry, "w", force_zip64=large) as target:
        while piece := source.read(CHUNK):
            target.write(piece)
            yield piece


def _counted(records: Path) -> tuple[list[str], int, str]:
    """Digests of all photos, how many trees, and the revision of the tables."""
    with closing(sqlite3.connect(records)) as kept:
        digests = kept.execute("SELECT DISTINCT digest FROM photos ORDER BY digest")
        names = [str(row[0]) for row in digests]
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
        raise BadInput(MANIFEST, "this is no bundle of Mirvo")
    # A newer bundle may say more than is known here, so its age is looked at first.
    if manifest.get("version") != VERSION or str(manifest.get("revision", "")) > newest_revision():
        raise BadInput(MANIFEST, "the bundle comes from a newer Mirvo; bring this one up to date")
    try:
        return Manifest.model_validate_json(json.dumps(manifest))
    except ValidationError:
        raise BadInput(MANIFEST, "the bundle does not say what it holds") from None


def _unpack(packed: zipfile.ZipFile, manifest: Manifest, folder: Path) -> None:
    names = set(packed.namelist())
    store = PhotoStore(folder)
    wanted = {FILE_NAME: (folder / FILE_NAME, manifest.records_sha256)}
    for digest in manifest.photos:
        if not PHOTO.fullmatch(f"photos/{digest}"):
            raise BadInput(MANIFEST, "a photo bears a name no photo can have")
        wanted[f"photos/{digest}"] = (store.place_of(digest), digest)
    for name, (path, digest) in wanted.items():
        if name not in names:
            raise BadInput(name, "is missing from the bundle")
        # Each file is checked while it is copied; none is read twice.
        if _copied(packed, name, path) != digest:
            raise BadInput(name, "is damaged: its content is not what it was")
    for name in names:
        if STANDIN.fullmatch(name):
            _copied(packed, name, folder / name)
    _records_sound(folder / FILE_NAME)


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


def _records_sound(path: Path) -> None:
    try:
        with closing(sqlite3.connect(path)) as kept:
            verdict = kept.execute("PRAGMA integrity_check").fetchone()[0]
            kept.execute("SELECT version_num FROM alembic_version").fetchone()
    except sqlite3.DatabaseError as error:
        verdict = str(error)
    if verdict != "ok":
        raise BadInput(FILE_NAME, f"the records are damaged: {verdict}")
