"""A figure with where it is from."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Literal

Source = Literal["measured", "computed", "recorded", "typed", "guessed", "simulated"]
WORDS: dict[Source, str] = {
    "measured": "measured",
    "computed": "computed since",
    "recorded": "recorded",
    "typed": "entered by hand",
    "guessed": "guessed",
    "simulated": "simulated",
}


@dataclass(frozen=True)
class Sourced:
    """value with its ±, both in the unit of whoever asks; on : the day it is from, if any.

    narrow : what would make it surer, "" where nothing simple would.
    """

    value: float
    plus_minus: float
    source: Source
    on: date | None = None
    narrow: str = ""

    @property
    def said(self) -> str:
        """Where it is from, in words: "recorded 21 March 2025"."""
        if self.on is None:
            return WORDS[self.source]
        return f"{WORDS[self.source]} {self.on.day} {self.on:%B %Y}"
