"""The planning case: the stable file contract of `mirvo plan`."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from mirvo.core.almanac import rules
from mirvo.core.angles import clockwise_from
from mirvo.core.complaints import first_complaint
from mirvo.core.errors import BadInput

Positive = Annotated[float, Field(gt=0, le=10_000, allow_inf_nan=False)]
Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
Azimuth = Annotated[float, Field(ge=0, le=360, allow_inf_nan=False)]
Year = Annotated[int, Field(ge=1900, le=2300)]


GapMethod = Literal["graft", "fork", "ground layer"]
Allow = Literal["none", "session", "final pot"]


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
    """What a species gives the plan; ground_layers : it layers willingly in the ground."""

    group: str = ""
    interval_years: Annotated[float, Field(gt=0, le=20)]
    budget: SchoolBudgets
    ground_layers: bool = True


class Growth(_Part):
    """Growth in a wide training pot at today's size; the sd default to a quarter."""

    spread_mm_per_year: Annotated[float, Field(ge=0, le=500, allow_inf_nan=False)]
    trunk_mm_per_year: Annotated[float, Field(ge=0, le=500, allow_inf_nan=False)]
    spread_sd: Annotated[float, Field(ge=0, le=500, allow_inf_nan=False)] | None = None
    trunk_sd: Annotated[float, Field(ge=0, le=500, allow_inf_nan=False)] | None = None


class State(_Part):
    trunk_diameter_mm: Positive
    spread_mm: Positive
    spread_basis: Literal["flare", "roots"] = "flare"
    woody_depth_mm: Positive
    ball_depth_mm: Positive
    last_session_year: Year | None = None
    container: str = "wide training pot"
    matted: bool = False
    root_azimuths_deg: Annotated[tuple[Azimuth, ...], Field(max_length=60)] = ()
    growth: Growth


class CaseFault(_Part):
    """A root to be taken. returns_years : a root that grows back stands again so many years
    after each cut, with half its share; None for one that stays away."""

    label: Annotated[str, Field(min_length=1, max_length=12)]
    share: Share
    priority: int = 1
    azimuth_deg: Azimuth | None = None
    returns_years: Annotated[int, Field(ge=1, le=15)] | None = None


class Gap(_Part):
    """A gap from root to root, clockwise, and how it is to be closed.

    graft : a root in its middle. fork : a neighbour's fork, or the neighbour bent, grows in
    from its first side. ground layer : a new flare all round, above the old one.
    between : the roots on its sides, such as C-D, where it is known.
    """

    from_deg: Azimuth
    to_deg: Azimuth
    method: GapMethod = "graft"
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

    @property
    def new_root_deg(self) -> float:
        """Azimuth of the root that will stand in the gap."""
        # A fork reaches only so far, and never beyond the middle of the gap.
        half = self.width_deg / 2.0
        into = min(rules().plan.fork_deg, half) if self.method == "fork" else half
        return (self.from_deg + into) % 360.0


class Target(_Part):
    spread_ratio: Annotated[float, Field(ge=1, le=20, allow_inf_nan=False)]
    largest_gap_deg: Annotated[float, Field(gt=0, le=360)] = 360.0
    pot_depth_mm: Positive
    year: Year | None = None


class Hold(_Part):
    """A year fixed by hand.

    allow : none, no session in it. session, a session in it come what may. final pot, the
    tree stands in the target's pot at its end and from then on.
    """

    year: Year
    allow: Allow


class Case(_Part):
    """Everything planning needs to know of one tree."""

    today: date
    species: CaseSpecies
    strength: Literal["strong", "fair", "weak"] = "strong"
    age: Literal["young", "mature", "old"] = "young"
    origin_factor: Annotated[float, Field(gt=0, le=1)] = 1.0
    worth: Annotated[float, Field(gt=0, le=1.2)] = 1.0
    state: State
    faults: Annotated[tuple[CaseFault, ...], Field(max_length=30)] = ()
    gaps: Annotated[tuple[Gap, ...], Field(max_length=12)] = ()
    target: Target
    holds: Annotated[tuple[Hold, ...], Field(max_length=60)] = ()
    horizon_years: Annotated[int, Field(ge=1, le=30)] = 15
    containers: tuple[str, ...] | None = None

    @property
    def interval(self) -> float:
        """Years between sessions; under a year counts as one."""
        # Steps are years: two sessions in one year are one.
        return max(1.0, self.species.interval_years)

    @property
    def need_mm(self) -> float:
        """Ball depth the target pot takes: its inner depth less soil layer and rim."""
        plan = rules().plan
        return self.target.pot_depth_mm - plan.soil_layer_mm - plan.rim_clearance_mm

    @property
    def layer_success(self) -> float:
        """Chance that a ground layer takes, by how willingly the species layers."""
        plan = rules().plan
        return plan.layer_success if self.species.ground_layers else plan.layer_success_unwilling

    @property
    def offered(self) -> list[str]:
        """Containers the tree may be moved into."""
        return rules().plan.offered if self.containers is None else list(self.containers)


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
    _sound(case)
    return case


def _sound(case: Case) -> None:
    # What one field alone cannot tell: fields that must fit one another.
    known = rules().containers
    for name, where in [
        (case.state.container, "state.container"),
        *((name, "containers") for name in case.offered),
    ]:
        if name not in known:
            raise BadInput(where, f"'{name}' is not one of {', '.join(known)}")
    least = rules().plan.min_ball_mm
    if case.need_mm < least:
        raise BadInput(
            "target.pot_depth_mm",
            f"a pot {case.target.pot_depth_mm:g} mm deep leaves {case.need_mm:g} mm for the ball "
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
