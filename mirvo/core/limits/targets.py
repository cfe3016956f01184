"""What a tree is worked toward."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from mirvo.core.almanac import rules
from mirvo.core.lengths import LENGTH
from mirvo.core.limits.base import FIRST_DAY, LAST_DAY, Limits

BOUNDS = rules().target.limits


def _within(limits: tuple[float, float]) -> Any:
    """Bounds of a field as the rules give them."""
    return Field(ge=limits[0], le=limits[1], allow_inf_nan=False)


class TargetFields(Limits):
    """A target; lengths in mm, gaps in degrees."""

    spread_ratio: Annotated[float, _within(BOUNDS.spread_ratio)]
    basis: Literal["flare", "roots"] = "flare"
    largest_gap_deg: Annotated[float, _within(BOUNDS.largest_gap_deg)] = 90.0
    pot_depth_mm: Annotated[float, LENGTH, _within(BOUNDS.pot_depth_mm)]
    pot_length_mm: Annotated[float, LENGTH, _within(BOUNDS.pot_length_mm)] | None = None
    pot_width_mm: Annotated[float, LENGTH, _within(BOUNDS.pot_length_mm)] | None = None
    year: Annotated[int, Field(ge=FIRST_DAY.year, le=LAST_DAY.year)] | None = None
