"""Pots of the shelf, and what soil is mixed of."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, StringConstraints, model_validator

from mirvo.core.errors import BadInput
from mirvo.core.lengths import LENGTH
from mirvo.core.limits.base import LengthMm, Limits, Name, Note, Percent
from mirvo.core.pot import Shape

PotCondition = Literal["whole", "chipped", "cracked", "mended"]
POT_CONDITIONS: tuple[PotCondition, ...] = PotCondition.__args__  # type: ignore[attr-defined]
Words = Annotated[str, StringConstraints(strip_whitespace=True, max_length=80)]
Cost = Annotated[str, StringConstraints(strip_whitespace=True, max_length=40)]
SmallMm = Annotated[float, LENGTH, Field(ge=0, le=500, allow_inf_nan=False)]
GrainMm = Annotated[float, LENGTH, Field(gt=0, le=100, allow_inf_nan=False)]


class PotFields(Limits):
    """A pot; lengths in mm, of its inside."""

    name: Name
    shape: Shape = "rectangle"
    length_mm: LengthMm
    width_mm: LengthMm | None = None
    depth_mm: LengthMm
    floor_length_mm: LengthMm | None = None
    floor_width_mm: LengthMm | None = None
    corner_mm: Annotated[float, LENGTH, Field(ge=0, le=2_000, allow_inf_nan=False)] | None = None
    belly_mm: LengthMm | None = None
    rim_in_mm: SmallMm | None = None
    holes: Annotated[int, Field(ge=0, le=60)] | None = None
    feet_mm: SmallMm | None = None
    weight_kg: Annotated[float, Field(ge=0, le=500, allow_inf_nan=False)] | None = None
    glaze: Words = ""
    condition: PotCondition = "whole"
    place: Words = ""
    cost: Cost = ""
    note: Note = ""

    @model_validator(mode="after")
    def _as_it_can_be(self) -> PotFields:
        """Round ones are as wide as long; a floor is no larger than the rim by much."""
        if self.width_mm is None:
            if self.shape not in ("round", "drum"):
                raise BadInput("width_mm", "how wide is it inside?")
            self.width_mm = self.length_mm
        least = min(self.length_mm, self.width_mm)
        if self.corner_mm is not None and self.corner_mm > least / 2:
            raise BadInput("corner_mm", f"corners of a pot so wide have at most {least / 2:g} mm")
        if self.rim_in_mm is not None and 2 * self.rim_in_mm >= least:
            raise BadInput("rim_in_mm", "such a rim would leave no opening")
        if self.belly_mm is not None and self.belly_mm < self.length_mm * 0.5:
            raise BadInput("belly_mm", "the widest diameter of a drum is no less than its rim")
        return self


class ComponentRow(Limits):
    """A component of soil as it is kept, but for its shares; grains in mm, stock in litres."""

    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)]
    from_mm: GrainMm
    to_mm: GrainMm
    kg_per_l: Annotated[float, Field(gt=0, le=5, allow_inf_nan=False)]
    ph: Annotated[float, Field(ge=0, le=14, allow_inf_nan=False)] | None = None
    stock_l: Annotated[float, Field(ge=0, le=1e6, allow_inf_nan=False)] | None = None
    cost: Cost = ""

    @model_validator(mode="after")
    def _grains_in_order(self) -> ComponentRow:
        if self.to_mm < self.from_mm:
            raise BadInput("to_mm", "its largest grain is smaller than its smallest")
        return self


class ComponentFields(ComponentRow):
    """A component as it is entered: its shares of volume too, in percent."""

    water: Percent
    air: Percent
    loss: Annotated[float, Field(ge=0, le=95, allow_inf_nan=False)] = 0.0

    @model_validator(mode="after")
    def _no_more_than_there_is(self) -> ComponentFields:
        if self.water + self.air > 100:
            raise BadInput("air", "water and air together are more than there is")
        return self
