"""What planning gives: three paths, each with steps, forecast, bindings and chances.

`model_dump(mode="json")` of a `PlanResult` is the output contract of `mirvo plan`.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import ClassVar

from pydantic import Field

from mirvo.core.record import Record


class GapWork(Record):
    """A new root in a gap: where it will stand."""

    azimuth_deg: float


class PlannedStep(Record):
    """One planned session.

    edge_share : what combing and trimming the edge takes of `share`; side_trim_mm : what goes off
    each side of the ball. fault_parts : part of each fault it takes; root_parts : the same as part
    of the whole root, where a fault is only a part of it; None where nobody said. returned : roots
    that grew back and go again. layer : "make" or "separate" where it is a session of a ground
    layer. keeping : it keeps a tree where it is, or past the last target that can be met.
    container : kind; pot : name on the shelf, None for one chosen to fit; pot_inside_mm : its
    depth, length and width inside, as far as they are known. ball_depth_mm, ball_length_mm,
    ball_width_mm, woody_depth_mm : before and after.
    """

    left_out_when_none: ClassVar = (
        *("layer", "root_parts", "keeping", "pot_inside_mm", "ball_length_mm", "ball_width_mm"),
    )
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
    side_trim_mm: int = 0
    grafts: tuple[GapWork, ...] = ()
    forks: tuple[GapWork, ...] = ()
    layer: str | None = None
    keeping: bool | None = None
    container: str
    pot: str | None = None
    pot_inside_mm: tuple[float, float | None, float | None] | None = None
    ball_depth_mm: tuple[float, float]
    ball_length_mm: tuple[float, float] | None = None
    ball_width_mm: tuple[float, float] | None = None
    woody_depth_mm: tuple[float, float]
    reasons: tuple[str, ...] = ()

    @property
    def parts(self) -> dict[str, float]:
        """Part of each root it takes, 0 to 1."""
        return self.fault_parts if self.root_parts is None else self.root_parts

    @property
    def into(self) -> str:
        """What the tree goes into: a pot of the shelf by its name, else a kind of container."""
        return self.pot or self.container

    @property
    def ball_after_mm(self) -> float:
        return self.ball_depth_mm[1]

    @property
    def sides_after_mm(self) -> tuple[float, float] | None:
        """Length and width of the ball after it, where its sides must come in for the last pot."""
        if self.ball_length_mm is None or self.ball_width_mm is None:
            return None
        return self.ball_length_mm[1], self.ball_width_mm[1]

    @property
    def work(self) -> tuple[object, ...]:
        """What is done in it, whichever school planned it."""
        return (
            *(self.year, self.fault_parts, self.returned, self.slice_mm, self.side_trim_mm),
            *(self.grafts, self.forks, self.layer, self.container, self.pot),
        )


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
    """What could be done, and the year it leads to.

    value : what it sets, where it sets something. reached_year : the year recommended then;
    likely_year : by whose end it has likely arrived, None where it never has. gained_years : of
    the likely year; None when the path is out of reach or never likely as it is. with_code,
    with_value : a second thing to do with it, where nothing alone helps.
    """

    left_out_when_none: ClassVar = ("with_code", "with_value")
    code: str
    text: str
    value: float | str | None
    reached_year: int | None
    likely_year: int | None = None
    gained_years: int | None
    with_code: str | None = None
    with_value: float | str | None = None


class TargetPart(Record):
    """A part of the target that fails, and by how much."""

    left_out_when_none: ClassVar = ("by", "unit")
    part: str
    by: int | float | None = None
    unit: str | None = None


class NearestTarget(Record):
    """A target that can be reached. pot_length_mm, pot_width_mm : where they had to be eased."""

    left_out_when_none: ClassVar = ("pot_length_mm", "pot_width_mm")
    spread_ratio: float
    largest_gap_deg: float
    pot_depth_mm: float
    pot_length_mm: float | None = None
    pot_width_mm: float | None = None

    @property
    def sizes(self) -> dict[str, float]:
        """The target's figures by name, those that are known."""
        return {name: value for name, value in self.model_dump().items() if value is not None}


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
    forward : what would bring it forward, where that was asked for. agrees_with : a gentler school
    whose path is the same.
    """

    left_out_when_none: ClassVar = ("forward", "next_step", "agrees_with")
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
    agrees_with: str | None = None

    def same_as(self, other: PlannedPath) -> bool:
        """Whether it does the same in the same years as the path of another school."""
        mine, theirs = ([step.work for step in path.steps] for path in (self, other))
        fails = [path.unreachable and path.unreachable.fails for path in (self, other)]
        return self.reached_year == other.reached_year and mine == theirs and fails[0] == fails[1]

    def step_in(self, year: int) -> PlannedStep | None:
        """The session planned for a year, None when there is none."""
        # At most one session a year, so the first is the only one.
        return next((step for step in self.steps if step.year == year), None)

    def of_roots(self, goes: Mapping[str, float]) -> PlannedPath:
        """The same with each step's parts of roots. goes : part of each root that goes in all."""

        def of_whole(step: PlannedStep) -> PlannedStep:
            parts = {label: part * goes.get(label, 1.0) for label, part in step.fault_parts.items()}
            return step.model_copy(update={"root_parts": parts})

        return self.model_copy(update={"steps": tuple(of_whole(step) for step in self.steps)})

    @property
    def chance_when_reached(self) -> float | None:
        """Chance to have arrived by the year the path reaches, None when it reaches none."""
        return None if self.reached_year is None else self.chance_by_year.get(self.reached_year)


def _agreed(schools: Sequence[str]) -> str:
    """gentle; steady and bold; gentle, steady and bold.

    >>> _agreed(["gentle", "steady", "bold"])
    'gentle, steady and bold'
    """
    *first, last = schools
    return f"{', '.join(first)} and {last}" if first else last


class PlanResult(Record):
    """The paths of the three schools; unreachable : why the last that fails does."""

    paths: tuple[PlannedPath, ...]
    unreachable: Unreachable | None

    @classmethod
    def of(cls, paths: Sequence[PlannedPath]) -> PlanResult:
        """The result of some paths, gentlest school first; each that is the same as one before it
        says so."""
        told: list[PlannedPath] = []
        for path in paths:
            same = next((one for one in told if path.same_as(one)), None)
            named = None if same is None else (same.agrees_with or same.school)
            told.append(path.model_copy(update={"agrees_with": named}))
        # The boldest school is the last: what it cannot reach, none can.
        failed = [path.unreachable for path in told if path.unreachable is not None]
        return cls(paths=tuple(told), unreachable=failed[-1] if failed else None)

    def path_of(self, school: str) -> PlannedPath:
        """The path of one school."""
        return next(path for path in self.paths if path.school == school)

    def told_apart(self) -> list[tuple[str, PlannedPath]]:
        """Each path that is not the same as another, under the schools that agree on it."""
        names: dict[str, list[str]] = {}
        for path in self.paths:
            names.setdefault(path.agrees_with or path.school, []).append(path.school)
        return [(_agreed(schools), self.path_of(first)) for first, schools in names.items()]

    def of_roots(self, wanted: Mapping[str, float]) -> PlanResult:
        """The same with each step's parts of roots; wanted : part of each root that goes in all."""
        paths = tuple(path.of_roots(wanted) for path in self.paths)
        return self.model_copy(update={"paths": paths})

    def with_levers(self, school: str, levers: tuple[Lever, ...]) -> PlanResult:
        """The same with what would bring one path forward."""
        paths = tuple(
            path.model_copy(update={"forward": levers}) if path.school == school else path
            for path in self.paths
        )
        return self.model_copy(update={"paths": paths})
