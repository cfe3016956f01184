"""The form of a root session: one set of names for bench, form, correction and record.

Every field but `roots` and `measurement_id` is a column of `RootSession` under its own name;
roots become rows of the table of cut decisions.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import date
from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from mirvo.core.almanac import USUAL_CONTAINER, rules
from mirvo.core.almanac.practice import Practice
from mirvo.core.errors import BadInput
from mirvo.core.forms import FormModel
from mirvo.core.lengths import LENGTH
from mirvo.core.plan.records import PlannedStep
from mirvo.core.rootwork import kind_by_key
from mirvo.core.rootwork.cuts import HALF, CutDecision, Done, RootFinding
from mirvo.core.rootwork.share_estimate import BallWork
from mirvo.core.season import BUD_STAGES
from mirvo.records.documents import Answers, BenchNotes, UnfinishedWork

Text = Annotated[str, StringConstraints(strip_whitespace=True, max_length=4000)]
Length = Annotated[float, LENGTH, Field(gt=0, le=5000, allow_inf_nan=False)]
Percent = Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)]
OF_ROOTS = ("roots", "measurement_id")


class RootDone(FormModel):
    """What was done to one measured root; `part` is the share of its length cut off."""

    label: str
    action: Done = "keep"
    part: Annotated[float, Field(ge=0, le=1)] = HALF

    @property
    def cost(self) -> float:
        """Share of the root's own feeding share that went, 0 to 1."""
        if self.action == "remove":
            return 1.0
        return self.part if self.action == "shorten" else 0.0


class SessionForm(FormModel):
    """A root session as entered; lengths in mm, shares in percent, weights in g."""

    kind: str = "routine"
    done_on: date
    bud_stage: Literal["", *BUD_STAGES] = ""  # type: ignore[valid-type]
    reason: Text = ""
    ball_length_before: Length | None = None
    ball_width_before: Length | None = None
    ball_depth_before: Length | None = None
    ball_length_after: Length | None = None
    ball_width_after: Length | None = None
    ball_depth_after: Length | None = None
    woody_depth_mm: Length | None = None
    slice_mm: Annotated[float, LENGTH, Field(ge=0, le=2000)] = 0.0
    matted: bool = False
    fine_roots: Literal["mostly below", "even", "mostly at the surface"] = "even"
    share_judged: Percent | None = None
    pot_before: Text = ""
    pot_after: Text = ""
    pot_length_mm: Length | None = None
    pot_depth_mm: Length | None = None
    container_after: str = USUAL_CONTAINER
    pot_id: int | None = None
    soil: Text = ""
    recipe_id: int | None = None
    flare_height_mm: Annotated[float, LENGTH, Field(ge=-500, le=500)] | None = None
    found: Text = ""
    next_time: Text = ""
    top_reduced: Percent | None = None
    offcuts_g: Annotated[float, Field(ge=0, le=500_000)] | None = None
    ball_g: Annotated[float, Field(gt=0, le=500_000)] | None = None
    over_reason: Text = ""
    measurement_id: int | None = None
    roots: tuple[RootDone, ...] = ()

    def ball_work(self, practice: Practice) -> BallWork:
        """What goes from the ball besides single roots, as the practice takes its underside off."""
        return BallWork(
            self.slice_mm,
            self.matted,
            self.ball_length_before,
            self.ball_width_before,
            self.ball_depth_before,
            self.ball_length_after,
            practice.get("bottom") == "pick",
        )

    @property
    def costs(self) -> dict[str, float]:
        """Share of its own feeding share that went, by root."""
        return {root.label: root.cost for root in self.roots}


ENTERED = tuple(name for name in SessionForm.model_fields if name not in OF_ROOTS)


@dataclass(frozen=True)
class BenchDetails:
    """What a session run at the bench knows beyond its form; see the columns of that name."""

    decisions: dict[str, CutDecision] = field(default_factory=dict)
    findings: dict[str, RootFinding] = field(default_factory=dict)
    practice: Answers = field(default_factory=dict)
    exposed_minutes: float | None = None
    notes: BenchNotes = field(default_factory=dict)
    planned: PlannedStep | None = None
    unfinished: tuple[UnfinishedWork, ...] = ()


def check_session(form: SessionForm, today: date) -> None:
    """Refuse what cannot be. Raises BadInput at the field."""
    kind_by_key(form.kind)
    if form.done_on > today:
        message = f"{form.done_on:%d %b %Y} lies in the future; record what was done"
        raise BadInput("done_on", message)
    if form.container_after not in rules().containers:
        raise BadInput("container_after", f"'{form.container_after}' is not a container")
    depth, cut = form.ball_depth_before, form.slice_mm
    if depth is not None and cut >= depth:
        raise BadInput("slice_mm", f"a slice of {cut:g} mm is the whole ball of {depth:g} mm")
    after = form.ball_depth_after
    # A millimetre either way is the ruler.
    if after is not None and depth is not None and after > depth + 1:
        raise BadInput("ball_depth_after", "the ball is deeper after the session than before")
