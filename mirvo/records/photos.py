"""The photo store: originals by content hash, never rewritten; derivatives made on demand."""

from __future__ import annotations

import hashlib
import json
import os
import re
import tempfile
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from datetime import date, datetime
from pathlib import Path
from typing import Any

from mirvo.core.errors import BadInput, NotFound
from mirvo.records.pictures import (
    EXIF_FOCAL_35MM,
    EXIF_TAKEN,
    QUARTER_TURNS,
    SIZES,
    TYPES,
    check_decodes,
    damage_named,
    exif_of,
    open_picture,
    refuse_bombs,
    smaller,
)

# Larger than any phone makes, small enough to be held in memory.
MAX_BYTES = 80 * 1024 * 1024
CHUNK = 1 << 20
DIGEST = re.compile(r"[0-9a-f]{64}")


@dataclass(frozen=True)
class PhotoFacts:
    """What the file itself says, size after its EXIF orientation is applied."""

    digest: str
    media_type: str
    width: int
    height: int
    focal_length_35mm: float | None
    taken_on: date | None


class PhotoStore:
    """Photos below one folder: `originals/` by hash, `derived/` can be deleted any time."""

    def __init__(self, folder: Path) -> None:
        self.originals = folder / "photos" / "originals"
        self.derived = folder / "photos" / "derived"

    def keep(self, content: bytes, file_name: str) -> PhotoFacts:
        """Check a photo and store it as it came, with its smaller pictures.

        Raises
        ------
        BadInput : names the file and says why it cannot be used.
        """
        facts = _facts_of(content, file_name)
        path = self.place_of(facts.digest)
        if not path.exists():
            # Decoding shows a file that breaks off; it is done once, for both.
            with damage_named(file_name):
                pictures = smaller(content)
            _write_whole(path, content)
            # They can be made again; the original is what counts.
            with suppress(OSError):
                self._put_smaller(facts.digest, pictures)
        return facts

    def read(self, digest: str) -> bytes:
        """The original. Raises NotFound."""
        return self.original(digest).read_bytes()

    def derivative(self, digest: str, size: str) -> Path:
        """Path of a JPEG no longer than the size's longest side, upright; made when missing."""
        if size not in SIZES:
            raise NotFound("photo", f"there is no size '{size}'")
        self.place_of(digest)  # refuses what is no digest
        path = self._derived(digest, size)
        if not path.exists():
            self._put_smaller(digest, smaller(self.read(digest)))
        return path

    def _put_smaller(self, digest: str, pictures: dict[str, bytes]) -> None:
        for name, picture in pictures.items():
            _write_whole(self._derived(digest, name), picture)

    def original(self, digest: str) -> Path:
        """Path of the original. Raises NotFound."""
        path = self.place_of(digest)
        if not path.exists():
            raise NotFound("photo", "the photo's file is missing from the data folder")
        return path

    def forget(self, digest: str) -> None:
        """Remove a photo's file and all that was made of it."""
        if not DIGEST.fullmatch(digest):
            return
        self.place_of(digest).unlink(missing_ok=True)
        # Everything made from it goes too; nothing of a photo taken out may stay.
        for made in self.derived.glob(f"*/{digest[:2]}/{digest}.*"):
            made.unlink(missing_ok=True)

    def finding(self, digest: str, name: str, work_out: Callable[[bytes], Any]) -> Any:
        """What was worked out of a photo once, JSON; like a smaller picture it can be remade."""
        self.place_of(digest)  # refuses what is no digest
        path = self.derived / name / digest[:2] / f"{digest}.json"
        if not path.exists():
            found = work_out(self.read(digest))
            _write_whole(path, json.dumps(found).encode())
            return found
        return json.loads(path.read_text("utf-8"))

    def made(self, digest: str, kind: str, version: str, make: Callable[[bytes], bytes]) -> Path:
        """A JPEG made of a photo, made anew where its version changes; older ones go."""
        self.place_of(digest)  # refuses what is no digest
        folder = self.derived / kind / digest[:2]
        path = folder / f"{digest}.{version}.jpg"
        if not path.exists():
            content = make(self.read(digest))
            for older in folder.glob(f"{digest}.*"):
                older.unlink(missing_ok=True)
            _write_whole(path, content)
        return path

    def _derived(self, digest: str, size: str) -> Path:
        return self.derived / size / digest[:2] / f"{digest}.jpg"

    def place_of(self, digest: str) -> Path:
        """Where the original of a digest lies or would lie. Raises NotFound: it is no digest."""
        # Records from elsewhere may say anything; no other file may be reached by it.
        if not DIGEST.fullmatch(digest):
            raise NotFound("photo", "the record of the photo does not name a photo's file")
        return self.originals / digest[:2] / digest


def examine(content: bytes, file_name: str) -> PhotoFacts:
    """Facts of a photo file without decoding it whole. Raises BadInput naming the file."""
    facts = _facts_of(content, file_name)
    check_decodes(content, file_name)
    return facts


def _facts_of(content: bytes, file_name: str) -> PhotoFacts:
    if not content:
        raise BadInput(file_name, "the file is empty (0 bytes)")
    if len(content) > MAX_BYTES:
        size = len(content) / 1024**2
        raise BadInput(file_name, f"the file is {size:.0f} MB; at most 80 MB can be taken in")
    image = open_picture(content, file_name)
    refuse_bombs(image, content, file_name)
    width, height = image.size
    orientation, detail = exif_of(image)
    # The size is that of the picture as people see it; this format is turned by its reader
    # already.
    if orientation in QUARTER_TURNS and image.format != "HEIF":
        width, height = height, width
    return PhotoFacts(
        digest=hashlib.sha256(content).hexdigest(),
        media_type=TYPES[str(image.format)][0],
        width=width,
        height=height,
        focal_length_35mm=_focal(detail.get(EXIF_FOCAL_35MM)),
        taken_on=_taken(detail.get(EXIF_TAKEN)),
    )


def _focal(value: object) -> float | None:
    try:
        focal = float(value)  # type: ignore[arg-type]
    except (TypeError, ValueError):
        return None
    # Cameras write nought or nonsense where they do not know.
    return focal if 8 <= focal <= 1200 else None


def _taken(value: object) -> date | None:
    try:
        return datetime.strptime(str(value)[:10], "%Y:%m:%d").date()
    except ValueError:
        return None


def digest_of(path: Path) -> str:
    """The sha256 of a file's content."""
    digest = hashlib.sha256()
    with path.open("rb") as source:
        while piece := source.read(CHUNK):
            digest.update(piece)
    return digest.hexdigest()


def _write_whole(path: Path, content: bytes) -> None:
    """Write so that the file is there whole or not at all."""
    path.parent.mkdir(parents=True, exist_ok=True)
    # Written beside and moved: a photo is there whole or not at all.
    with tempfile.NamedTemporaryFile(dir=path.parent, delete=False) as handle:
        handle.write(content)
        handle.flush()
        os.fsync(handle.fileno())
    Path(handle.name).replace(path)
