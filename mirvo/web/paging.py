"""Long lists a page at a time."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Generic, TypeVar

Line = TypeVar("Line")


@dataclass(frozen=True)
class Page(Generic[Line]):
    """Some lines of a list. number : from 1. first, last : of the lines shown, from 1."""

    lines: Sequence[Line]
    number: int
    pages: int
    found: int
    first: int

    @property
    def last(self) -> int:
        return self.first + len(self.lines) - 1


def page_of(lines: Sequence[Line], asked: str, size: int) -> Page[Line]:
    """The page an address asks for; what is no page there is, is the first."""
    pages = max(1, -(-len(lines) // size))
    number = next((n for n in range(1, pages + 1) if str(n) == asked), 1)
    start = (number - 1) * size
    return Page(lines[start : start + size], number, pages, len(lines), start + 1)
