"""A made-up base of the quick camera as a solid, so that both cameras can photograph one tree."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from mirvo.standins.base import (
    Base,
    BaseRoot,
    flare_radius_at,
    radius_at,
    root_path,
    root_widths,
)
from mirvo.standins.scene import CREST_SHARE
from tools.traced.base import Array, SolidBase, Tube

TOP_MM, TAPER, LEAN = 46.0, 0.0016, 0.03
# Of a tube that is as wide as the root at the soil and as high as its crest.
MIDDLE_SHARE = CREST_SHARE - (CREST_SHARE**2 + 0.25) / (2 * CREST_SHARE)
RADIUS_SHARE = CREST_SHARE - MIDDLE_SHARE
# How far a root goes on into the trunk, and under the soil beyond its tip.
INSIDE_SHARES, BEYOND = (0.45, 0.75), 4


@dataclass(frozen=True)
class FlaredBase(SolidBase):
    """A solid base whose trunk widens to the flare of a made-up base below its outline."""

    of: Base | None = None

    def radius_at(self, turn: Array | float, height: Array | float = 0.0) -> Array:
        assert self.of is not None
        azimuth = 90.0 - np.degrees(np.asarray(turn, float))
        tall = np.maximum(0.0, np.asarray(height, float))
        trunk = radius_at(self.of, azimuth)
        flare = flare_radius_at(self.of, azimuth)
        above = np.maximum(0.0, tall - self.of.trunk_height_mm)
        below = np.clip(1.0 - tall / self.of.trunk_height_mm, 0.0, 1.0) ** 1.5
        return np.asarray(
            trunk * np.maximum(0.35, 1 - self.taper * above) + (flare - trunk) * below
        )

    def axis_at(self, height: Array | float) -> Array:
        """It stands upright up to its outline, and leans from there."""
        assert self.of is not None
        above = np.maximum(0.0, np.asarray(height, float) - self.of.trunk_height_mm)
        return np.asarray(above[..., None] * np.array(self.lean))


def solid_of(base: Base, seed: int) -> FlaredBase:
    """The solid of a base; seed : of what the base does not say, how the trunk leans."""
    lean = np.random.default_rng(seed).normal(0, LEAN, 2)
    tubes = tuple(_tube(base, root) for root in base.roots)
    return FlaredBase(
        base.radius_mm, (), (float(lean[0]), float(lean[1])), TAPER, TOP_MM, tubes, base
    )


def _tube(base: Base, root: BaseRoot) -> Tube:
    path = root_path(base, root)
    widths = root_widths(root, len(path))
    inside = path[0] * np.array(INSIDE_SHARES)[:, None]
    ahead = path[-1] - path[-2]
    beyond = path[-1] + ahead * np.arange(1, BEYOND + 1)[:, None]
    flat = np.concatenate([inside, path, beyond])
    wide = np.concatenate([np.full(len(inside), widths[0]), widths, np.full(BEYOND, widths[-1])])
    height = MIDDLE_SHARE * wide
    # It comes down from the trunk and dives at its end.
    height[: len(inside)] += 0.4 * widths[0]
    height[-BEYOND:] -= widths[-1] * np.linspace(0.3, 1.3, BEYOND)
    return Tube("straight", np.column_stack([flat, height]), RADIUS_SHARE * wide)
