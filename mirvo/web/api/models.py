"""What the interface takes and gives, beside the forms and rows every other place uses too."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Generic, Literal, TypeVar

from pydantic import BaseModel, ConfigDict, Field, computed_field

from mirvo.core.limits.base import PastDay, PlannedDay
from mirvo.core.limits.care import COLDEST_C, WARMEST_C, TaskText
from mirvo.formats.exchange import row_type
from mirvo.records.models import CareTask, Photo, Root, RootSession, ShelfPot, Tree
from mirvo.text.care import care_title
from mirvo.web.form_models import SentModel

# The rows as exchange files have them: one model for both.
TreeRow = row_type(Tree)
SessionRow = row_type(RootSession)
PhotoRow = row_type(Photo)
RootRow = row_type(Root)
PotRow = row_type(ShelfPot)
Item = TypeVar("Item")


class TaskRow(row_type(CareTask)):  # type: ignore[misc]
    """A task of a tree. text : as a person typed it, none of what follows a session."""

    @computed_field(description="What is to be done, in a sentence.")  # type: ignore[prop-decorator]
    @property
    def title(self) -> str:
        return self.text or care_title(self.code, self.values)


class Page(BaseModel, Generic[Item]):
    """A page of a list. next : the number to ask for it after, None on the last."""

    items: list[Item]
    next: int | None


class FigureOut(BaseModel):
    """A figure and half the width of its 95 % interval."""

    value: float
    plus_minus: float


class MeasurementOut(BaseModel):
    """What was measured from above on a day; lengths in mm, angles in degrees.

    counts : whether the photo shows this tree, as far as anybody knows; where it does not, or is
    asked about, no page counts its figures.
    """

    id: int
    measured_on: date
    photo_id: int
    counts: bool
    trunk_diameter_mm: FigureOut
    spread_ratio: FigureOut
    spread_basis: str
    radiality: FigureOut
    largest_gap_deg: FigureOut
    roots: int


class StandingOut(BaseModel):
    """How a tree stands today: the same as every page says of it. budget : share, 0 to 1."""

    verdict: str
    verdict_name: str
    season: str
    budget: float
    strength: str
    window_from: date
    window_to: date
    best: date


class NightIn(SentModel):
    """The lowest temperature of one night, °C."""

    model_config = ConfigDict(extra="forbid")
    night: PastDay
    low_c: Annotated[float, Field(ge=COLDEST_C, le=WARMEST_C, allow_inf_nan=False)]


class NightOut(BaseModel):
    """A night as it is kept."""

    night: date
    low_c: float
    source: str


class WeighingIn(SentModel):
    """A weight for the running session of a tree, g."""

    model_config = ConfigDict(extra="forbid")
    what: Literal["offcuts", "ball"]
    grams: Annotated[float, Field(gt=0, le=500_000, allow_inf_nan=False)]


class WeighingOut(BaseModel):
    """The session the weight went into."""

    bench_session: int
    what: str
    grams: float


class WeightOut(BaseModel):
    """A tree in its pot on the scale, g; grams_a_day : water used of late, null while unknown."""

    grams: float
    grams_a_day: float | None


class TaskIn(SentModel):
    """Something to look at on a day."""

    model_config = ConfigDict(extra="forbid")
    text: TaskText
    due: PlannedDay


class TickIn(SentModel):
    """Whether a task is done."""

    model_config = ConfigDict(extra="forbid")
    done: bool


class TakenIn(BaseModel):
    """A photo that was kept; remarks : what stands in the way of measuring on it."""

    photo_id: int
    file_name: str
    remarks: list[str]


class FieldProblem(BaseModel):
    """One field that cannot be used, and a sentence on it."""

    field: str
    message: str


class Problem(BaseModel):
    """What went wrong (RFC 9457, application/problem+json)."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str
    errors: list[FieldProblem] = []
