"""The shape marks must have to be kept at all, however incomplete or wrong they still are.

What they say is checked when they are measured; here only that every part is what pages and
readings take it for.
"""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat, ValidationError

from mirvo.core.complaints import first_complaint
from mirvo.core.errors import BadInput

Spot = tuple[FiniteFloat, FiniteFloat]
Spots = list[Spot]
Letter = Annotated[str, Field(max_length=40)]


class _Part(BaseModel):
    model_config = ConfigDict(extra="allow")


class _Outline(_Part):
    outline: Spots
    height_mm: FiniteFloat | None = None


class _InHand(_Part):
    tool: Letter
    kind: Letter | None = None
    points: Spots


class _Root(_Part):
    label: Letter
    path: Spots = []
    base_width: Spots | None = None
    end_width: Spots | None = None
    height: FiniteFloat | Letter | None = None
    feeders: int | None = None
    condition: Letter | None = None
    feeds: list[Letter] | None = None


class _Emergence(_Part):
    label: Letter
    point: Spot


class _Tried(_Part):
    line: Letter
    point: Spot


class _Ball(_Part):
    outline: Spots
    wood: list[Spots] = []


class _Draft(_Part):
    calibration: dict[str, Any] | None = None
    draft: _InHand | None = None


class TopDraft(_Draft):
    """Marks of a photo from above while it is being marked."""

    front: Spot | None = None
    trunk: _Outline | None = None
    trunks: list[_Outline] | None = None
    flare: _Outline | None = None
    roots: list[_Root]
    points: dict[str, Spot] | None = None
    set: bool | None = None
    underside: bool | None = None


class SideDraft(_Draft):
    """Marks of a photo from the side while it is being marked."""

    soil_line: Spots | None = None
    left_edge: Spots | None = None
    right_edge: Spots | None = None
    emergences: list[_Emergence]
    tried: list[_Tried] | None = None
    ball: _Ball | None = None
    turntable_deg: FiniteFloat | None = None


def check_shape(marks: Any, view: str) -> None:
    """Refuse what is no set of marks of that view. Raises BadInput naming the place."""
    if not isinstance(marks, dict):
        raise BadInput("marks", "must be one JSON object")
    contract = SideDraft if view == "side" else TopDraft
    try:
        contract.model_validate(marks)
    except ValidationError as error:
        raise first_complaint(error) from None
