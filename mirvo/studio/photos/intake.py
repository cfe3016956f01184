"""Taking in the photos of a tree: each is stored as it came, once."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date

from sqlalchemy import select

from mirvo.core.errors import BadInput
from mirvo.core.limits.base import future_day
from mirvo.core.typed_values import plain_text
from mirvo.core.vision.photo_check import Remark
from mirvo.records.database import DbSession
from mirvo.records.models import Photo
from mirvo.records.photos import PhotoFacts
from mirvo.studio.ground.context import Studio
from mirvo.studio.photos.photo_check import remarks_on
from mirvo.studio.photos.photo_queries import KINDS
from mirvo.studio.standing.tree_queries import load_tree

# As long as a file system lets a name be.
MAX_NAME = 255


@dataclass(frozen=True)
class Intake:
    """What became of one file: the photo, or the sentence why not.

    undated : neither the file nor the person said when it was taken, so today was put down.
    known : the very same photo, when it was refused for being here already. remarks : what stands
    in the way of measuring on it.
    """

    file_name: str
    photo: Photo | None
    refused: str | None
    undated: bool = False
    known: Photo | None = None
    remarks: tuple[Remark, ...] = ()


def take_in(
    studio: Studio,
    tree_id: int,
    files: Iterable[tuple[str, bytes]],
    kind: str = "top",
    session_id: int | None = None,
    taken_on: date | None = None,
) -> list[Intake]:
    """Store several files; a bad one is refused by name, the others go in.

    taken_on : the day they were taken; by default as each file says, else today.

    Raises
    ------
    BadInput : an unknown kind, or a day to come. NotFound : there is no such tree.
    """
    if kind not in KINDS:
        raise BadInput("kind", f"'{kind}' is not a kind of photo")
    if taken_on is not None and taken_on > studio.today:
        raise BadInput("taken_on", future_day(taken_on))
    with studio.reading() as db:
        load_tree(db, tree_id)
    return [
        _take_one(studio, tree_id, name, content, kind, session_id, taken_on)
        for name, content in files
    ]


def _take_one(
    studio: Studio,
    tree_id: int,
    file_name: str,
    content: bytes,
    kind: str,
    session_id: int | None,
    taken_on: date | None,
) -> Intake:
    try:
        # The file first: a row without its file would be a broken picture for ever.
        facts = studio.photos.keep(content, file_name)
    except BadInput as refusal:
        return Intake(file_name, None, str(refusal))
    day = taken_on or facts.taken_on
    if day is not None and day > studio.today:
        day = None  # a camera whose clock runs ahead
    with studio.writing() as db:
        # Within the transaction, so that two uploads at once make one row.
        known = _known(db, tree_id, facts.digest)
        if known is not None:
            return _here_already(file_name, known)
        taken = day or studio.today
        photo = put_photo(db, studio, tree_id, file_name, facts, taken, kind, session_id)
    # Looked at here, while the tree still stands there and another photo is easily taken.
    remarks = remarks_on(studio.photos, photo)
    return Intake(file_name, photo, None, undated=day is None, remarks=remarks)


def put_photo(
    db: DbSession,
    studio: Studio,
    tree_id: int,
    file_name: str,
    facts: PhotoFacts,
    taken_on: date,
    kind: str,
    session_id: int | None = None,
    simulated: bool = False,
) -> Photo:
    """Put a stored photo among those of its tree."""
    photo = Photo(
        tree_id=tree_id,
        session_id=session_id,
        digest=facts.digest,
        file_name=plain_text(file_name)[:MAX_NAME],
        media_type=facts.media_type,
        width=facts.width,
        height=facts.height,
        focal_length_35mm=facts.focal_length_35mm,
        taken_on=taken_on,
        kind=kind,
        simulated=simulated,
        created_at=studio.now,
    )
    db.add(photo)
    db.flush()
    return photo


def _known(db: DbSession, tree_id: int, digest: str) -> Photo | None:
    """The same file put in with a tree before, also when it lies on the compost heap."""
    return db.scalar(select(Photo).where(Photo.tree_id == tree_id, Photo.digest == digest))


def _here_already(file_name: str, photo: Photo) -> Intake:
    if photo.composted_at is not None:
        message = "this photo is deleted; restore it from the Kit"
        return Intake(file_name, None, f"{file_name}: {message}")
    message = f"this very photo is here already, taken {photo.taken_on.day} {photo.taken_on:%B %Y}"
    return Intake(file_name, None, f"{file_name}: {message}", known=photo)
