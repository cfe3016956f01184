"""Taking in an exchange file: a preview that keeps nothing, then all of it or nothing."""

from __future__ import annotations

import shutil
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path
from typing import BinaryIO

from mirvo.core.errors import BadInput, NotFound
from mirvo.formats.exchange import (
    Archive,
    open_archive,
)
from mirvo.studio.context import Studio
from mirvo.studio.exchange.merging import MINE, Coming, Merge
from mirvo.studio.yard.settings import put_yard, yard_of

WAITING = "exchange-coming.zip"


class _Undone(Exception):
    """Ends a trial: nothing of it is kept."""


def waiting_file(studio: Studio) -> Path:
    """Where a file lies that was sent and not decided yet."""
    return studio.folder / WAITING


def hold(studio: Studio, sent: BinaryIO) -> None:
    """Keep a file that was sent until it is decided; one before goes. Raises BadInput: it is
    none."""
    place = waiting_file(studio)
    making = place.with_name(f"{place.name}.making")
    try:
        with making.open("wb") as target:
            shutil.copyfileobj(sent, target)
        with open_archive(making):
            making.replace(place)
    finally:
        making.unlink(missing_ok=True)


def let_go(studio: Studio) -> None:
    """The file that waits is not taken in."""
    waiting_file(studio).unlink(missing_ok=True)


def preview(studio: Studio, path: Path | None = None) -> Coming:
    """What a file would change; nothing is kept. Raises NotFound without a file, BadInput."""
    place = path or waiting_file(studio)
    if not place.exists():
        raise NotFound("exchange", "no exchange file waits here")
    with open_archive(place) as archive:
        coming: Coming | None = None
        with suppress(_Undone), studio.writing() as db:
            coming = Merge(db, studio, archive, {}, MINE).run()
            # Done as if in earnest, then given up: so the preview says what the real one does.
            raise _Undone
        if coming is None:
            raise BadInput("exchange", "the file could not be looked at")
        return coming


def take_in(
    studio: Studio,
    path: Path | None = None,
    choices: Mapping[str, str] | None = None,
    otherwise: str = MINE,
) -> Coming:
    """Take a file in, all of it or nothing.

    choices : MINE or THEIRS by the key of a row that differs; otherwise : for all others.

    Raises
    ------
    NotFound : there is no file. BadInput : something in it cannot be; nothing was kept.
    """
    place = path or waiting_file(studio)
    if not place.exists():
        raise NotFound("exchange", "no exchange file waits here")
    stored: list[str] = []
    with open_archive(place) as archive:
        try:
            with studio.writing() as db:
                coming = Merge(db, studio, archive, choices or {}, otherwise).run()
                # The files before the rows are kept: a row without its file is broken for ever.
                for digest in sorted(coming.photos):
                    stored += _keep_photo(studio, archive, digest)
                # Lists and plans of all trees are worked out anew.
                put_yard(db, version=yard_of(db).version + 1)
        except BaseException:
            for digest in stored:
                studio.photos.forget(digest)
            raise
    if path is None:
        let_go(studio)
    return coming


def _keep_photo(studio: Studio, archive: Archive, digest: str) -> list[str]:
    """Put one photo of the file into the store; its digest when it was not there."""
    if studio.photos.place_of(digest).exists():
        return []
    facts = studio.photos.keep(archive.photo(digest), f"photos/{digest}")
    if facts.digest != digest:
        studio.photos.forget(facts.digest)
        raise BadInput(f"photos/{digest}", "is damaged: its content is not what it was")
    known = archive.standin(digest)
    if known is not None:
        studio.standins.mkdir(exist_ok=True)
        (studio.standins / f"{digest}.json").write_bytes(known)
    return [digest]
