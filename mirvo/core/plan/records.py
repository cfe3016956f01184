"""What planning gives: three paths, each with steps, forecast, bindings and chances.

`model_dump(mode="json")` of a `PlanResult` is the output contract of `mirvo plan`.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar

from pydantic import Field

from mirvo.core.record import Record


class GapWork(Record):
    """A new root in a gap: where it will stand."""

    azimuth_deg: float


class PlannedStep(Record):
    """One planned session.

    edge_share : what combing and trimming the edge takes of `share`. fault_parts : part of each
    fault it takes; root_parts : the same as part of the whole root, where a fault is only a part of
    it; None where nobody said. returned : roots that grew back and go again. layer : "make" or
    "separate" where it is a session of a ground layer. ball_depth_mm, woody_depth_mm : before
    and after.
    """

    # Files written before there were layers must not change.
    left_out_when_none: ClassVar = ("layer", "root_parts")
    year: int
    share: float
    edge_share: float = 0.0
    budget: float
    strain: float
    faults: tuple[str, ...] = ()
    fault_parts: dict[str, float] = Field(default={})
    root_parts: dict[str, float] | None = None
    returned: tuple[str, ...] = ()
    slice_mm: float = 0.0
    grafts: tuple[GapWork, ...] = ()
    forks: tuple[GapWork, ...] = ()
    layer: str | None = None
    container: str
    ball_depth_mm: tuple[float, float]
    woody_depth_mm: tuple[float, float]
    reasons: tuple[str, ...] = ()

    @property
    def parts(self) -> dict[str, float]:
        """Part of each root it takes, 0 to 1."""
        return self.fault_parts if self.root_parts is None else self.root_parts

    @property
    def ball_after_mm(self) -> float:
        return self.ball_depth_mm[1]


class YearForecast(Record):
    """The tree at the end of a year; low and high bound 80 % of the drawn spread ratios."""

    year: int
    spread_mm: float
    trunk_diameter_mm: float
    spread_ratio: float
    low: float
    high: float
    woody_depth_mm: float
    ball_depth_mm: float
    largest_gap_deg: float
    container: str


class Binding(Record):
    """A limit that holds the year back. gained_years : by its lifting alone; eased : how."""

    left_out_when_none: ClassVar = ("gained_years", "eased")
    code: str
    text: str
    gained_years: int | None = None
    eased: str | None = None


class Lever(Record):
    """What could be done, alone, and the year it leads to.

    value : what it sets, where it sets something. reached_year : None when its search had to
    be given up. gained_years : None when the path is out of reach as it is.
    """

    code: str
    text: str
    value: float | str | None
    reached_year: int | None
    gained_years: int | None


class TargetPart(Record):
    """A part of the target that fails, and by how much."""

    left_out_when_none: ClassVar = ("by", "unit")
    part: str
    by: int | float | None = None
    unit: str | None = None


class NearestTarget(Record):
    """A target that can be reached."""

    spread_ratio: float
    largest_gap_deg: float
    pot_depth_mm: float


class Unreachable(Record):
    """Why a target is out of reach for a school."""

    school: str
    text: str
    fails: tuple[TargetPart, ...]
    nearest: NearestTarget | None


class TradeoffPoint(Record):
    """What it costs at least to arrive by a year, and the chance to be there by then.

    likely_year : by whose end four in five draws of this way have arrived; None if never, or where
    it was not asked.
    """

    year: int
    sessions: int
    toll: float
    worst_strain: float
    chance: float
    likely_year: int | None = None


class NextStep(Record):
    """What to do next, and in which year."""

    year: int
    text: str


class PlannedPath(Record):
    """One path. reached_year : the year recommended; None when the target is out of reach.

    earliest_year : the soonest that is possible. likely_year : the first with a chance of 80 %.
    settled : every way was looked at. toll : of all sessions, each with its strain. tradeoff :
    the years worth choosing between. chance_by_year : chance to have arrived by the end of each
    year. next_step : what is to be done where there are no sessions on the way to the target.
    forward : what would bring it forward, where that was asked for.
    """

    left_out_when_none: ClassVar = ("forward", "next_step")
    school: str
    reached_year: int | None
    earliest_year: int | None = None
    likely_year: int | None = None
    settled: bool = True
    toll: float = 0.0
    worst_strain: float = 0.0
    total_strain: float = 0.0
    sessions: int = 0
    tradeoff: tuple[TradeoffPoint, ...] = ()
    binding: tuple[Binding, ...] = ()
    steps: tuple[PlannedStep, ...] = ()
    forecast: tuple[YearForecast, ...] = ()
    chance_by_year: dict[int, float] = Field(default={})
    late_by_years: int | None = None
    unreachable: Unreachable | None = None
    next_step: NextStep | None = None
    forward: tuple[Lever, ...] | None = None

    def step_in(self, year: int) -> PlannedStep | None:
        """The session planned for a year, None when there is none."""
        # At most one session a year, so the first is the only one.
        return next((step for step in self.steps if step.year == year), None)

    @property
    def chance_when_reached(self) -> float | None:
        """Chance to have arrived by the year the path reaches, None when it reaches none."""
        return None if self.reached_year is None else self.chance_by_year.get(self.reached_year)


class PlanResult(Record):
    """The paths of the three schools; unreachable : why the last that fails does."""

    paths: tuple[PlannedPath, ...]
    unreachable: Unreachable | None

    def path_of(self, school: str) -> PlannedPath:
        """The path of one school."""
        return next(path for path in self.paths if path.school == school)

    def of_roots(self, wanted: Mapping[str, float]) -> PlanResult:
        """The same with each step's parts of roots; wanted : part of each root that goes in all."""

        def told(step: PlannedStep) -> PlannedStep:
            parts = {
                label: part * wanted.get(label, 1.0) for label, part in step.fault_parts.items()
            }
            return step.model_copy(update={"root_parts": parts})

        paths = tuple(
            path.model_copy(update={"steps": tuple(told(step) for step in path.steps)})
            for path in self.paths
        )
        return self.model_copy(update={"paths": paths})

    def with_levers(self, school: str, levers: tuple[Lever, ...]) -> PlanResult:
        """The same with what would bring one path forward."""
        paths = tuple(
            path.model_copy(update={"forward": levers}) if path.school == school else path
            for path in self.paths
        )
        return self.model_copy(update={"paths": paths})
