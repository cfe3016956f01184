"""How deep the ball is now: recorded and grown since, else from what was entered, else a guess."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from mirvo.core.almanac import rules
from mirvo.core.standing.sourced import Source, Sourced

DAYS_A_YEAR = 365.25
LOOK = "note the ball's depth at the next session"


@dataclass(frozen=True)
class LeftBall:
    """The ball as a session left it; pot_depth_mm : inner depth of its pot, where it is known."""

    depth_mm: float
    on: date
    container: str
    pot_depth_mm: float | None = None


def ball_depth(
    left: LeftBall | None,
    container: str,
    pot_depth_mm: float | None,
    trunk_mm: float | None,
    today: date,
) -> Sourced | None:
    """Depth of the ball below the root plane, mm; None where nothing at all is known.

    Parameters
    ----------
    left : by the last session that noted its depth. pot_depth_mm : inner depth of the pot it
    stands in as entered in the portrait. trunk_mm : trunk diameter, for a guess.
    """
    table, plan = rules().standing, rules().plan
    rim = plan.soil_layer_mm + plan.rim_clearance_mm
    if left is not None:
        grown = _grown_since(left, today)
        error = table.ball_recorded_mm + table.ball_growth_error * (grown - left.depth_mm)
        source: Source = "recorded" if grown == left.depth_mm else "computed"
        return Sourced(grown, error, source, left.on)
    if pot_depth_mm is not None and pot_depth_mm > rim + plan.min_ball_mm:
        return Sourced(pot_depth_mm - rim, table.ball_typed_mm, "typed", None, LOOK)
    if trunk_mm is None:
        return None
    # An old pot is filled by its roots; without its depth the trunk says how much that may be.
    guess = max(plan.min_ball_mm * 2, table.ball_guess_trunks * trunk_mm)
    depth = rules().container(container).depth_mm
    guess = min(guess, depth - rim) if depth is not None else guess
    narrow = f"enter the pot's inner depth, or {LOOK}"
    return Sourced(round(guess), round(guess * table.ball_guess_error), "guessed", None, narrow)


def _grown_since(left: LeftBall, today: date) -> float:
    """Depth grown by the years since, as far as the pot lets it."""
    plan = rules().plan
    rim = plan.soil_layer_mm + plan.rim_clearance_mm
    kind = rules().container(left.container)
    # The pot it was put into, else the kind's own depth, else one ball's growth of room.
    inner = left.pot_depth_mm or kind.depth_mm
    if inner is not None:
        most = inner - rim
    else:
        most = left.depth_mm + (plan.ball_growth_mm if kind.roomy else 0.0)
    years = max(0.0, (today - left.on).days / DAYS_A_YEAR)
    return max(left.depth_mm, min(most, left.depth_mm + plan.ball_growth_mm * years))
