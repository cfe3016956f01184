"""Photos of a tree: taking in files, and the simulated camera."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from typing import Any

from sqlalchemy import select

from mirvo.core.errors import BadInput, NotFound
from mirvo.records.database import reading, writing
from mirvo.records.models import Measurement, Photo, Session
from mirvo.records.photos import PhotoFacts
from mirvo.standins.base import Base, from_below, grown, nearest_root, random_base, without
from mirvo.studio.context import Studio
from mirvo.studio.trees import get_tree

TURNTABLE_VIEWS = 8
OBLIQUE_PHOTOS = 3
MOST_COMPARED = 3
KINDS = {
    "top": "from above",
    "side": "from the side",
    "before": "before",
    "after": "after",
    "follow-up": "follow-up",
    "wound": "wound",
    "other": "other",
}


@dataclass(frozen=True)
class Intake:
    """What became of one file: the photo, or the sentence why not.

    undated : neither the file nor the person said when it was taken, so today was put down.
    known : the very same photo, when it was refused for being here already.
    """

    file_name: str
    photo: Photo | None
    refused: str | None
    undated: bool = False
    known: Photo | None = None


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
    """
    if kind not in KINDS:
        raise BadInput("kind", f"'{kind}' is not a kind of photo")
    if taken_on is not None and taken_on > studio.today:
        raise BadInput("taken_on", f"{taken_on:%d %b %Y} lies in the future")
    get_tree(studio, tree_id)
    results = []
    for file_name, content in files:
        try:
            facts = studio.photos.keep(content, file_name)
        except BadInput as refusal:
            results.append(Intake(file_name, None, str(refusal)))
            continue
        said = taken_on or facts.taken_on
        if said is not None and said > studio.today:
            said = None  # a camera whose clock runs ahead
        known = _known(studio, tree_id, facts.digest)
        if known is not None:
            results.append(_here_already(file_name, known))
            continue
        taken = said or studio.today
        photo = _record(studio, tree_id, file_name, facts, taken, kind, session_id, False)
        results.append(Intake(file_name, photo, None, undated=said is None))
    return results


def _known(studio: Studio, tree_id: int, digest: str) -> Photo | None:
    """The same file put in with a tree before, also when it lies on the compost heap."""
    query = select(Photo).where(Photo.tree_id == tree_id, Photo.digest == digest)
    with reading(studio.engine) as unit:
        return unit.scalar(query, execution_options={"composted": True})


def _here_already(file_name: str, photo: Photo) -> Intake:
    if photo.composted_at is not None:
        said = "this very photo lies on the compost heap; put it back from the Kit"
        return Intake(file_name, None, f"{file_name}: {said}")
    said = f"this very photo is here already, taken {photo.taken_on.day} {photo.taken_on:%B %Y}"
    return Intake(file_name, None, f"{file_name}: {said}", known=photo)


def _record(
    studio: Studio,
    tree_id: int,
    file_name: str,
    facts: PhotoFacts,
    taken_on: date,
    kind: str,
    session_id: int | None,
    simulated: bool,
) -> Photo:
    photo = Photo(
        tree_id=tree_id,
        session_id=session_id,
        digest=facts.digest,
        file_name=file_name[:255],
        media_type=facts.media_type,
        width=facts.width,
        height=facts.height,
        focal_length_35mm=facts.focal_length_35mm,
        taken_on=taken_on,
        kind=kind,
        simulated=simulated,
        created_at=studio.now,
    )
    with writing(studio.engine) as unit:
        unit.add(photo)
    return photo


def take_simulated(studio: Studio, tree_id: int) -> Photo:
    """Photograph the tree's made-up base as it stands today."""
    base, seed = _base_today(studio, tree_id)
    return photograph(studio, tree_id, base, seed, studio.today, "top")


def take_turntable(studio: Studio, tree_id: int) -> list[tuple[Photo, float]]:
    """Eight side views of the tree's made-up base, each with how far the tree was turned."""
    from mirvo.standins.turntable import side_camera, side_photo, side_truth  # heavy: renders

    base, seed = _base_today(studio, tree_id)
    shot = side_camera(seed)
    taken = []
    for number in range(TURNTABLE_VIEWS):
        turn = 360.0 / TURNTABLE_VIEWS * number
        name = f"turntable-{studio.today:%Y-%m-%d}-{seed}-{turn:03.0f}.jpg"
        content = side_photo(base, shot, turn, studio.today)
        known = {"base": base.as_json(), "marks": side_truth(base, shot, turn)}
        facts = _keep_with_truth(studio, name, content, known)
        photo = _record(studio, tree_id, name, facts, studio.today, "side", None, True)
        taken.append((photo, turn))
    return taken


def take_oblique(studio: Studio, tree_id: int) -> list[tuple[Photo, float, bool]]:
    """Three oblique photos round the tree's made-up base, and one of its underside, lifted.

    Each with the card's height, mm, and whether it shows the underside.
    """
    from mirvo.standins.camera import oblique_camera
    from mirvo.standins.card import CardPlace
    from mirvo.standins.photo import take_photo, truth  # heavy: renders
    from mirvo.standins.scene import Layout

    base, seed = _base_today(studio, tree_id)
    card = CardPlace(height_mm=12.0)
    layout, taken = Layout(card=card), []
    for number in range(OBLIQUE_PHOTOS + 1):
        under = number == OBLIQUE_PHOTOS
        seen = from_below(base) if under else base
        shot = oblique_camera(seed, number, OBLIQUE_PHOTOS)
        what = "underside" if under else f"oblique-{number + 1}"
        name = f"{what}-{studio.today:%Y-%m-%d}-{seed}.jpg"
        content = take_photo(seen, shot, studio.today, layout)
        facts = _keep_with_truth(studio, name, content, truth(seen, shot, layout))
        photo = _record(studio, tree_id, name, facts, studio.today, "top", None, True)
        taken.append((photo, card.height_mm, under))
    return taken


def _base_today(studio: Studio, tree_id: int) -> tuple[Base, int]:
    """The tree's made-up base grown and cut to today, and a seed for the next shot."""
    tree = get_tree(studio, tree_id)
    base = random_base(
        1000 + tree_id, tree.trunk_mm if tree.trunk_mm and tree.trunk_mm < 60 else None
    )
    years = (studio.today - tree.created_at.date()).days / 365.25
    base = grown(base, years)
    for azimuth in _removed_azimuths(studio, tree_id):
        key = nearest_root(base, azimuth)
        base = without(base, {key} if key else set())
    with reading(studio.engine) as unit:
        count = len(unit.scalars(select(Photo.id).where(Photo.tree_id == tree_id)).all())
    return base, 31 * tree_id + count


def photograph(
    studio: Studio,
    tree_id: int,
    base: Base,
    seed: int,
    taken_on: date,
    kind: str,
    session_id: int | None = None,
    size: tuple[int, int] = (2016, 1512),
    shot: tuple[bytes, dict[str, Any]] | None = None,
) -> Photo:
    """Take (unless it is handed in), store and record one simulated photo and its truth."""
    from mirvo.standins.photo import shoot  # heavy: renders

    content, known = shot or shoot(base, seed, taken_on, size)
    name = f"simulated-{taken_on:%Y-%m-%d}-{seed}.jpg"
    facts = _keep_with_truth(studio, name, content, known)
    return _record(studio, tree_id, name, facts, taken_on, kind, session_id, True)


def _keep_with_truth(
    studio: Studio, name: str, content: bytes, known: dict[str, Any]
) -> PhotoFacts:
    facts = studio.photos.keep(content, name)
    studio.standins.mkdir(parents=True, exist_ok=True)
    path = studio.standins / f"{facts.digest}.json"
    path.write_text(json.dumps(known), "utf-8")
    return facts


def truth_of(studio: Studio, photo: Photo) -> dict[str, Any] | None:
    """Truth of a simulated photo, None for a real one."""
    path = studio.standins / f"{photo.digest}.json"
    return json.loads(path.read_text("utf-8")) if photo.simulated and path.exists() else None


def _removed_azimuths(studio: Studio, tree_id: int) -> list[float]:
    with reading(studio.engine) as unit:
        done = unit.scalars(select(Session.roots).where(Session.tree_id == tree_id)).all()
    return [
        float(root["azimuth_deg"])
        for roots in done
        for root in roots
        if root["action"] == "remove" and root.get("azimuth_deg") is not None
    ]


def get_photo(studio: Studio, photo_id: int) -> Photo:
    """One photo. Raises NotFound."""
    with reading(studio.engine) as unit:
        photo = unit.get(Photo, photo_id)
    if photo is None:
        raise NotFound("photo", "there is no such photo")
    return photo


def photos_of_tree(studio: Studio, tree_id: int) -> list[tuple[Photo, bool]]:
    """Photos of a tree, newest first, each with whether it gave figures."""
    measured = select(Measurement.figures.is_not(None)).where(Measurement.photo_id == Photo.id)
    query = (
        select(Photo, measured.scalar_subquery())
        .where(Photo.tree_id == tree_id)
        .order_by(Photo.taken_on.desc(), Photo.id.desc())
    )
    with reading(studio.engine) as unit:
        return [(photo, bool(has)) for photo, has in unit.execute(query).all()]


def photos_of_session(studio: Studio, session_id: int) -> list[Photo]:
    """Photos put in with a session, those from before it first."""
    query = (
        select(Photo).where(Photo.session_id == session_id).order_by(Photo.kind.desc(), Photo.id)
    )
    with reading(studio.engine) as unit:
        return list(unit.scalars(query))


def compared_photos(studio: Studio, session: Session) -> list[Photo]:
    """Photos to lay side by side: the last one before a session, then its after and follow-ups."""
    kinds = ("before", "top", "after", "follow-up")
    query = (
        select(Photo)
        .where(Photo.tree_id == session.tree_id, Photo.kind.in_(kinds))
        .order_by(Photo.taken_on, Photo.id)
    )
    with reading(studio.engine) as unit:
        photos = list(unit.scalars(query))
    own = [one for one in photos if one.session_id == session.id]
    after = [one for one in own if one.kind in ("after", "follow-up")]
    earlier = [one for one in photos if one.taken_on <= session.done_on and one not in after]
    before = [one for one in own if one.kind == "before"] or earlier
    if not before or not after:
        return []
    return [before[-1], *after[-MOST_COMPARED:]]
