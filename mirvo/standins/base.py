"""A made-up tree base whose true shape is known: trunk, flare and roots in millimetres.

Coordinates are the plan frame: x to the viewer's right, y away from the viewer.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt

# What is truly so, as it is written beside a simulated photo.
Truth = dict[str, Any]
Array = npt.NDArray[np.float64]
# Every three degrees: the chord is then within a hundredth of a millimetre of the curve.
OUTLINE_POINTS = 120
PATH_STEP_MM = 2.0


@dataclass(frozen=True)
class BaseRoot:
    """One root: where it leaves, how it runs. `bend_deg` is gained over its length."""

    key: str
    azimuth_deg: float
    width_mm: float
    length_mm: float
    bend_deg: float = 0.0
    aside_deg: float = 0.0
    end_share: float = 0.4
    feeders: int = 2
    height: str = "on"
    condition: str = "sound"


@dataclass(frozen=True)
class Base:
    """A base: mean trunk radius, waviness of its outline, flare width, roots.

    mirrored : it is the lifted tree seen from below.
    """

    seed: int
    radius_mm: float
    flare_mm: float
    roots: tuple[BaseRoot, ...]
    wave: float = 0.05
    trunk_height_mm: float = 12.0
    mirrored: bool = False

    def as_json(self) -> Truth:
        return asdict(self)


def random_base(seed: int, trunk_mm: float | None = None) -> Base:
    """A plausible base from a seed: five to nine roots, some of them faulty, often one gap."""
    rng = np.random.default_rng(seed)
    diameter = trunk_mm or float(rng.uniform(38, 54))
    count = int(rng.integers(5, 10))
    steps = rng.uniform(0.6, 1.4, count)
    # Real bases nearly always have a gap somewhere.
    steps[int(rng.integers(count))] *= 1.7
    azimuths = (np.cumsum(steps) / steps.sum() * 360 + rng.uniform(0, 360)) % 360
    roots = []
    for i, azimuth in enumerate(np.sort(azimuths)):
        roots.append(
            BaseRoot(
                key=f"r{i}",
                azimuth_deg=round(float(azimuth), 1),
                width_mm=round(float(diameter * rng.uniform(0.16, 0.32)), 1),
                length_mm=round(float(diameter * rng.uniform(0.9, 1.6)), 1),
                bend_deg=round(float(rng.normal(0, 22)), 1),
                aside_deg=round(float(rng.normal(0, 8)), 1),
                end_share=round(float(rng.uniform(0.25, 0.5)), 2),
                feeders=int(rng.choice([1, 2, 2, 3])),
            )
        )
    bad = int(rng.integers(count))
    # One root bends far enough to be a fault, to either side.
    turn = 110.0 if rng.random() < 0.5 else -110.0
    roots[bad] = replace(roots[bad], bend_deg=turn, aside_deg=turn / 3)
    return Base(seed, diameter / 2, round(diameter * 0.16, 1), tuple(roots))


def grown(base: Base, years: float, rate: float = 1.0) -> Base:
    """The base after some years of growth: trunk slowly, flare and roots faster."""
    # The flare outgrows the trunk, so that the ratio rises as it does on well kept trees.
    trunk = 1.0 + 0.022 * rate * years
    roots = tuple(
        replace(
            root,
            width_mm=root.width_mm * (1.0 + 0.035 * rate * years),
            length_mm=root.length_mm * (1.0 + 0.02 * rate * years),
        )
        for root in base.roots
    )
    return replace(
        base,
        radius_mm=base.radius_mm * trunk,
        flare_mm=base.flare_mm + base.radius_mm * 0.10 * rate * years,
        roots=roots,
    )


def without(base: Base, keys: set[str]) -> Base:
    """The base after some roots were cut off flush."""
    return replace(base, roots=tuple(root for root in base.roots if root.key not in keys))


def from_below(base: Base) -> Base:
    """The lifted tree seen from its underside, which shows a root that soil hides from above.

    It leaves in the widest gap and stands last, so that the others keep their letters.
    """
    order = sorted(root.azimuth_deg for root in base.roots)
    gaps = [((b - a) % 360.0, a) for a, b in zip(order, order[1:] + order[:1], strict=True)]
    # Where no other root is, so that it is seen from below.
    width, start = max(gaps)
    hidden = BaseRoot(
        "under", (start + width / 2) % 360.0, base.radius_mm * 0.4, base.radius_mm * 2.0
    )
    roots = tuple(
        replace(
            root,
            azimuth_deg=-root.azimuth_deg % 360.0,
            bend_deg=-root.bend_deg,
            aside_deg=-root.aside_deg,
        )
        for root in (*base.roots, hidden)
    )
    return replace(base, roots=roots, mirrored=True)


def nearest_root(base: Base, azimuth_deg: float, within_deg: float = 20.0) -> str | None:
    """Key of the root closest to an azimuth, if any lies near enough."""
    away = [(abs((r.azimuth_deg - azimuth_deg + 180) % 360 - 180), r.key) for r in base.roots]
    return min(away)[1] if away and min(away)[0] <= within_deg else None


def heading(azimuth_deg: Array | float) -> Array:
    """Unit vectors of azimuths in the plan frame, (..., 2)."""
    turn = np.radians(azimuth_deg)
    return np.stack([np.sin(turn), np.cos(turn)], axis=-1)


def radius_at(base: Base, azimuth_deg: Array | float) -> Array:
    """Trunk radius in a direction, mm, at the height of the trunk outline."""
    # Drawn anew each time from the same seed, so that every caller sees the same trunk.
    rng = np.random.default_rng(base.seed + 1)
    turn = np.radians(np.asarray(azimuth_deg, dtype=float)) * (-1.0 if base.mirrored else 1.0)
    out = np.ones_like(turn)
    for order in range(2, 6):
        size, phase = base.wave * rng.uniform(0.3, 1.0) / order * 2, rng.uniform(0, 2 * np.pi)
        # Low orders only: bark ripples are in the picture, not in the outline.
        out = out + size * np.cos(order * turn + phase)
    return np.asarray(base.radius_mm * out)


def flare_radius_at(base: Base, azimuth_deg: Array | float) -> Array:
    """Radius of the solid flare before it splits, drawn out toward each root, mm."""
    azimuth = np.asarray(azimuth_deg, dtype=float)
    pull = np.zeros_like(azimuth)
    for root in base.roots:
        away = (azimuth - root.azimuth_deg + 180) % 360 - 180
        pull = np.maximum(pull, np.exp(-((away / 16.0) ** 2)))
    return np.asarray(radius_at(base, azimuth) + base.flare_mm * (0.35 + 0.65 * pull))


def trunk_outline(base: Base) -> Array:
    """Closed outline of the trunk (n, 2), mm, clockwise from the back."""
    azimuth = np.arange(OUTLINE_POINTS) * 360.0 / OUTLINE_POINTS
    return np.asarray(heading(azimuth) * radius_at(base, azimuth)[:, None])


def flare_outline(base: Base) -> Array:
    """Closed outline of the flare (n, 2), mm."""
    azimuth = np.arange(OUTLINE_POINTS) * 360.0 / OUTLINE_POINTS
    return np.asarray(heading(azimuth) * flare_radius_at(base, azimuth)[:, None])


def root_path(base: Base, root: BaseRoot) -> Array:
    """Centre line (n, 2), mm, from the trunk's edge outward."""
    # A millimetre out, so that the base lies outside the trunk's outline.
    start = heading(root.azimuth_deg) * (radius_at(base, root.azimuth_deg) + 1.0)
    count = max(4, int(root.length_mm / PATH_STEP_MM))
    step = root.length_mm / count
    share = (np.arange(count) + 0.5) / count
    # It leaves at an angle at once and bends more the farther it runs.
    turn = root.azimuth_deg + root.aside_deg * np.minimum(1, 3 * share) + root.bend_deg * share**1.5
    return np.asarray(
        np.concatenate([start[None], start + np.cumsum(heading(turn) * step, axis=0)])
    )


def root_widths(root: BaseRoot, count: int) -> Array:
    """Width at each of `count` points even along the path, mm."""
    return np.asarray(root.width_mm * (1 - (1 - root.end_share) * np.linspace(0, 1, count)))
