"""Eye check: a simulated photo marked twice, and the click deviation it shows."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import numpy as np
from sqlalchemy import select

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.measure.eye import eye_result
from mirvo.records.database import reading, writing
from mirvo.records.models import EyeCheck, Yard
from mirvo.studio.context import Studio, YardForm

SIZE = (2016, 1512)
RING_PX = 90.0
RING_SHIFT_PX = 28.0
MOST_TIPS = 6
CORNERS = ("far left", "far right", "near right", "near left")


@dataclass(frozen=True)
class Asked:
    """One place to click: what is asked, and a ring it lies somewhere in (not its middle)."""

    text: str
    ring: tuple[float, float, float]


def begin(studio: Studio) -> int:
    """Start a check on a base never seen before; its number."""
    with writing(studio.engine) as unit:
        last = unit.scalar(select(EyeCheck.seed).order_by(EyeCheck.id.desc()).limit(1))
        row = EyeCheck(seed=(last or 60_000) + 1, begun_at=studio.now)
        unit.add(row)
        unit.flush()
        return row.id


def get_check(studio: Studio, check_id: int) -> EyeCheck:
    """One check. Raises NotFound."""
    with reading(studio.engine) as unit:
        found = unit.get(EyeCheck, check_id)
    if found is None:
        raise NotFound("check", "there is no such eye check")
    return found


def checks(studio: Studio) -> list[EyeCheck]:
    """All finished checks, newest first."""
    with reading(studio.engine) as unit:
        done = select(EyeCheck).order_by(EyeCheck.id.desc())
        return [row for row in unit.scalars(done) if row.result]


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
        partial = path.with_suffix(".making")
        partial.write_bytes(content)
        partial.rename(path)
    return path


def asked(check: EyeCheck) -> list[Asked]:
    """What is to be clicked, in order; the second round asks in another one."""
    rng = np.random.default_rng(check.seed)
    listed = []
    for text, (x, y) in _places(check):
        shift = rng.uniform(-RING_SHIFT_PX, RING_SHIFT_PX, 2)
        listed.append(Asked(text, (round(x + shift[0]), round(y + shift[1]), RING_PX)))
    return [listed[i] for i in _order(check)]


def save_round(studio: Studio, check_id: int, points: Any) -> EyeCheck:
    """Keep the clicks of one round; after the second, work out the result.

    Raises
    ------
    BadInput : not one point for every place asked, or too many slips.
    """
    check = get_check(studio, check_id)
    if check.result:
        raise BadInput("points", "this check is finished; begin another")
    clicks = _clicks(points, len(_places(check)))
    in_place = [[0.0, 0.0]] * len(clicks)
    for click, index in zip(clicks, _order(check), strict=True):
        in_place[index] = click
    result = None
    if check.first:
        truth = np.array([place for _, place in _places(check)])
        found = eye_result(np.array(check.first["points"]), np.array(in_place), truth)
        result = asdict(found)
    with writing(studio.engine) as unit:
        row = unit.merge(check)
        if result is None:
            row.first = {"points": in_place}
        else:
            row.second, row.result = {"points": in_place}, result
            yard = unit.get(Yard, 1) or Yard(id=1, **YardForm().model_dump())
            yard.click_sd_px = round(result["deviation"], 2)
            unit.merge(yard)
    return get_check(studio, check_id)


def _places(check: EyeCheck) -> list[tuple[str, tuple[float, float]]]:
    from mirvo.standins.base import random_base
    from mirvo.standins.camera import random_camera
    from mirvo.standins.photo import truth

    known = truth(random_base(check.seed), random_camera(check.seed, *SIZE))
    places = [
        (f"the inner corner of the pot's rim, {name}", corner)
        for name, corner in zip(CORNERS, known["marks"]["calibration"]["corners"], strict=True)
    ]
    ends = zip(("left", "right"), known["segment"]["points"], strict=True)
    places += [(f"the {name} end of the ruler, on its middle line", point) for name, point in ends]
    tips = [root["path"][-1] for root in known["marks"]["roots"]][:MOST_TIPS]
    places += [("the tip of the root", tip) for tip in tips]
    return [(text, (float(x), float(y))) for text, (x, y) in places]


def _order(check: EyeCheck) -> list[int]:
    """Order of asking: as listed at first, shuffled the second time."""
    count = len(_places(check))
    if not check.first:
        return list(range(count))
    return [int(i) for i in np.random.default_rng(check.seed + 1).permutation(count)]


def _clicks(points: Any, count: int) -> list[list[float]]:
    if not isinstance(points, list) or len(points) != count:
        raise BadInput("points", f"{count} clicks are asked for")
    try:
        clicks = [[float(x), float(y)] for x, y in points]
    except (TypeError, ValueError):
        raise BadInput("points", "each click is two numbers") from None
    if not np.isfinite(clicks).all():
        raise BadInput("points", "each click is two ordinary numbers")
    return clicks
