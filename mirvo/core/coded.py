"""What a rule returns instead of a sentence: a code, and the values its sentence tells."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any


@dataclass(frozen=True)
class Coded:
    """A statement by its code; `mirvo.text` makes the sentence."""

    code: str
    values: Mapping[str, Any] = field(default_factory=dict)


def coded(code: str, **values: Any) -> Coded:
    """A statement with its values by name."""
    return Coded(code, values)
