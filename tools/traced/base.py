"""A made-up base in space: a trunk and roots as tubes of changing width, mm, z up from the soil."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[np.float64]
STEP_MM = 2.0
KINDS = (
    "straight",
    "wavy",
    "bent",
    "circling",
    "forked",
    "hair",
    "crossing",
    "sunk",
    "lifted",
)


@dataclass(frozen=True)
class Tube:
    """A root or a fork of one: its middle line (n, 3), radius (n,) and what it hangs on.

    parent : number of the tube it leaves, -1 for the trunk.
    """

    kind: str
    middle: Array
    radius: Array
    parent: int = -1

    @property
    def crest(self) -> Array:
        """The line along its top (n, 3)."""
        return self.middle + np.stack([0 * self.radius, 0 * self.radius, self.radius], axis=1)


@dataclass(frozen=True)
class SolidBase:
    """Trunk and tubes. outline_mm : trunk radius by direction at the soil, every 3 degrees.

    lean : how far the trunk's axis goes aside per mm of height, (x, y). taper : of its radius per
    mm of height. top_mm : height at which it is cut off.
    """

    radius_mm: float
    waves: tuple[tuple[int, float, float], ...]
    lean: tuple[float, float]
    taper: float
    top_mm: float
    tubes: tuple[Tube, ...] = field(default=())

    def radius_at(self, turn: Array | float, height: Array | float = 0.0) -> Array:
        """Trunk radius in a direction (radians from x, counted toward y) at a height, mm."""
        out = np.ones_like(np.asarray(turn, float))
        for order, size, phase in self.waves:
            out = out + size * np.cos(order * np.asarray(turn) + phase)
        shrunk = np.maximum(0.35, 1 - self.taper * np.maximum(0, np.asarray(height)))
        return np.asarray(self.radius_mm * out * shrunk)

    def axis_at(self, height: Array | float) -> Array:
        """Middle of the trunk (..., 2) at a height, mm."""
        tall = np.asarray(height, float)[..., None]
        return np.asarray(tall * np.array(self.lean))

    def outline(self, height: float = 0.0, points: int = 120) -> Array:
        """Outline of the trunk without its roots (points, 2) at a height, mm."""
        turn = np.arange(points) * 2 * np.pi / points
        ring = np.stack([np.cos(turn), np.sin(turn)], axis=1)
        return np.asarray(self.axis_at(height) + ring * self.radius_at(turn, height)[:, None])


def random_solid_base(rng: np.random.Generator, hard: float = 0.5) -> SolidBase:
    """A base from a random generator; hard : 0 to 1, how tall, crooked and crowded it may be."""
    radius = float(rng.uniform(14, 34))
    waves = tuple(
        (order, float(rng.uniform(0.1, 0.6) * 0.16 / order), float(rng.uniform(0, 2 * np.pi)))
        for order in range(2, 6)
    )
    tall = float(rng.uniform(15, 45) if rng.random() > 0.25 + 0.5 * hard else rng.uniform(60, 230))
    lean = rng.normal(0, 0.05 + 0.16 * hard, 2)
    trunk = SolidBase(
        radius, waves, (float(lean[0]), float(lean[1])), float(rng.uniform(0.0005, 0.004)), tall
    )
    tubes = list(_roots(rng, trunk, hard))
    for number in range(len(tubes)):
        if tubes[number].kind == "forked":
            tubes.extend(_forks(rng, tubes[number], number))
    return SolidBase(radius, waves, trunk.lean, trunk.taper, tall, tuple(tubes))


def _roots(rng: np.random.Generator, trunk: SolidBase, hard: float) -> list[Tube]:
    count = int(rng.integers(4, 11))
    steps = rng.uniform(0.5, 1.5, count)
    steps[int(rng.integers(count))] *= 1.8
    turns = np.cumsum(steps) / steps.sum() * 2 * np.pi + rng.uniform(0, 2 * np.pi)
    rare = 0.03 + 0.09 * hard
    odds = np.array([0.3, 0.25, 0.2, rare, 0.16, rare, rare, 0.06 + 0.1 * hard, 0.06])
    return [
        root_tube(rng, trunk, turn, str(rng.choice(KINDS, p=odds / odds.sum()))) for turn in turns
    ]


def root_tube(rng: np.random.Generator, trunk: SolidBase, turn: float, kind: str) -> Tube:
    """One root that leaves the trunk in a direction (radians from x toward y)."""
    diameter = 2 * trunk.radius_mm
    width = diameter * float(rng.uniform(0.13, 0.36))
    length = diameter * float(rng.uniform(0.7, 2.6))
    if kind == "hair":
        width, length = float(rng.uniform(1.6, 3.2)), diameter * float(rng.uniform(0.4, 1.2))
    bend = float(rng.normal(0, 0.25))
    if kind == "bent":
        bend = float(rng.choice([-1, 1]) * rng.uniform(0.6, 1.3))
    if kind == "circling":
        bend, length = float(rng.choice([-1, 1]) * rng.uniform(1.8, 2.8)), diameter * 2.2
    wave = float(rng.uniform(0.15, 0.5)) if kind == "wavy" else float(rng.uniform(0, 0.12))
    count = max(8, int(length / STEP_MM))
    along = np.linspace(0, 1, count)
    aside = float(rng.normal(0, 0.15))
    heading = turn + aside * np.minimum(1, 3 * along) + bend * along**1.4
    heading = heading + wave * np.sin(2 * np.pi * (along * rng.uniform(1, 2.5) + rng.uniform()))
    if kind == "circling":
        # It leaves, and then follows the trunk round.
        heading = turn + np.sign(bend) * 1.35 * np.clip(along * 5, 0, 1) + bend * along
    if kind == "crossing":
        # It leaves to one side and runs over what leaves beside it.
        heading = turn + float(rng.choice([-1, 1]) * rng.uniform(0.45, 1.0)) + 0.5 * bend * along
    start = trunk.radius_at(turn) - 0.25 * width
    step = length / count
    flat = np.cumsum(np.stack([np.cos(heading), np.sin(heading)], axis=1) * step, axis=0)
    flat = flat + np.array([np.cos(turn), np.sin(turn)]) * start
    thick = width / 2 * (1 - (1 - float(rng.uniform(0.2, 0.55))) * along**0.85)
    # Up on the trunk it is a buttress; it comes down, runs half sunk, and dives at its end.
    rise = float(rng.uniform(0.2, 0.9)) * width
    out = (along * length) / max(1.0, float(rng.uniform(0.3, 0.8)) * diameter)
    sunk = float(rng.uniform(-0.35, 0.35))
    if kind == "sunk":
        sunk = float(rng.uniform(0.35, 0.95))
    height = rise * np.exp(-((out / 0.8) ** 2)) - sunk * thick
    if kind in ("crossing", "lifted"):
        height = height + rng.uniform(0.4, 1.3) * width / 2 * np.sin(np.pi * along**0.8)
    height = height - thick * 2.4 * np.clip((along - 0.82) / 0.18, 0, 1) ** 1.5
    height = height + rng.uniform(0, 0.35) * thick * np.sin(
        along * rng.uniform(4, 9) + rng.uniform(0, 6)
    )
    thick = thick * (1 + 0.35 * np.exp(-((out / 0.5) ** 2)))
    return Tube(kind, np.column_stack([flat, height]), thick)


def _forks(rng: np.random.Generator, tube: Tube, number: int) -> list[Tube]:
    count = len(tube.middle)
    forks = []
    for side in (-1, 1) if rng.random() < 0.3 else (int(rng.choice([-1, 1])),):
        at = int(count * rng.uniform(0.35, 0.7))
        ahead = tube.middle[min(count - 1, at + 1)] - tube.middle[at - 1]
        heading = np.arctan2(ahead[1], ahead[0]) + side * rng.uniform(0.4, 0.85)
        left = max(8, int((count - at) * rng.uniform(0.6, 1.1)))
        along = np.linspace(0, 1, left)
        turn = heading - side * rng.uniform(0, 0.5) * along
        flat = tube.middle[at, :2] + np.cumsum(
            np.stack([np.cos(turn), np.sin(turn)], axis=1) * STEP_MM, axis=0
        )
        thick = tube.radius[at] * rng.uniform(0.55, 0.9) * (1 - 0.65 * along)
        height = (
            tube.middle[at, 2] * (1 - along)
            - 0.1 * thick
            - thick * 2.4 * np.clip((along - 0.8) / 0.2, 0, 1) ** 1.5
        )
        forks.append(Tube("fork", np.column_stack([flat, height]), thick, number))
    return forks
