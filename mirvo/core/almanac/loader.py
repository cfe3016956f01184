"""Reads the almanac's data files and checks them against their schema."""

from __future__ import annotations

from functools import cache
from importlib.resources import files
from typing import Any

import yaml
from pydantic import BaseModel, ConfigDict

from mirvo.core.errors import NotFound

SCHOOLS = ("gentle", "steady", "bold")


class _Data(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Budgets(_Data):
    gentle: float
    steady: float
    bold: float

    def of(self, school: str) -> float:
        return float(getattr(self, school))


class GrowthPrior(_Data):
    spread: float
    trunk: float


class Species(_Data):
    """One entry of the almanac. Window weeks count from the usual last frost."""

    key: str
    name: str
    group: str
    interval_years: tuple[float, float]
    budget: Budgets
    growth: GrowthPrior
    window_weeks: tuple[int, int]
    best_week: int
    night_floor_c: float
    wash_allowed: bool
    top_work_together: bool
    caution: str | None
    note: str

    def interval_for(self, age: str) -> float:
        """Years between sessions: the young figure for young trees, else the mature one."""
        return self.interval_years[0 if age == "young" else 1]


class Container(_Data):
    growth: float
    deepens_to_mm: float | None


class BudgetRules(_Data):
    strength: dict[str, float]
    age: dict[str, float]
    season: dict[str, float]
    collected_recently: float
    never_above: float
    worth: dict[str, float]


class FeedingRules(_Data):
    surface_share: dict[str, float]
    unknown_feeders: int
    matted_factor: float


class PlanRules(_Data):
    offered: list[str]
    ball_growth_mm: float
    least_ball_mm: float
    slice_step_mm: float
    soil_layer_mm: float
    rim_clearance_mm: float
    session_growth_loss: float
    graft_success: float
    graft_years: int
    growth_relative_sd: float


class AdviserRules(_Data):
    """straight_deg : what strays more from outward is a bend. Lengths in trunk diameters."""

    straight_deg: float
    least_stub_trunks: float
    bendable_trunks: float
    crossing_clear_mm: float


class TopReductionRules(_Data):
    most_factor: float
    full_at_percent: float


class WeighingRules(_Data):
    least_ratio: float
    most_ratio: float


class BudRule(_Data):
    """Degree days above a base temperature after which buds swell."""

    base_c: float
    degree_days: float


class TriageRules(_Data):
    """points : what each sign weighs. Verdicts from sums; delays in a row at most."""

    points: dict[str, int]
    interval_points: dict[str, int]
    repot_from: int
    look_from: int
    press_from: int
    dries_faster_share: float
    most_delays: int


class FollowUp(_Data):
    days: int
    code: str
    say: str


class CareRules(_Data):
    """worked_kinds : kinds of session after which a tree is sheltered and looked after.

    lasting : codes of tasks that a later session of the tree does not end.
    """

    shade_days: dict[str, int]
    mild_shade_days: int
    first_feed_days: int
    tie_check_days: int
    bud_check_days: tuple[int, int]
    follow_up_weeks: list[int]
    wound_check_days: int
    tender_from_c: float
    lasting: list[str]
    worked_kinds: list[str]
    kinds: dict[str, list[FollowUp]]


class Rules(_Data):
    budget: BudgetRules
    feeding: FeedingRules
    containers: dict[str, Container]
    plan: PlanRules
    adviser: AdviserRules
    top_reduction: TopReductionRules
    weighing: WeighingRules
    chill_days: int
    phenology: dict[str, BudRule]
    care: CareRules
    triage: TriageRules


def _read(name: str) -> Any:
    return yaml.safe_load(files(__package__).joinpath(name).read_text("utf-8"))


@cache
def species() -> tuple[Species, ...]:
    """All entries, by name."""
    entries = [Species(key=key, **entry) for key, entry in _read("species.yaml").items()]
    return tuple(sorted(entries, key=lambda entry: entry.name))


def species_by_key(key: str) -> Species:
    """One entry. Raises NotFound."""
    for entry in species():
        if entry.key == key:
            return entry
    raise NotFound("species", f"the almanac has no species '{key}'")


@cache
def rules() -> Rules:
    """The numbers planning and budget use."""
    return Rules(**_read("rules.yaml"))
