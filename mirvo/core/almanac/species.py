"""The species of the almanac."""

from __future__ import annotations

from functools import cache

from mirvo.core.almanac.data_files import Data, read_data
from mirvo.core.almanac.loader import rules
from mirvo.core.errors import NotFound


class Budgets(Data):
    gentle: float
    steady: float
    bold: float

    def of(self, school: str) -> float:
        # Schools are named in cases and records, so the name comes from outside.
        return float(getattr(self, school))


class GrowthPrior(Data):
    spread: float
    trunk: float


class Species(Data):
    """One entry of the almanac. Window weeks count from the usual last frost.

    scientific : its botanical name, empty where nobody gave it; synonyms : others it is sold or
    was described under. root_cuttings : it strikes from them. ground_layers : it layers willingly.
    roots_group : of its roots, where they are those of an understock of another group.
    sheds_leaves : it is leafless in winter though the rest of its group is not.
    """

    key: str
    name: str
    scientific: str = ""
    synonyms: tuple[str, ...] = ()
    group: str
    roots_group: str = ""
    vigour: str
    interval_years: tuple[float, float]
    budget: Budgets
    growth: GrowthPrior
    window_weeks: tuple[int, int]
    best_week: int
    night_floor_c: float
    wash_allowed: bool
    top_work_together: bool
    root_cuttings: bool
    ground_layers: bool
    caution: str | None
    note: str
    sheds_leaves: bool = False

    @property
    def leafless_in_winter(self) -> bool:
        """Whether it stands without leaves or needles while it is dormant."""
        return self.sheds_leaves or self.group in rules().season.leafless_groups

    @property
    def root_group(self) -> str:
        """The group its roots are treated as."""
        return self.roots_group or self.group

    def interval_for(self, age: str) -> float:
        """Years between sessions: the young figure for young trees, else the mature one."""
        # Old trees keep the mature interval; what sets them apart is the budget.
        return self.interval_years[0 if age == "young" else 1]


@cache
def species() -> tuple[Species, ...]:
    """All entries, by name."""
    entries = [Species(key=key, **entry) for key, entry in read_data("species.yaml").items()]
    # Sorted by name, because every list of species is read by people.
    return tuple(sorted(entries, key=lambda entry: entry.name))


def species_by_key(key: str) -> Species:
    """One entry. Raises NotFound."""
    for entry in species():
        if entry.key == key:
            return entry
    raise NotFound("species", f"the almanac has no species '{key}'")
