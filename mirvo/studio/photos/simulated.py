"""The simulated camera: photos of a made-up base for each tree, whose truth is known exactly."""

from __future__ import annotations

import json
from dataclasses import dataclass
from datetime import date

from sqlalchemy import func, select

from mirvo.records.database import DbSession
from mirvo.records.models import Photo
from mirvo.standins.base import (
    Base,
    Truth,
    from_below,
    grown,
    nearest_root,
    random_base,
    without,
)
from mirvo.studio.context import Studio
from mirvo.studio.photos.intake import put_photo
from mirvo.studio.tree_queries import cuts_of, load_tree

TURNTABLE_VIEWS = 8
OBLIQUE_PHOTOS = 3
CARD_HEIGHT_MM = 12.0
# So far apart that no two trees ever share a shot's seed.
FIRST_SEED, SHOTS_A_TREE = 1000, 31
# A thicker trunk would not fit the simulated pot.
MAX_SIMULATED_TRUNK_MM = 60
DAYS_A_YEAR = 365.25


@dataclass(frozen=True)
class ObliqueShot:
    """An oblique photo of a set: how high its card lies, and whether it shows the underside."""

    photo: Photo
    card_height_mm: float
    underside: bool


def take_simulated(studio: Studio, tree_id: int) -> Photo:
    """Photograph the tree's made-up base as it stands today."""
    base, seed = _base_today(studio, tree_id)
    return photograph(studio, tree_id, base, seed, studio.today)


def photograph(
    studio: Studio,
    tree_id: int,
    base: Base,
    seed: int,
    taken_on: date,
    size: tuple[int, int] = (2016, 1512),
    shot: tuple[bytes, Truth] | None = None,
) -> Photo:
    """Take (unless it is handed in), store and record one simulated photo and its truth."""
    from mirvo.standins.photo import shoot  # heavy: renders

    content, known = shot or shoot(base, seed, taken_on, size)
    name = f"simulated-{taken_on:%Y-%m-%d}-{seed}.jpg"
    return keep_shot(studio, tree_id, name, content, known, taken_on, "top")


def take_turntable(studio: Studio, tree_id: int) -> list[tuple[Photo, float]]:
    """Eight side views of the tree's made-up base, each with how far the tree was turned."""
    from mirvo.standins.turntable import side_camera, side_photo, side_truth  # heavy: renders

    base, seed = _base_today(studio, tree_id)
    camera, taken = side_camera(seed), []
    for number in range(TURNTABLE_VIEWS):
        turn = 360.0 / TURNTABLE_VIEWS * number
        name = f"turntable-{studio.today:%Y-%m-%d}-{seed}-{turn:03.0f}.jpg"
        content = side_photo(base, camera, turn, studio.today)
        known = {"base": base.as_json(), "marks": side_truth(base, camera, turn)}
        photo = keep_shot(studio, tree_id, name, content, known, studio.today, "side")
        taken.append((photo, turn))
    return taken


def take_oblique(studio: Studio, tree_id: int) -> list[ObliqueShot]:
    """Three oblique photos round the tree's made-up base, and one of its underside, lifted."""
    from mirvo.standins.camera import oblique_camera
    from mirvo.standins.card import CardPlace
    from mirvo.standins.photo import take_photo, truth  # heavy: renders
    from mirvo.standins.scene import Layout

    base, seed = _base_today(studio, tree_id)
    layout, taken = Layout(card=CardPlace(height_mm=CARD_HEIGHT_MM)), []
    for number in range(OBLIQUE_PHOTOS + 1):
        under = number == OBLIQUE_PHOTOS
        seen = from_below(base) if under else base
        camera = oblique_camera(seed, number, OBLIQUE_PHOTOS)
        what = "underside" if under else f"oblique-{number + 1}"
        name = f"{what}-{studio.today:%Y-%m-%d}-{seed}.jpg"
        content = take_photo(seen, camera, studio.today, layout)
        known = truth(seen, camera, layout)
        photo = keep_shot(studio, tree_id, name, content, known, studio.today, "top")
        taken.append(ObliqueShot(photo, CARD_HEIGHT_MM, under))
    return taken


def truth_of(studio: Studio, photo: Photo) -> Truth | None:
    """Truth of a simulated photo, None for a real one."""
    path = studio.standins / f"{photo.digest}.json"
    # A truth that is lost only costs the comparison, not the photo.
    return json.loads(path.read_text("utf-8")) if photo.simulated and path.exists() else None


def keep_shot(
    studio: Studio,
    tree_id: int,
    name: str,
    content: bytes,
    known: Truth,
    taken_on: date,
    kind: str,
) -> Photo:
    """Store and record a photo whose truth is known, and its truth beside it."""
    facts = studio.photos.keep(content, name)
    studio.standins.mkdir(parents=True, exist_ok=True)
    path = studio.standins / f"{facts.digest}.json"
    path.write_text(json.dumps(known), "utf-8")
    with studio.writing() as db:
        return put_photo(db, studio, tree_id, name, facts, taken_on, kind, simulated=True)


def _base_today(studio: Studio, tree_id: int) -> tuple[Base, int]:
    """The tree's made-up base grown and cut to today, and a seed for the next shot."""
    with studio.reading() as db:
        tree = load_tree(db, tree_id)
        removed = _removed_azimuths(db, tree_id)
        query = select(func.count()).where(Photo.tree_id == tree_id, Photo.kept())
        shots = db.scalar(query) or 0
    small = tree.trunk_mm if tree.trunk_mm and tree.trunk_mm < MAX_SIMULATED_TRUNK_MM else None
    base = random_base(FIRST_SEED + tree_id, small)
    base = grown(base, (studio.today - tree.created_at.date()).days / DAYS_A_YEAR)
    # Found again by where they stood: letters are the artist's, keys the camera's.
    for azimuth in removed:
        key = nearest_root(base, azimuth)
        base = without(base, {key} if key else set())
    return base, SHOTS_A_TREE * tree_id + shots


def _removed_azimuths(db: DbSession, tree_id: int) -> list[float]:
    return [
        done.cut.azimuth_deg
        for cuts in cuts_of(db, tree_id).values()
        for done in cuts
        if done.cut.done_action == "remove" and done.cut.azimuth_deg is not None
    ]
