"""Another soil line or pot rim tried on a side photo: what the base would be like, set so.

Nothing of the marks is changed by trying: the same edges are read from another height.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from mirvo.core.almanac import rules
from mirvo.core.measure.flare import flare_angles, narrowest, undercut
from mirvo.core.measure.side_marks import Tried
from mirvo.core.measure.silhouette import MOST_GAP_MM, STEP_MM, Silhouette
from mirvo.core.measure.uncertainty import Array, Figure, figure


@dataclass(frozen=True)
class TriedLine:
    """The base with its soil at another height.

    line : "soil line" or "pot rim"; the soil lies the usual rim clearance below a rim.
    raised_mm : how much higher the tree would stand than it does, negative for deeper.
    shown, buried : roots that would leave the trunk above or below the soil; at_line : those
    of which the measuring error leaves it open.
    problem : why there are no figures there, None when there are.
    """

    line: str
    raised_mm: Figure
    flare_ratio: Figure | None
    width_mm: Figure | None
    flare_angle_deg: dict[str, Figure]
    undercut: bool | None
    shown: list[str]
    at_line: list[str]
    buried: list[str]
    problem: str | None


def try_line(
    tried: Tried, outline: Silhouette, line_mm: Array, emergences: dict[str, Array]
) -> TriedLine:
    """Read a base with its soil at another height.

    Parameters
    ----------
    outline : edges from the soil line as it is. line_mm : (rows,), mm, height of the tried
    line above that. emergences : height (rows,), mm, of each root above the soil line as it is.
    """
    below = rules().plan.rim_clearance_mm if tried.line == "pot rim" else 0.0
    soil = line_mm - below
    sides: dict[str, list[str]] = {"shown": [], "at_line": [], "buried": []}
    for label, height in emergences.items():
        above = figure(height - soil)
        unsure = abs(above.value) <= above.plus_minus
        sides["at_line" if unsure else "shown" if above.value > 0 else "buried"].append(label)
    found = TriedLine(tried.line, figure(-soil), None, None, {}, None, **sides, problem=None)
    problem = _out_of_reach(outline, float(soil[0]))
    if problem is not None:
        return replace(found, problem=problem)
    there = outline.from_height(soil)
    left, right = there.edges_at(np.zeros(1))[:, :, 0]
    width = right - left
    if width[0] <= 0:
        return replace(found, problem="the two edges cross there")
    least = narrowest(there, width)
    return replace(
        found,
        flare_ratio=None if least is None else figure(width / least),
        width_mm=figure(width),
        flare_angle_deg=flare_angles(there, width),
        undercut=undercut(there.heights, there.widths()[0], float(width[0])),
    )


def _out_of_reach(outline: Silhouette, soil_mm: float) -> str | None:
    lowest = float(max(outline.left[0, :, 1].min(), outline.right[0, :, 1].min()))
    if soil_mm < lowest - MOST_GAP_MM:
        return "the edges end above it: bare the trunk that far down and mark them on"
    if soil_mm > outline.top - STEP_MM:
        return "it lies above the marked edges"
    return None
