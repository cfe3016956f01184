"""What the made-up yard lived through: each tree's base as it stood, and the photos of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import date, timedelta
from pathlib import Path

from mirvo.demo.scenario import DemoTree
from mirvo.standins.base import Base, grown, random_base, without

PHOTOS = Path(__file__).parent / "photos"
TURNS_DEG = tuple(45.0 * number for number in range(8))
DAYS_A_YEAR = 365.25
# Of so many sessions there are photos after the cuts.
SHOWN_SESSIONS = 2


@dataclass
class Shot:
    """One photo: when, of which base, and the seed of all by chance in it.

    kind : as photos are filed. of_session : the day of the session it belongs to.
    """

    taken_on: date
    base: Base
    seed: int
    kind: str = "top"
    of_session: date | None = None


@dataclass
class History:
    """One tree's photos, and the keys of the roots each session takes off.

    shots : those that are measured. seen_after : plain ones after the cuts and weeks later.
    """

    shots: list[Shot] = field(default_factory=list)
    seen_after: list[Shot] = field(default_factory=list)
    removed: dict[date, set[str]] = field(default_factory=dict)


def photo_name(entry: DemoTree, day: date, what: str = "top") -> str:
    """Name of the photo of a tree on a day, and of its truth, without an ending."""
    name = f"{entry.name.lower().replace(' ', '-')}-{day:%Y-%m-%d}"
    return name if what == "top" else f"{name}-{what}"


def side_name(turn_deg: float) -> str:
    """What the name of a view from the side says of it."""
    return f"side-{turn_deg:03.0f}"


def history_of(index: int, entry: DemoTree) -> History:
    """The base at each photo: grown by its years, cut by the sessions before."""
    base = _thickened(random_base(entry.seed, entry.trunk_mm), entry.thick)
    base = without(base, set(entry.drop))
    start = entry.photos[0]
    history, gone = History(), set[str]()
    for session in entry.sessions:
        left = without(base, gone)
        # What a sensible artist would have cut then.
        history.removed[session.done_on] = _worst(left, session.remove_bad)
        gone |= history.removed[session.done_on]
    for number, day in enumerate(entry.photos):
        grown_up = grown(base, (day - start).days / DAYS_A_YEAR, entry.growth)
        cut = _gone_by(history, day)
        history.shots.append(Shot(day, without(grown_up, cut), 100 * index + number))
    shown = [session for session in entry.sessions if session.done_on > start][-SHOWN_SESSIONS:]
    for number, session in enumerate(shown):
        for kind, days in (("after", 0), ("follow-up", session.seen_after_days)):
            if days is None:
                continue
            day = session.done_on + timedelta(days=days)
            grown_up = grown(base, (day - start).days / DAYS_A_YEAR, entry.growth)
            left = without(grown_up, _gone_by(history, day + timedelta(days=1)))
            seed = 100 * index + 50 + 10 * number + (kind == "after")
            history.seen_after.append(Shot(day, left, seed, kind, session.done_on))
    return history


def _thickened(base: Base, thick: Mapping[str, float]) -> Base:
    """Roots so many times as wide as chance made them, by key."""
    roots = [
        replace(root, width_mm=root.width_mm * thick.get(root.key, 1.0)) for root in base.roots
    ]
    return replace(base, roots=type(base.roots)(roots))


def _gone_by(history: History, day: date) -> set[str]:
    """Keys of the roots cut before a day."""
    return {key for done, keys in history.removed.items() if done < day for key in keys}


def _worst(base: Base, count: int) -> set[str]:
    """Keys of the most strongly bending roots."""
    order = sorted(base.roots, key=lambda root: -abs(root.bend_deg))
    return {root.key for root in order[:count]}
