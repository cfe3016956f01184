"""Whether a ball goes into a pot: room on every side, what has to come off, soil and weight."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from math import cos, radians, sin
from typing import Literal

from mirvo.core.almanac import rules
from mirvo.core.pot.shapes import MM3_PER_LITRE, Pot

Verdict = Literal["fits", "roomy", "comb", "small"]
VERDICTS: dict[Verdict, str] = {
    "fits": "fits",
    "roomy": "fits with much room: soil without roots stays wet",
    "comb": "fits once combed",
    "small": "too small",
}


@dataclass(frozen=True)
class Ball:
    """A root ball, mm. guessed : which of its sizes nobody has measured."""

    length: float
    width: float
    depth: float
    guessed: tuple[str, ...] = ()

    def tilted(self, angle_deg: float) -> Ball:
        """The ball planted at another angle, as long and deep as it then needs to be."""
        turn = radians(abs(angle_deg))
        return replace(
            self,
            length=self.length * cos(turn) + self.depth * sin(turn),
            depth=self.depth * cos(turn) + self.length * sin(turn),
        )


@dataclass(frozen=True)
class Fit:
    """A ball in a pot; lengths in mm.

    beside : room left at each end and at each side, negative where it is too large. below : soil
    under the ball, what has to be there included; negative where the ball is too deep for any.
    off : what has to come off its length, width and depth. soil_l : what fills the pot, settling
    included. kg_dry, kg_wet : with pot, soil and ball; None while the pot's weight is not known.
    """

    verdict: Verdict
    beside: tuple[float, float]
    below: float
    off: tuple[float, float, float]
    soil_l: float
    kg_dry: float | None
    kg_wet: float | None
    passes_rim: bool

    @property
    def said(self) -> str:
        """The verdict in words, with what has to come off."""
        named = zip(("length", "width", "depth"), self.off, strict=True)
        off = [f"{mm:.0f} mm off its {name}" for name, mm in named if mm >= 0.5]
        rim = "" if self.passes_rim else "; the rim stands in its way"
        return VERDICTS[self.verdict] + (f": {', '.join(off)}" if off else "") + rim

    @property
    def heavy(self) -> bool:
        """Whether it takes two to lift, wet."""
        return self.kg_wet is not None and self.kg_wet > rules().pots.lift_kg


def fit(pot: Pot, ball: Ball, pot_kg: float | None = None, angle_deg: float = 0.0) -> Fit:
    """A ball, planted at an angle, in a pot: the soil line lies at the rim's clearance.

    Under the ball lies a layer of soil, and beside it room for fresh soil; what the ball is too
    large by has to be combed off.
    """
    table, plan = rules().pots, rules().plan
    ball = ball.tilted(angle_deg) if angle_deg else ball
    fill = fill_mm(pot)
    below = fill - ball.depth
    deep_off = max(0.0, plan.soil_layer_mm - below)
    # It is narrowest where the ball stands: on its layer of soil.
    length, width = pot.inside_at(max(below, plan.soil_layer_mm))
    beside = ((length - ball.length) / 2, (width - ball.width) / 2)
    room = table.side_room_mm
    off = (
        max(0.0, 2 * (room - beside[0])),
        max(0.0, 2 * (room - beside[1])),
        deep_off,
    )
    opening = pot.opening
    passes = min(ball.length, length - 2 * room) <= opening[0]
    passes = passes and min(ball.width, width - 2 * room) <= opening[1]
    sizes = (ball.length, ball.width, ball.depth)
    shares = [part / size for part, size in zip(off, sizes, strict=True) if size > 0]
    roomy = min(beside) > table.roomy_share * min(ball.length, ball.width)
    if max(shares, default=0.0) > table.comb_share:
        verdict: Verdict = "small"
    elif any(part >= 0.5 for part in off):
        verdict = "comb"
    else:
        verdict = "roomy" if roomy else "fits"
    soil = soil_litres(pot, ball)
    dry, wet = (None if pot_kg is None else pot_kg + each for each in _earth_kg(pot, ball, soil))
    return Fit(verdict, beside, below, off, soil, dry, wet, passes)


def fill_mm(pot: Pot) -> float:
    """Height of the soil line above the floor: under the rim, but for a slab's mound."""
    if pot.shape == "slab":
        return pot.depth
    return max(0.0, pot.depth - rules().plan.rim_clearance_mm)


def ball_litres(pot: Pot, ball: Ball) -> float:
    """What a ball takes up once it is in a pot, combed as far as it has to be, l.

    Its plan is taken to be of the pot's shape, as balls are combed.
    """
    table, plan, fill = rules().pots, rules().plan, fill_mm(pot)
    depth = min(ball.depth, max(0.0, fill - plan.soil_layer_mm))
    length, width = pot.inside_at(fill - depth)
    length = min(ball.length, max(0.0, length - 2 * table.side_room_mm))
    width = min(ball.width, max(0.0, width - 2 * table.side_room_mm))
    return pot.plan_share * length * width * depth / MM3_PER_LITRE


def soil_litres(pot: Pot, ball: Ball) -> float:
    """Soil that fills a pot round a ball, with what settles on top, l."""
    room = max(0.0, pot.litres(fill_mm(pot)) - ball_litres(pot, ball))
    return room * (1 + rules().materials.settling)


def _earth_kg(pot: Pot, ball: Ball, soil_l: float) -> tuple[float, float]:
    """Weight of soil and ball, dry and wet, kg."""
    table, ball_l = rules().pots, ball_litres(pot, ball)
    loose = soil_l / (1 + rules().materials.settling)
    return (
        loose * table.soil_kg_per_l.dry + ball_l * table.ball_kg_per_l.dry,
        loose * table.soil_kg_per_l.wet + ball_l * table.ball_kg_per_l.wet,
    )


def off_centre(
    tips: Iterable[tuple[float, float]], free: tuple[float, float]
) -> tuple[float, float]:
    """How far the trunk stands off the pot's middle to give all roots their room, mm.

    tips : of the roots from the trunk's middle, right and away from the front. free : room beside
    the ball that may be used up, at each end and side. To the right and away from the front: the
    trunk moves towards the side whose roots are short.
    """
    reach = list(tips)
    if not reach:
        return (0.0, 0.0)
    moved = []
    for axis in (0, 1):
        values = [tip[axis] for tip in reach]
        middle = -(max(values) + min(values)) / 2
        most = max(0.0, free[axis])
        moved.append(min(most, max(-most, middle)))
    return (moved[0], moved[1])


def proportions(
    pot: Pot, trunk_mm: float | None, height_mm: float | None
) -> list[tuple[str, float, float]]:
    """What is usual beside what is: name, of this pot, usual. Guidance on looks, no rule."""
    table, found = rules().pots, []
    if trunk_mm:
        found.append(("depth, of the trunk's diameter", pot.depth / trunk_mm, table.usual_depth))
    if height_mm:
        found.append(("length, of the tree's height", pot.length / height_mm, table.usual_length))
    return found
