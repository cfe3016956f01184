"""The planning case: the stable file contract of `mirvo plan`."""

from __future__ import annotations

from datetime import date
from math import ceil
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from mirvo.core.almanac import USUAL_CONTAINER, rules
from mirvo.core.angles import clockwise_from
from mirvo.core.complaints import first_complaint
from mirvo.core.errors import BadInput

Positive = Annotated[float, Field(gt=0, le=10_000, allow_inf_nan=False)]
Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
Azimuth = Annotated[float, Field(ge=0, le=360, allow_inf_nan=False)]
Year = Annotated[int, Field(ge=1900, le=2300)]


GapMethod = Literal["graft", "fork", "ground layer"]
Allow = Literal["none", "session", "final pot"]
FINAL = "final pot"


class _Part(BaseModel):
    # A misspelt field must not be ignored: the plan would be of another tree.
    model_config = ConfigDict(extra="forbid", frozen=True)


class SchoolBudgets(_Part):
    gentle: Share
    steady: Share
    bold: Share

    def of(self, school: str) -> float:
        return float(getattr(self, school))


class CaseSpecies(_Part):
    """What a species gives the plan. ground_layers : it layers willingly in the ground.
    top_with_roots : crown and roots may be worked together."""

    group: str = ""
    interval_years: Annotated[float, Field(gt=0, le=20)]
    longest_interval_years: Annotated[float, Field(gt=0, le=60)] | None = None
    budget: SchoolBudgets
    ground_layers: bool = True
    top_with_roots: bool = True


class Growth(_Part):
    """Growth in a wide training pot at today's size; the sd default to a quarter."""

    spread_mm_per_year: Annotated[float, Field(ge=0, le=500, allow_inf_nan=False)]
    trunk_mm_per_year: Annotated[float, Field(ge=0, le=500, allow_inf_nan=False)]
    spread_sd: Annotated[float, Field(ge=0, le=500, allow_inf_nan=False)] | None = None
    trunk_sd: Annotated[float, Field(ge=0, le=500, allow_inf_nan=False)] | None = None


class State(_Part):
    """The tree as it stands.

    surface_share : of the feeding root at the root plane. inner_depth_mm, inner_length_mm,
    inner_width_mm : of the pot it stands in, ball_length_mm, ball_width_mm : of its ball, where
    they are known. last_session_strain : of its last session; rest_until_year : the last year it
    is left alone, as after a layer was separated.
    """

    trunk_diameter_mm: Positive
    spread_mm: Positive
    spread_basis: Literal["flare", "roots"] = "flare"
    woody_depth_mm: Positive
    ball_depth_mm: Positive
    ball_length_mm: Positive | None = None
    ball_width_mm: Positive | None = None
    surface_share: Share = 0.4
    last_session_year: Year | None = None
    last_session_strain: Annotated[float, Field(ge=0, le=100_000, allow_inf_nan=False)] = 0.0
    rest_until_year: Year | None = None
    container: str = USUAL_CONTAINER
    inner_depth_mm: Positive | None = None
    inner_length_mm: Positive | None = None
    inner_width_mm: Positive | None = None
    matted: bool = False
    root_azimuths_deg: Annotated[tuple[Azimuth, ...], Field(max_length=60)] = ()
    growth: Growth


class CaseFault(_Part):
    """A root to be taken. returns_years : a root that grows back stands again so many years
    after each cut, with half its share; None for one that stays away. thickens : while it
    stands its share grows from year to year. after_graft : it goes only once the grafts count
    that close the gap it leaves."""

    label: Annotated[str, Field(min_length=1, max_length=12)]
    share: Share
    priority: int = 1
    azimuth_deg: Azimuth | None = None
    returns_years: Annotated[int, Field(ge=1, le=15)] | None = None
    thickens: bool = True
    after_graft: bool = False


class Gap(_Part):
    """A gap from root to root, clockwise, and how it is to be closed.

    graft : roots set into it evenly, `grafts` of them or as many as the target needs. fork : a
    neighbour's fork, or the neighbour bent, grows in from its first side. ground layer : a new
    flare all round, above the old one. between : the roots on its sides, such as C-D, where it is
    known.
    """

    from_deg: Azimuth
    to_deg: Azimuth
    method: GapMethod = "graft"
    grafts: Annotated[int, Field(ge=1, le=8)] | None = None
    between: Annotated[str, Field(max_length=24)] | None = None

    @property
    def sides(self) -> tuple[str, str] | None:
        """The roots on its sides, clockwise, where they are known."""
        # A dash that is missing leaves an unnamed side, not an error: the names are only a help.
        first, dash, second = (self.between or "").partition("-")
        return (first, second) if dash and first and second else None

    @property
    def width_deg(self) -> float:
        return clockwise_from(self.from_deg, self.to_deg)

    def new_roots_deg(self, aim_deg: float) -> list[float]:
        """Azimuths of the roots that will stand in the gap, so that no part of it is over the aim.

        >>> Gap(from_deg=10, to_deg=250).new_roots_deg(90.0)
        [90.0, 170.0]
        """
        if self.method == "fork":
            # A fork reaches only so far, and never beyond the middle of the gap.
            into = min(rules().plan.fork_deg, self.width_deg / 2.0)
            return [(self.from_deg + into) % 360.0]
        count = self.grafts or max(1, ceil(self.width_deg / aim_deg - 1e-9) - 1)
        step = self.width_deg / (count + 1)
        return [(self.from_deg + step * n) % 360.0 for n in range(1, count + 1)]


class CaseTarget(_Part):
    spread_ratio: Annotated[float, Field(ge=1, le=20, allow_inf_nan=False)]
    largest_gap_deg: Annotated[float, Field(gt=0, le=360)] = 360.0
    pot_depth_mm: Positive
    pot_length_mm: Positive | None = None
    pot_width_mm: Positive | None = None
    year: Year | None = None


class CasePot(_Part):
    """A pot of the shelf, with its sizes inside where they are known. kind : of container."""

    name: Annotated[str, Field(min_length=1, max_length=80)]
    kind: str
    inner_depth_mm: Positive
    inner_length_mm: Positive | None = None
    inner_width_mm: Positive | None = None


class Hold(_Part):
    """A year fixed by hand.

    allow : none, no session in it. session, a session in it come what may. final pot, the
    tree stands in the target's pot at its end and from then on.
    """

    year: Year
    allow: Allow


class FirstSession(_Part):
    """A first session decided by hand: its year, and the part of each fault root that goes in it;
    no other root does."""

    year: Year
    cuts: dict[str, Share] = Field(default={})


class Case(_Part):
    """Everything planning needs to know of one tree.

    pots : of the shelf, offered beside a pot of each kind that is chosen to fit; the first of the
    kind "final pot" is the last pot, whatever sizes the target has. only_shelf : no pot of any
    other kind is offered, but the one the tree stands in and the last one. first_session : decided
    by hand instead of planned.
    """

    today: date
    species: CaseSpecies
    strength: Literal["strong", "fair", "weak"] = "strong"
    age: Literal["young", "mature", "old"] = "young"
    origin_factor: Annotated[float, Field(gt=0, le=1)] = 1.0
    origin_factor_until: Year | None = None
    worth: Annotated[float, Field(gt=0, le=1.2)] = 1.0
    state: State
    faults: Annotated[tuple[CaseFault, ...], Field(max_length=30)] = ()
    gaps: Annotated[tuple[Gap, ...], Field(max_length=12)] = ()
    target: CaseTarget
    holds: Annotated[tuple[Hold, ...], Field(max_length=60)] = ()
    first_session: FirstSession | None = None
    horizon_years: Annotated[int, Field(ge=1, le=60)] | None = None
    containers: tuple[str, ...] | None = None
    container_depths_mm: dict[str, Positive] = Field(default={})
    pots: Annotated[tuple[CasePot, ...], Field(max_length=60)] = ()
    only_shelf: bool = False

    @property
    def interval(self) -> float:
        """Years between sessions; under a year counts as one."""
        # Steps are years: two sessions in one year are one.
        return max(1.0, self.species.interval_years)

    @property
    def longest(self) -> float:
        """Years after which a tree left alone is root-bound; a year over the interval at least."""
        given = self.species.longest_interval_years
        table = rules().plan
        usual = float(ceil(table.longest_of_intervals * self.interval - 1e-9))
        return max(usual if given is None else given, self.interval + 1)

    @property
    def horizon(self) -> int:
        """Years the plan looks ahead: as given, else by the interval."""
        table = rules().plan
        by_interval = ceil(table.horizon_intervals * self.interval - 1e-9)
        return self.horizon_years or min(60, max(table.horizon_years, by_interval))

    @property
    def last_year(self) -> int:
        """Last year of the plan."""
        return self.today.year + self.horizon

    def origin_factor_in(self, year: int) -> float:
        """The origin's factor in a year: as given up to its last year, then 1."""
        until = self.origin_factor_until or self.today.year + rules().plan.origin_years
        return self.origin_factor if year <= until else 1.0

    @property
    def last_pot(self) -> CasePot | None:
        """The pot of the shelf that is to be the last one, None where the target's sizes hold."""
        return next((pot for pot in self.pots if pot.kind == FINAL), None)

    @property
    def last_pot_mm(self) -> tuple[float, float | None, float | None]:
        """Inner depth, length and width of the last pot, mm; None where it is not known."""
        if pot := self.last_pot:
            return pot.inner_depth_mm, pot.inner_length_mm, pot.inner_width_mm
        target = self.target
        return target.pot_depth_mm, target.pot_length_mm, target.pot_width_mm

    @property
    def need_mm(self) -> float:
        """Ball depth the last pot takes: its inner depth less soil layer and rim."""
        plan = rules().plan
        return self.last_pot_mm[0] - plan.soil_layer_mm - plan.rim_clearance_mm

    @property
    def least_left_mm(self) -> float:
        """Least depth that a slice leaves, by the trunk as it is today, mm."""
        plan = rules().plan
        trunk = self.state.trunk_diameter_mm
        return max(plan.min_ball_mm, plan.slice_leaves_of_trunk * trunk)

    @property
    def layer_success(self) -> float:
        """Chance that a ground layer takes, by how willingly the species layers."""
        plan = rules().plan
        return plan.layer_success if self.species.ground_layers else plan.layer_success_unwilling

    @property
    def offered(self) -> list[str]:
        """Containers at hand: those named, the one it stands in, and the final pot."""
        named = rules().plan.offered if self.containers is None else list(self.containers)
        return list(dict.fromkeys([*named, self.state.container, FINAL]))


def read_case(data: Any) -> Case:
    """Check a case from a file.

    Raises
    ------
    BadInput : names the field and says what is wrong with it.
    """
    if not isinstance(data, dict):
        raise BadInput("case", "must be one JSON object")
    try:
        case = Case.model_validate(data)
    except ValidationError as error:
        raise first_complaint(error) from None
    check_case(case)
    return case


def check_case(case: Case) -> None:
    """Refuse what one field alone cannot tell: fields must fit one another. Raises BadInput."""
    known = rules().containers
    for name, where in [
        (case.state.container, "state.container"),
        *((name, "containers") for name in case.containers or ()),
        *((name, "container_depths_mm") for name in case.container_depths_mm),
        *((pot.kind, f"pots.{place}.kind") for place, pot in enumerate(case.pots)),
    ]:
        if name not in known:
            raise BadInput(where, f"'{name}' is not one of {', '.join(known)}")
    least = rules().plan.min_ball_mm
    if case.need_mm < least:
        raise BadInput(
            "target.pot_depth_mm",
            f"a pot {case.last_pot_mm[0]:g} mm deep leaves {case.need_mm:g} mm for the ball "
            f"after soil layer and rim; at least {least:g} mm are needed",
        )
    # A tenth below the trunk is measuring error; more is two figures mixed up.
    if case.state.spread_mm < case.state.trunk_diameter_mm * 0.9:
        raise BadInput("state.spread_mm", "the spread is smaller than the trunk itself")
    last = case.state.last_session_year
    if last is not None and last > case.today.year:
        raise BadInput("state.last_session_year", f"{last} lies in the future")
    # A year may hold a session and the final pot, but not a session and none.
    fixed = [hold.year for hold in case.holds if hold.allow != "final pot"]
    if len(set(fixed)) < len(fixed):
        raise BadInput("holds", "a year can only be fixed once, with a session or without")
    labels = [fault.label for fault in case.faults]
    if len(set(labels)) < len(labels):
        raise BadInput("faults", "two faults carry the same label")
    if case.first_session is not None:
        _check_first_session(case, case.first_session)
    names = [pot.name for pot in case.pots]
    if len(set(names)) < len(names):
        raise BadInput("pots", "two pots carry the same name")


def _check_first_session(case: Case, session: FirstSession) -> None:
    if not case.today.year < session.year <= case.last_year:
        raise BadInput(
            "first_session.year",
            f"must be from {case.today.year + 1} to {case.last_year}, the years of the plan",
        )
    if Hold(year=session.year, allow="none") in case.holds:
        raise BadInput("first_session.year", f"{session.year} is fixed as a year without a session")
    labels = {fault.label for fault in case.faults}
    for label in session.cuts:
        if label not in labels:
            raise BadInput("first_session.cuts", f"'{label}' is not one of the faults")
