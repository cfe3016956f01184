"""What an exchange file would change, counted and row by row."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass, field

from mirvo.formats.exchange import (
    Header,
)

# More than this nobody decides one by one; the rest follows one answer for all.
MOST_SHOWN = 300


@dataclass(frozen=True)
class Difference:
    """One column of a row that both sides have."""

    column: str
    mine: str
    theirs: str


@dataclass(frozen=True)
class Conflicting:
    """A row both sides have that differs. key : by which the decision on it is named. usual :
    which is kept where nothing is said."""

    key: str
    table: str
    of_tree: str
    differences: tuple[Difference, ...]
    usual: str


@dataclass
class Tally:
    """How many rows are new here, the same, and different."""

    new: int = 0
    same: int = 0
    different: int = 0


@dataclass
class Coming:
    """What an exchange file would change, or did.

    tables : rows by table. trees : by name. conflicting : rows to be decided, the first of them.
    photos : files that are new here. species : own species that are. ignored : names in the file
    that this Mirvo does not know; what they hold is left out.
    """

    header: Header
    tables: dict[str, Tally] = field(default_factory=lambda: defaultdict(Tally))
    trees: dict[str, Tally] = field(default_factory=lambda: defaultdict(Tally))
    conflicting: list[Conflicting] = field(default_factory=list)
    photos: set[str] = field(default_factory=set)
    species: list[str] = field(default_factory=list)
    ignored: list[str] = field(default_factory=list)

    @property
    def total(self) -> Tally:
        listed = list(self.tables.values())
        return Tally(
            sum(one.new for one in listed),
            sum(one.same for one in listed),
            sum(one.different for one in listed),
        )
