"""Another soil line or pot rim tried on a side photo: what the base would be like, set so.

Nothing of the marks is changed by trying: the same edges are read from another height.
"""

from __future__ import annotations

import numpy as np

from mirvo.core.almanac import rules
from mirvo.core.measure.flare import flare_angles, flare_ratio, narrowest, undercut
from mirvo.core.measure.records import SoilLineTrial
from mirvo.core.measure.side_marks import Tried
from mirvo.core.measure.silhouette import MAX_GAP_MM, STEP_MM, Silhouette
from mirvo.core.measure.uncertainty import Array, Draws, figure

SHOWN, AT_LINE, BURIED = "shown", "at_line", "buried"


def try_soil_line(
    tried: Tried,
    outline: Silhouette,
    line_mm: Array,
    emergences: dict[str, Array],
    draws: Draws,
) -> SoilLineTrial:
    """Read a base with its soil at another height.

    Parameters
    ----------
    outline : edges from the soil line as it is. line_mm : (rows,), mm, height of the tried
    line above that. emergences : height (rows,), mm, of each root above the soil line as it is.
    """
    below = rules().plan.rim_clearance_mm if tried.line == "pot rim" else 0.0
    soil = line_mm - below
    sides: dict[str, list[str]] = {SHOWN: [], AT_LINE: [], BURIED: []}
    for label, height in emergences.items():
        above = figure(height - soil)
        unsure = abs(above.value) <= above.plus_minus
        sides[AT_LINE if unsure else SHOWN if above.value > 0 else BURIED].append(label)
    found = SoilLineTrial(
        line=tried.line,
        raised_mm=figure(-soil),
        shown=tuple(sides[SHOWN]),
        at_line=tuple(sides[AT_LINE]),
        buried=tuple(sides[BURIED]),
    )
    problem = _out_of_reach(outline, float(soil[0]))
    if problem is not None:
        return found.model_copy(update={"problem": problem})
    there = outline.from_height(soil)
    left, right = there.edges_at(np.zeros(1))[:, :, 0]
    width = right - left
    if width[0] <= 0:
        return found.model_copy(update={"problem": "the two edges cross there"})
    least = narrowest(there, width)
    return found.model_copy(
        update={
            "flare_ratio": None if least is None else flare_ratio(width, least, draws),
            "width_mm": figure(width),
            "flare_angle_deg": flare_angles(there, width),
            "undercut": undercut(there.heights, there.widths()[0], float(width[0])),
        }
    )


def _out_of_reach(outline: Silhouette, soil_mm: float) -> str | None:
    lowest = float(max(outline.left[0, :, 1].min(), outline.right[0, :, 1].min()))
    if soil_mm < lowest - MAX_GAP_MM:
        return "the edges end above it: bare the trunk that far down and mark them on"
    if soil_mm > outline.top - STEP_MM:
        return "it lies above the marked edges"
    return None
