"""A measured value with its error bar."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Figure:
    """A measured value and the half-width of its 95 % interval, in the value's own unit."""

    value: float
    plus_minus: float
