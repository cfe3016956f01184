"""Exchange files written as a stream and read with care.

`exchange.json` says what the file is, `studio.json` holds the rows of the studio and
`trees/<number>.json` those of one tree, both by table; photos lie as `photos/<sha256>`, as they
came. `standins/` holds what is known of simulated photos.
"""

from __future__ import annotations

import zipfile
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError
from pydantic_core import from_json, to_json

from mirvo.core.complaints import form_complaint
from mirvo.core.errors import BadInput
from mirvo.core.typed_values import UNREADABLE as UNREADABLE_TEXT
from mirvo.core.typed_values import plain
from mirvo.formats.exchange.tables import (
    STUDIO_TABLES,
    TREE_TABLES,
    Row,
    RowValues,
    TableKind,
    Whole,
    row_type,
)
from mirvo.formats.packing import CHUNK, UNREADABLE, Outlet, put_file, put_text, too_much
from mirvo.records.documents import OwnSpecies
from mirvo.records.photos import DIGEST, MAX_BYTES

FORMAT: Literal["mirvo-exchange"] = "mirvo-exchange"
VERSION = 1
HEADER, STUDIO = "exchange.json", "studio.json"
# A tree of fifty years with all its marks comes to a few megabytes.
MOST_JSON, MOST_PACKED = 256 << 20, 200
MOST_TREES = 100_000
# So many names that are not known are said, so much of each.
MOST_IGNORED, MAX_IGNORED = 40, 80
# How a sign is written that might be one nobody can read.
ESCAPED = "\\u"
Rows = dict[TableKind, list[Row]]


class KnownTree(BaseModel):
    """A tree of the file. number : as its rows name it."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    number: Annotated[int, Field(ge=0, le=2**53)]
    name: Annotated[str, Field(max_length=80)]
    came_from: tuple[Annotated[str, Field(max_length=64)], Whole] | None = None


class Header(BaseModel):
    """What an exchange file is. studio : key of the studio that made it; its name : yard. scope :
    all of the studio, or trees of it. details : of photos, whether place and people were left."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    format: Literal["mirvo-exchange"]
    version: int
    made_at: Annotated[str, Field(max_length=40)]
    studio: Annotated[str, Field(min_length=8, max_length=64)]
    yard: Annotated[str, Field(max_length=80)] = ""
    scope: Literal["studio", "trees"]
    # Whether photos came with what their files say of place and people.
    details: Literal["kept", "removed"] = "kept"
    trees: Annotated[tuple[KnownTree, ...], Field(max_length=MOST_TREES)]
    # What the studio's almanac says otherwise of the trees' species.
    species: dict[Annotated[str, Field(max_length=60)], OwnSpecies] = {}


def exchange_pieces(
    header: Header,
    studio: Mapping[str, list[RowValues]],
    trees: Iterable[tuple[int, Mapping[str, list[RowValues]]]],
    photos: Iterable[tuple[str, Path]],
) -> Iterator[bytes]:
    """An exchange file, piece by piece.

    studio, trees : rows as JSON, by table. photos : name in the file, and the file it is of.
    """
    outlet = Outlet()
    with zipfile.ZipFile(outlet, "w", allowZip64=True) as made:
        put_text(made, HEADER, header.model_dump_json(indent=1))
        put_text(made, STUDIO, _text(studio))
        yield outlet.taken()
        for number, rows in trees:
            put_text(made, f"trees/{number}.json", _text(rows))
            yield outlet.taken()
        for name, path in photos:
            for _ in put_file(made, name, path, zipfile.ZIP_STORED):
                yield outlet.taken()
    yield outlet.taken()


def _text(rows: Mapping[str, list[RowValues]]) -> str:
    return to_json(rows, inf_nan_mode="null").decode("utf-8")


@dataclass(frozen=True)
class Archive:
    """An opened exchange file. ignored : names in it that this Mirvo does not know; left out."""

    header: Header
    packed: zipfile.ZipFile
    ignored: set[str] = field(default_factory=set)

    def studio(self) -> Rows:
        """Rows of the studio. Raises BadInput where one cannot be."""
        return self._checked(STUDIO, STUDIO_TABLES)

    def tree(self, number: int) -> Rows:
        """Rows of one tree. Raises BadInput where one cannot be."""
        name = f"trees/{number}.json"
        return self._checked(name, TREE_TABLES)

    def has_photo(self, digest: str) -> bool:
        """Whether a photo's file is in it, no larger than a photo may be."""
        entry = self._entry(f"photos/{digest}") if DIGEST.fullmatch(digest) else None
        return entry is not None and not too_much(entry, MAX_BYTES, packed_share=1)

    def photo(self, digest: str) -> bytes:
        """A photo's file. Raises BadInput."""
        if not self.has_photo(digest):
            raise BadInput(f"photos/{digest}", "is not in the file")
        return self._read(f"photos/{digest}")

    def standin(self, digest: str) -> bytes | None:
        """What is known of a simulated photo, None where that is not in the file."""
        name = f"standins/{digest}.json"
        entry = self._entry(name) if DIGEST.fullmatch(digest) else None
        if entry is None or too_much(entry, CHUNK * 4, MOST_PACKED):
            return None
        return self._read(name)

    def _checked(self, name: str, kinds: tuple[TableKind, ...]) -> Rows:
        by_name = {kind.__tablename__: kind for kind in kinds}
        found = self._json(name)
        if not isinstance(found, dict) or not all(isinstance(one, list) for one in found.values()):
            raise BadInput(name, "is not a list of rows for each table")
        self.ignored.update(str(table)[:MAX_IGNORED] for table in found if table not in by_name)
        return {
            kind: self._rows(name, kind, found.get(table, [])) for table, kind in by_name.items()
        }

    def _rows(self, name: str, kind: TableKind, listed: list[Any]) -> list[Row]:
        made, rows = row_type(kind), []
        for number, row in enumerate(listed):
            place = f"{name}.{kind.__tablename__}.{number}"
            try:
                rows.append(made.model_validate(self._known(kind, made, row)))
            except ValidationError as error:
                raise _bad_input(place, error) from None
            except RecursionError:
                raise BadInput(place, "is nested too deep") from None
        return rows

    def _known(self, kind: TableKind, made: type[Row], row: Any) -> Any:
        """A row without names that another version of Mirvo may have given it."""
        if not isinstance(row, dict) or row.keys() <= made.model_fields.keys():
            return row
        for name in row.keys() - made.model_fields.keys():
            if len(self.ignored) < MOST_IGNORED:
                self.ignored.add(f"{kind.__tablename__}.{name}"[:MAX_IGNORED])
        return {name: value for name, value in row.items() if name in made.model_fields}

    def _entry(self, name: str) -> zipfile.ZipInfo | None:
        try:
            return self.packed.getinfo(name)
        except KeyError:
            return None

    def _json(self, name: str) -> Any:
        entry = self._entry(name)
        if entry is None:
            raise BadInput(name, "is missing from the file")
        if too_much(entry, MOST_JSON, MOST_PACKED):
            raise BadInput(name, "would unpack to more than any records come to")
        try:
            text = self._read(name).decode("utf-8")
            found = from_json(text, allow_inf_nan=False)
            # Looked through only where there may be something to take out: it takes its time.
            return plain(found) if ESCAPED in text or UNREADABLE_TEXT.search(text) else found
        except (ValueError, RecursionError):
            raise BadInput(name, "is not JSON") from None

    def _read(self, name: str) -> bytes:
        try:
            return self.packed.read(name)
        except UNREADABLE as error:
            raise BadInput(name, f"is damaged: {error}") from None


@contextmanager
def open_archive(path: Path) -> Iterator[Archive]:
    """Open an exchange file. Raises BadInput: it is none, damaged, or from a newer Mirvo."""
    try:
        packed = zipfile.ZipFile(path)
    except (*UNREADABLE, OSError):
        raise BadInput("exchange", "this is no exchange file of Mirvo, or it is damaged") from None
    with packed:
        yield Archive(_header(packed), packed)


def _header(packed: zipfile.ZipFile) -> Header:
    found = Archive(None, packed)._json(HEADER)  # type: ignore[arg-type] # only to read it
    if not isinstance(found, dict) or found.get("format") != FORMAT:
        raise BadInput("exchange", "this is no exchange file of Mirvo")
    # A newer one may say more than is known here, so its age is looked at first.
    if found.get("version") != VERSION:
        raise BadInput("exchange", "it comes from a newer Mirvo; bring this one up to date")
    found = {name: value for name, value in found.items() if name in Header.model_fields}
    try:
        header = Header.model_validate(found)
    except ValidationError as error:
        raise _bad_input(HEADER, error) from None
    numbers = [tree.number for tree in header.trees]
    if len(set(numbers)) < len(numbers):
        raise BadInput(HEADER, "names a tree twice")
    return header


def _bad_input(place: str, error: ValidationError) -> BadInput:
    wrong = error.errors(include_url=False, include_input=False)[0]
    return BadInput(".".join((place, *map(str, wrong["loc"]))), form_complaint(wrong))
