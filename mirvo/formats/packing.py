"""Zip files written as a stream and read with care; what bundles and exchange files share."""

from __future__ import annotations

import zipfile
import zlib
from collections.abc import Iterator
from pathlib import Path

CHUNK = 1 << 20
# what zipfile raises for damage, a way of packing it does not know, and a password
UNREADABLE = (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError)


class Outlet:
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


def put_file(made: zipfile.ZipFile, name: str, path: Path, how: int) -> Iterator[bytes]:
    """Put a file into a zip, piece by piece; each piece as it was read."""
    # Without the time of day the same records make the same bundle.
    entry = zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0))
    entry.compress_type = how
    entry.external_attr = 0o644 << 16
    large = path.stat().st_size >= zipfile.ZIP64_LIMIT
    with path.open("rb") as source, made.open(entry, "w", force_zip64=large) as target:
        while piece := source.read(CHUNK):
            target.write(piece)
            yield piece


def put_text(made: zipfile.ZipFile, name: str, text: str) -> None:
    """Put a text into a zip, packed."""
    entry = zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0))
    entry.compress_type = zipfile.ZIP_DEFLATED
    entry.external_attr = 0o644 << 16
    made.writestr(entry, text)


def too_much(entry: zipfile.ZipInfo, most: int, packed_share: int) -> bool:
    """Whether a file says it unpacks to more than it may, of itself or of what it takes packed."""
    return entry.file_size > min(most, packed_share * entry.compress_size + CHUNK)
