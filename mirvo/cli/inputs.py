"""Files the commands are given, and how they answer."""

from __future__ import annotations

import json
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, NoReturn

import typer

from mirvo.core.errors import BadInput

if TYPE_CHECKING:
    from mirvo.core.measure.plane_map import PhotoInfo

# As the shell's own commands answer a wrong call.
BAD_INPUT = 2
Data = Annotated[Path | None, typer.Option(help="Data folder; MIRVO_DATA or ./data by default.")]


def fail(sentence: str) -> NoReturn:
    # One line, whatever the sentence quotes.
    print(" ".join(sentence.split()), file=sys.stderr)
    raise SystemExit(BAD_INPUT)


def json_of(path: Path) -> Any:
    try:
        return json.loads(path.read_text("utf-8"))
    except OSError as error:
        raise BadInput(str(path), f"cannot be read: {error.strerror}") from None
    # Nested a hundred thousand deep is no JSON of a person's either.
    except (ValueError, RecursionError) as error:
        raise BadInput(str(path), f"is not JSON: {error}") from None


def bytes_of(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as error:
        raise BadInput(str(path), f"cannot be read: {error.strerror}") from None


def print_json(result: Any) -> None:
    print(json.dumps(result, indent=1, ensure_ascii=False))


@dataclass(frozen=True)
class OpenedPhoto:
    """A photo from a file: what is known of it and how to find the card in it."""

    path: Path
    content: bytes
    info: PhotoInfo

    @property
    def size(self) -> tuple[int, int]:
        return self.info.width, self.info.height

    def card(self, kind: str) -> Any:
        """Marker corners when the calibration is by card, else None."""
        from mirvo.core.vision.card import find_card
        from mirvo.records.pictures import grey_of

        # Looking for a card nobody named would cost seconds.
        return find_card(grey_of(self.content)) if kind == "card" else None


def open_photo(path: Path) -> OpenedPhoto:
    from mirvo.core.measure.plane_map import PhotoInfo
    from mirvo.records.photos import examine

    content = bytes_of(path)
    facts = examine(content, str(path))
    return OpenedPhoto(path, content, PhotoInfo(facts.width, facts.height, facts.focal_length_35mm))


@contextmanager
def within(place: str) -> Iterator[None]:
    """Errors of one photo of a set name its place in the set's file."""
    try:
        yield
    except BadInput as error:
        raise BadInput(f"{place}.{error.field}" if error.field else place, error.message) from None
