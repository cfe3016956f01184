"""Taking in an exchange file: a preview that keeps nothing, then all of it or nothing."""

from __future__ import annotations

import shutil
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path
from typing import BinaryIO

from sqlalchemy.exc import IntegrityError

from mirvo.core.errors import BadInput, NotFound
from mirvo.formats.exchange import (
    Archive,
    open_archive,
)
from mirvo.studio.exchange.differences import Coming
from mirvo.studio.exchange.merging import MINE, Merge
from mirvo.studio.exchange.trial import on_trial
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.jobs import Report, unwatched
from mirvo.studio.ground.settings import put_yard, yard_of

WAITING = "exchange-coming.zip"
# Names of the work, as its page shows them.
LOOKING, TAKING = "Looking at the file", "Taking the file in"


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
            studio.jobs.forget(LOOKING)
            making.replace(place)
    finally:
        making.unlink(missing_ok=True)


def let_go(studio: Studio) -> None:
    """The file that waits is not taken in."""
    studio.jobs.forget(LOOKING)
    waiting_file(studio).unlink(missing_ok=True)


def preview(studio: Studio, path: Path | None = None, report: Report = unwatched) -> Coming:
    """What a file would change; nothing is kept. Raises NotFound without a file, BadInput."""
    place = path or waiting_file(studio)
    if not place.exists():
        raise NotFound("exchange", "no exchange file waits here")
    # Done as if in earnest, on a copy: so the preview says what the real one does.
    with open_archive(place) as archive, _contradictions_said(), on_trial(studio) as db:
        return Merge(db, studio, archive, {}, MINE, report).run()


def take_in(
    studio: Studio,
    path: Path | None = None,
    choices: Mapping[str, str] | None = None,
    otherwise: str = MINE,
    report: Report = unwatched,
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
            with _contradictions_said(), studio.writing() as db:
                coming = Merge(db, studio, archive, choices or {}, otherwise, report).run()
                # The files before the rows are kept: a row without its file is broken for ever.
                for number, digest in enumerate(sorted(coming.photos)):
                    report("Putting the photos away", number / len(coming.photos))
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


@contextmanager
def _contradictions_said() -> Iterator[None]:
    """Raises BadInput for rows that cannot stand beside each other, also where that shows only
    when all of them are there."""
    try:
        yield
    except IntegrityError as error:
        raise BadInput("exchange", f"a row contradicts another one: {error.orig}") from None


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
