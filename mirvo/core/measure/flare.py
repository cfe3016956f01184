"""What an outline from the side says of a flare: ratio, angles, lean, taper, undercut."""

from __future__ import annotations

import numpy as np

from mirvo.core.measure.figure import Figure
from mirvo.core.measure.records import BothSides
from mirvo.core.measure.silhouette import Silhouette
from mirvo.core.measure.uncertainty import Array, Draws, figure

NARROWEST_FROM, NARROWEST_TO = 0.5, 2.0
ANGLE_OVER = 0.25
ANGLE_STEPS = 6
EXCESS = 1.03
SURE_SHARE = 0.975
TAPER_DROP_MM = 10.0
# No section is round, and each shows another face: so the ratio of two widths strays; one
# deviation, from bases of another geometry (docs/decisions/0033).
SECTIONS_SD_SHARE = 0.013


def narrowest(outline: Silhouette, soil_width: Array) -> Array | None:
    """Least width (rows,) between 0.5 and 2 soil-line widths above the soil line.

    None where the edges end below that range.
    """
    low, high = NARROWEST_FROM * soil_width[0], NARROWEST_TO * soil_width[0]
    inside = (outline.heights >= low) & (outline.heights <= high)
    if outline.top < low:
        return None
    if not inside.any():
        return np.asarray(outline.widths_at(np.array([low]))[:, 0])
    least = np.asarray(outline.smooth_widths()[:, inside].min(axis=1))
    return _without_twice_the_bias(least)


def flare_ratio(soil_width: Array, least: Array, draws: Draws) -> Figure:
    """Width at the soil line over the narrowest above it, both (rows,) mm.

    What scale and tilt do to both cancels; what each section's own shape does, seen from near by,
    does not.
    """
    return figure(soil_width / least * draws.scalars(1.0, SECTIONS_SD_SHARE))


def _without_twice_the_bias(least: Array) -> Array:
    """The least of noisy widths lies low; draws are noisy once more and lie lower still.

    They are moved back by their own mean offset, so that it is not taken for spread
    (the bootstrap's bias; Efron & Tibshirani, An Introduction to the Bootstrap, ch. 10).
    """
    offset = np.mean(least[1:]) - least[0] if len(least) > 1 else 0.0
    return np.concatenate([least[:1], least[1:] - offset])


def flare_angles(outline: Silhouette, soil_width: Array) -> BothSides:
    """Slope of both edges over the lowest quarter of the soil-line width, from upright."""
    heights = np.linspace(0, ANGLE_OVER * float(soil_width[0]), ANGLE_STEPS)
    left, right = outline.edges_at(heights)
    away = heights - heights.mean()
    to_left, to_right = (
        figure(np.degrees(np.arctan(slope / (away @ away))))
        for slope in (left @ away, -(right @ away))
    )
    return BothSides(left=to_left, right=to_right)


def lean(outline: Silhouette) -> Figure:
    """Angle from upright of the line fitted to the trunk's middle over all marked heights."""
    left, right = outline.edges_at(outline.heights)
    if len(outline.heights) < 2:
        return Figure(0.0, 90.0)
    away = outline.heights - outline.heights.mean()
    slope = ((left + right) / 2) @ away / (away @ away)
    return figure(np.degrees(np.arctan(slope)))


def reverse_taper(z: Array, widths: Array, soil_width: float) -> list[tuple[float, bool]]:
    """Heights wider than 10 mm below by over 3 %, and whether surely wider: in 95 % of draws."""
    found = []
    for height in z[z - TAPER_DROP_MM >= NARROWEST_FROM * soil_width]:
        here, below = (_width_at(z, widths, at) for at in (height, height - TAPER_DROP_MM))
        if here[0] > EXCESS * below[0]:
            found.append((float(height), bool(np.mean(here > below) > SURE_SHARE)))
    return found


def _width_at(z: Array, widths: Array, height: float) -> Array:
    """Width (rows,) at a height between the marked ones."""
    place = int(np.clip(np.searchsorted(z, height), 1, len(z) - 1))
    share = (height - z[place - 1]) / (z[place] - z[place - 1])
    return np.asarray(widths[:, place - 1] * (1 - share) + widths[:, place] * share)


def undercut(z: Array, width: Array, soil_width: float) -> bool:
    """Whether a width near above the soil line exceeds that at it by over 3 %."""
    near = z <= NARROWEST_FROM * soil_width
    return bool(width[near].max() > EXCESS * soil_width)
