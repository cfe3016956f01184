"""The simulated camera: photos of a made-up base for each tree, whose truth is known exactly."""

from __future__ import annotations

import json
from collections.abc import Callable
from datetime import date

from sqlalchemy import func, select

from mirvo.records.database import DbSession
from mirvo.records.models import Photo
from mirvo.records.photos import DIGEST
from mirvo.standins.base import Base, Truth, grown, nearest_root, random_base, without
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.jobs import Report, unwatched
from mirvo.studio.photos.intake import put_photo
from mirvo.studio.photos.shots import SIZE, TakenPhoto, from_above, simulated_name
from mirvo.studio.standing.tree_queries import cuts_of, load_tree

# So far apart that no two trees ever share a shot's seed.
FIRST_SEED, SHOTS_A_TREE = 1000, 31
# A thicker trunk would not fit the simulated pot.
MAX_SIMULATED_TRUNK_MM = 60
DAYS_A_YEAR = 365.25


def take(
    studio: Studio,
    tree_id: int,
    how: Callable[[Base, int, date], list[TakenPhoto]],
    report: Report = unwatched,
) -> list[tuple[Photo, TakenPhoto]]:
    """Photograph the tree's made-up base as it stands today.

    Photos are stored and recorded once all are taken: one that is stopped leaves none.
    """
    base, seed = _base_today(studio, tree_id)
    taken = studio.vision.watched(report, how, base, seed, studio.today)
    return [(keep_shot(studio, tree_id, shot, studio.today), shot) for shot in taken]


def shoot_from_above(studio: Studio, tree_id: int, report: Report = unwatched) -> int:
    """One photo from above; its number."""
    return take(studio, tree_id, from_above, report)[0][0].id


def photograph(
    studio: Studio,
    tree_id: int,
    base: Base,
    seed: int,
    taken_on: date,
    size: tuple[int, int] = SIZE,
    shot: tuple[bytes, Truth] | None = None,
) -> Photo:
    """Take (unless it is handed in), store and record one simulated photo and its truth."""
    from mirvo.standins.photo import shoot  # heavy: renders

    content, known = shot or shoot(base, seed, taken_on, size)
    return keep_shot(
        studio, tree_id, TakenPhoto(simulated_name(seed, taken_on), content, known), taken_on
    )


def truth_of(studio: Studio, photo: Photo) -> Truth | None:
    """Truth of a simulated photo, None for a real one."""
    if not photo.simulated or not DIGEST.fullmatch(photo.digest):
        return None
    try:
        known: Truth = json.loads((studio.standins / f"{photo.digest}.json").read_text("utf-8"))
    except (OSError, ValueError):
        # A truth that is lost only costs the comparison, not the photo.
        return None
    return known


def keep_shot(studio: Studio, tree_id: int, shot: TakenPhoto, taken_on: date) -> Photo:
    """Store and record a photo whose truth is known, and its truth beside it."""
    facts = studio.photos.keep(shot.content, shot.name)
    studio.standins.mkdir(parents=True, exist_ok=True)
    path = studio.standins / f"{facts.digest}.json"
    path.write_text(json.dumps(shot.known), "utf-8")
    with studio.writing() as db:
        return put_photo(db, studio, tree_id, shot.name, facts, taken_on, shot.kind, simulated=True)


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
