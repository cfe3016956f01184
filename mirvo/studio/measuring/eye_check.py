"""Eye check: a simulated photo marked twice, and the click deviation it shows."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from sqlalchemy import select

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.measure.drafts import TopDraft
from mirvo.core.measure.eye import eye_result
from mirvo.records.database import DbSession
from mirvo.records.documents import Clicks
from mirvo.records.models import EyeCheck
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import put_yard

SIZE = (2016, 1512)
RING_PX = 90.0
# The ring shows where to look; its middle must not give the answer away.
RING_SHIFT_PX = 28.0
MAX_TIPS = 6
# Far from the seeds of trees, so that nobody has seen the base before.
FIRST_SEED = 60_000
CORNERS = ("far left", "far right", "near right", "near left")
Place = tuple[float, float]


@dataclass(frozen=True)
class AskedPlace:
    """One place to click: what is asked, and a ring it lies somewhere in (not its middle)."""

    text: str
    ring: tuple[float, float, float]


def begin_check(studio: Studio) -> int:
    """Start a check on a base never seen before; its number."""
    with studio.writing() as db:
        last = db.scalar(select(EyeCheck.seed).order_by(EyeCheck.id.desc()).limit(1))
        row = EyeCheck(seed=(last or FIRST_SEED) + 1, begun_at=studio.now)
        db.add(row)
        db.flush()
        return row.id


def load_check(db: DbSession, check_id: int) -> EyeCheck:
    """One check. Raises NotFound."""
    found = db.get(EyeCheck, check_id)
    if found is None:
        raise NotFound("check", "there is no such eye check")
    return found


def finished_checks(db: DbSession) -> list[EyeCheck]:
    """All finished checks, newest first."""
    query = select(EyeCheck).order_by(EyeCheck.id.desc())
    return [row for row in db.scalars(query) if row.result]


def picture(studio: Studio, check: EyeCheck) -> Path:
    """The check's photo, made when first asked for."""
    from mirvo.standins.base import random_base
    from mirvo.standins.camera import random_camera
    from mirvo.standins.photo import take_photo  # heavy: renders

    path = studio.standins / f"eye-{check.seed}.jpg"
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True)
        shot = random_camera(check.seed, *SIZE)
        content = take_photo(random_base(check.seed), shot, check.begun_at.date())
        # Two pages may ask at once; each sees a whole picture or none.
        partial = path.with_suffix(".making")
        partial.write_bytes(content)
        partial.rename(path)
    return path


def asked_places(check: EyeCheck) -> list[AskedPlace]:
    """What is to be clicked, in order; the second round asks in another one."""
    # The same rings at every reload, else the page would jump.
    rng = np.random.default_rng(check.seed)
    listed = []
    for text, (x, y) in places_of(check):
        shift = rng.uniform(-RING_SHIFT_PX, RING_SHIFT_PX, 2)
        listed.append(AskedPlace(text, (round(x + shift[0]), round(y + shift[1]), RING_PX)))
    return [listed[i] for i in order_of(check)]


def save_round(studio: Studio, check_id: int, points: Any) -> EyeCheck:
    """Keep the clicks of one round; after the second, work out the result.

    Raises
    ------
    BadInput : not one point for every place asked, or too many slips.
    """
    with studio.writing() as db:
        check = load_check(db, check_id)
        if check.result:
            raise BadInput("points", "this check is finished; begin another")
        clicks = _in_place(check, _clicks(points, len(places_of(check))))
        if check.first is None:
            check.first = clicks
            return check
        truth = np.array([place for _, place in places_of(check)])
        result = eye_result(np.array(check.first.points), np.array(clicks.points), truth)
        check.second, check.result = clicks, result
        # From now on every ± uses this hand's own figure.
        put_yard(db, click_sd_px=round(result.deviation, 2))
        return check


def _in_place(check: EyeCheck, clicks: list[Place]) -> Clicks:
    """Clicks in the order the places are listed, not the one they were asked in."""
    sorted_clicks = sorted(zip(order_of(check), clicks, strict=True))
    return Clicks(points=tuple(click for _, click in sorted_clicks))


def places_of(check: EyeCheck) -> list[tuple[str, Place]]:
    """The places of a check with their words and where they truly lie, px."""
    from mirvo.standins.base import random_base
    from mirvo.standins.camera import random_camera
    from mirvo.standins.photo import true_marks
    from mirvo.standins.scene import Layout

    base, camera, layout = random_base(check.seed), random_camera(check.seed, *SIZE), Layout()
    pot = camera.project(layout.pot_corners(), layout.rim_height_mm)
    places = [
        (f"the inner corner of the pot's rim, {name}", corner)
        for name, corner in zip(CORNERS, pot, strict=True)
    ]
    ruler = camera.project(layout.ruler_ends(), layout.ruler_height_mm)
    places += [
        (f"the {name} end of the ruler, on its middle line", end)
        for name, end in zip(("left", "right"), ruler, strict=True)
    ]
    drawn = TopDraft.model_validate(true_marks(base, camera, layout))
    places += [("the tip of the root", root.path[-1]) for root in drawn.roots[:MAX_TIPS]]
    return [(text, (float(x), float(y))) for text, (x, y) in places]


def order_of(check: EyeCheck) -> list[int]:
    """Order of asking: as listed at first, shuffled the second time."""
    count = len(places_of(check))
    if check.first is None:
        return list(range(count))
    # Another order, so that the hand does not repeat from memory.
    return [int(i) for i in np.random.default_rng(check.seed + 1).permutation(count)]


def _clicks(points: Any, count: int) -> list[Place]:
    if not isinstance(points, list) or len(points) != count:
        raise BadInput("points", f"{count} clicks are asked for")
    try:
        clicks = [(float(x), float(y)) for x, y in points]
    except (TypeError, ValueError):
        raise BadInput("points", "each click is two numbers") from None
    if not np.isfinite(clicks).all():
        raise BadInput("points", "each click is two ordinary numbers")
    return clicks
