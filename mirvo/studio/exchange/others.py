"""Trees of others to look at: exchange files that are kept beside the records and never mixed with
them."""

from __future__ import annotations

import re
import shutil
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import Any, BinaryIO

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.measure.records import TopRecord
from mirvo.formats.exchange import Archive, open_archive
from mirvo.records.models import Measurement, Photo, RootSession, Tree
from mirvo.records.set_aside import DELETED
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.set_aside import OTHERS, keep_deleted_value

FOLDER = OTHERS
MOST_FILES = 40
NAME = re.compile(r"[a-z0-9-]{1,60}")


@dataclass(frozen=True)
class OthersTree:
    """A tree of somebody else as its file has it. measured : newest from above."""

    number: int
    name: str
    species_key: str
    measured: TopRecord | None
    measured_on: date | None
    sessions: tuple[Any, ...]
    photos: tuple[str, ...]


@dataclass(frozen=True)
class OthersFile:
    """A file of somebody's trees. name : as its address has it; whose : the yard it is from."""

    name: str
    whose: str
    made_at: str
    trees: list[tuple[int, str]]


def keep_to_look_at(studio: Studio, sent: BinaryIO) -> str:
    """Keep a file to look at; its name. One of the same yard takes the place of the former.

    Raises
    ------
    BadInput : it is no exchange file, or is the studio's own.
    """
    folder = studio.folder / FOLDER
    folder.mkdir(exist_ok=True)
    making = folder / "coming.making"
    try:
        with making.open("wb") as target:
            shutil.copyfileobj(sent, target)
        with open_archive(making) as archive:
            header = archive.header
        if header.studio == studio.key:
            raise BadInput("others", "These are your own trees; they are here already.")
        name = f"{_plain(header.yard)}-{header.studio[:8]}"
        if not (folder / f"{name}.zip").exists() and len(list(folder.glob("*.zip"))) >= MOST_FILES:
            raise BadInput("others", f"{MOST_FILES} files are kept; drop one first.")
        making.replace(folder / f"{name}.zip")
    except BadInput as error:
        # Said at the field it was sent in, whatever of it is wrong.
        raise BadInput("others", error.message) from error
    finally:
        making.unlink(missing_ok=True)
    return name


def _plain(words: str) -> str:
    return re.sub(r"[^a-z0-9]+", "-", words.lower()).strip("-")[:40] or "yard"


def files_of_others(studio: Studio) -> list[OthersFile]:
    """All files that are kept to look at; one that is damaged is left out."""
    return list(_files(studio))


def _files(studio: Studio) -> Iterator[OthersFile]:
    for path in sorted((studio.folder / FOLDER).glob("*.zip")):
        try:
            with open_archive(path) as archive:
                header = archive.header
        except BadInput:
            continue
        trees = [(tree.number, tree.name) for tree in header.trees]
        yield OthersFile(path.stem, header.yard, header.made_at, trees)


def drop_file(studio: Studio, name: str) -> None:
    """Delete a file. Raises NotFound."""
    place = _place(studio, name)
    place.replace(place.with_name(f"{place.name}.{DELETED}"))
    with studio.writing() as db:
        keep_deleted_value(db, studio.now, OTHERS, place.name, f"Trees of {name}")


def _place(studio: Studio, name: str) -> Path:
    path = studio.folder / FOLDER / f"{name}.zip"
    # The name comes from an address: no other file may be reached by it.
    if not NAME.fullmatch(name) or not path.is_file():
        raise NotFound("others", "there is no such file of others")
    return path


def trees_in(studio: Studio, name: str) -> tuple[OthersFile, list[OthersTree]]:
    """The trees of a file. Raises NotFound, or BadInput where it cannot be read."""
    with open_archive(_place(studio, name)) as archive:
        header = archive.header
        trees = [(tree.number, tree.name) for tree in header.trees]
        found = OthersFile(name, header.yard, header.made_at, trees)
        return found, [_tree(archive, number) for number, _ in trees]


def _tree(archive: Archive, number: int) -> OthersTree:
    rows = archive.tree(number)
    if len(rows[Tree]) != 1:
        raise BadInput("others", "a tree of the file has no record, or more than one")
    tree: Any = rows[Tree][0]
    measured = [row for row in rows[Measurement] if getattr(row, "top", None) is not None]
    measured.sort(key=lambda row: row.measured_on)  # type: ignore[attr-defined]
    newest: Any = measured[-1] if measured else None
    sessions = sorted(rows[RootSession], key=lambda row: row.done_on)  # type: ignore[attr-defined]
    photos = sorted(rows[Photo], key=lambda row: row.taken_on)  # type: ignore[attr-defined]
    return OthersTree(
        number,
        tree.name,
        tree.species_key,
        None if newest is None else newest.top,
        None if newest is None else newest.measured_on,
        tuple(sessions),
        tuple(photo.digest for photo in photos),  # type: ignore[attr-defined]
    )


def photo_in(studio: Studio, name: str, digest: str) -> bytes:
    """A photo of a file, small. Raises NotFound, BadInput."""
    from mirvo.records.photos import examine
    from mirvo.records.pictures import smaller

    with open_archive(_place(studio, name)) as archive:
        content = archive.photo(digest)
    examine(content, "photo")
    return smaller(content)["page"]
