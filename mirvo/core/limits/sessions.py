"""Root sessions as they are entered, and what was done to each root."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Literal

from pydantic import AfterValidator, Field
from pydantic_core import PydanticCustomError

from mirvo.core.almanac import USUAL_CONTAINER
from mirvo.core.almanac.practice import Practice
from mirvo.core.errors import BadInput
from mirvo.core.lengths import LENGTH
from mirvo.core.limits.base import LengthMm, Limits, Note, PastDay, Percent, RowNumber, Share
from mirvo.core.limits.trees import Container
from mirvo.core.rootwork.cuts import HALF, Done
from mirvo.core.rootwork.kinds import KINDS
from mirvo.core.rootwork.share_estimate import BallWork

BudStage = Literal[
    "", "dormant", "buds swelling", "buds opening", "leaves out", "hardened", "leaf fall"
]
FineRoots = Literal["mostly below", "even", "mostly at the surface"]
FINE_ROOTS: tuple[FineRoots, ...] = FineRoots.__args__  # type: ignore[attr-defined]


def _known_kind(key: str) -> str:
    if all(kind.key != key for kind in KINDS):
        said = f"“{key[:40]}” is no kind of session."
        raise PydanticCustomError("kind_unknown", "{said}", {"said": said})
    return key


SessionKind = Annotated[str, AfterValidator(_known_kind)]


class RootDone(Limits):
    """What was done to one measured root; `part` is the share of its length cut off."""

    label: Annotated[str, Field(max_length=40)]
    action: Done = "keep"
    part: Share = HALF

    @property
    def cost(self) -> float:
        """Share of the root's own feeding share that went, 0 to 1."""
        if self.action == "remove":
            return 1.0
        return self.part if self.action == "shorten" else 0.0


class SessionFields(Limits):
    """A root session as entered; lengths in mm, shares in percent, weights in g."""

    kind: SessionKind = "routine"
    done_on: PastDay
    bud_stage: BudStage = ""
    reason: Note = ""
    ball_length_before: LengthMm | None = None
    ball_width_before: LengthMm | None = None
    ball_depth_before: LengthMm | None = None
    ball_length_after: LengthMm | None = None
    ball_width_after: LengthMm | None = None
    ball_depth_after: LengthMm | None = None
    woody_depth_mm: LengthMm | None = None
    slice_mm: Annotated[float, LENGTH, Field(ge=0, le=2000, allow_inf_nan=False)] = 0.0
    matted: bool = False
    # Empty where nobody looked.
    fine_roots: Literal["", FineRoots] = ""
    share_judged: Percent | None = None
    pot_before: Note = ""
    pot_after: Note = ""
    pot_length_mm: LengthMm | None = None
    pot_depth_mm: LengthMm | None = None
    container_after: Container = USUAL_CONTAINER
    pot_id: RowNumber | None = None
    soil: Note = ""
    recipe_id: RowNumber | None = None
    flare_height_mm: (
        Annotated[float, LENGTH, Field(ge=-500, le=500, allow_inf_nan=False)] | None
    ) = None
    found: Note = ""
    next_time: Note = ""
    top_reduced: Percent | None = None
    offcuts_g: Annotated[float, Field(ge=0, le=500_000, allow_inf_nan=False)] | None = None
    ball_g: Annotated[float, Field(gt=0, le=500_000, allow_inf_nan=False)] | None = None
    over_reason: Note = ""
    measurement_id: RowNumber | None = None
    roots: tuple[RootDone, ...] = ()

    def check_ball(self) -> None:
        """Refuse a ball that contradicts itself. Raises BadInput at the field."""
        depth, cut, after = self.ball_depth_before, self.slice_mm, self.ball_depth_after
        if depth is not None and cut >= depth:
            raise BadInput("slice_mm", f"a slice of {cut:g} mm is the whole ball of {depth:g} mm")
        # A millimetre either way is the ruler.
        if after is not None and depth is not None and after > depth + 1:
            raise BadInput("ball_depth_after", "the ball is deeper after the session than before")

    def check(self, today: date) -> None:
        """Refuse what cannot be. Raises BadInput at the field."""
        self.check_days(today)
        self.check_ball()

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
