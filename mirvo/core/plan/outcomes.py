"""How sure a path is: draws over growth rates and graft luck."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache

import numpy as np
import numpy.typing as npt

from mirvo.core.plan.growth import YEARLY_RELATIVE_SD
from mirvo.core.plan.problem import CLOSE, FINAL, PlanningProblem
from mirvo.core.plan.tree_state import TreeState, graft_counts

OUTCOME_DRAWS = 500
# Fixed, so that a plan opened twice shows the same chances.
SEED = 7_919
SUCCESS: dict[str, Callable[[PlanningProblem], float]] = {
    "graft": lambda problem: problem.rules.graft_success,
    # A fork is wood that is there already; it does not fail to take.
    "fork": lambda _: 1.0,
    "ground layer": lambda problem: problem.case.layer_success,
}
BAND = (0.10, 0.90)
Array = npt.NDArray[np.float64]
Flags = npt.NDArray[np.bool_]


@dataclass(frozen=True)
class Outcomes:
    """For each year: band of the spread ratio (80 %) and chance to have arrived."""

    low: list[float]
    high: list[float]
    chance: list[float]


def outcomes(
    problem: PlanningProblem, states: list[TreeState], draws: int = OUTCOME_DRAWS
) -> Outcomes:
    """Follow one path under drawn growth, each graft taking with its own luck.

    A tree's rate is drawn once, and every year strays from it by a quarter. Rates said to be
    known for certain (sd 0) do not stray.
    """
    rng = np.random.default_rng(SEED)
    growth, state = problem.case.state.growth, problem.case.state
    share = problem.rules.growth_relative_sd
    spread_sd = share * growth.spread_mm_per_year if growth.spread_sd is None else growth.spread_sd
    trunk_sd = share * growth.trunk_mm_per_year if growth.trunk_sd is None else growth.trunk_sd
    # A rate below nothing would be a trunk that shrinks.
    spread_rate = np.maximum(0, rng.normal(growth.spread_mm_per_year, spread_sd, draws))
    trunk_rate = np.maximum(0, rng.normal(growth.trunk_mm_per_year, trunk_sd, draws))
    luck = [SUCCESS[gap.method](problem) for gap in problem.open_gaps]
    takes = rng.random((draws, len(luck))) < np.array(luck)
    # The path is the same in all draws; only rates and luck differ.
    grown = np.array([tree.grown for tree in states])
    moved = np.diff(grown, prepend=0.0)
    spread = spread_rate[:, None] * grown + _strayed(
        rng, growth.spread_mm_per_year, spread_sd, moved, draws
    )
    trunk = trunk_rate[:, None] * grown + _strayed(
        rng, growth.trunk_mm_per_year, trunk_sd, moved, draws
    )
    # Bad years stop growth, they do not undo it.
    ratio = (state.spread_mm + np.maximum(0, spread)) / (
        state.trunk_diameter_mm + np.maximum(0, trunk)
    )
    good = ratio >= problem.case.target.spread_ratio - 1e-9
    good &= _gaps_hold(problem, states, takes)
    good &= np.array(
        [tree.container == FINAL and tree.halves == problem.all_halves for tree in states]
    )
    # Who has arrived stays so: a later bad year is another year's matter.
    arrived = np.logical_or.accumulate(good, axis=1)
    low, high = np.quantile(ratio, BAND, axis=0)
    return Outcomes(low.tolist(), high.tolist(), arrived.mean(axis=0).tolist())


def _strayed(rng: np.random.Generator, rate: float, sd: float, moved: Array, draws: int) -> Array:
    """What good and bad years add up to (draws, years), mm; `moved` is A year by year."""
    if sd == 0:
        return np.zeros((draws, len(moved)))
    each = rng.normal(0.0, YEARLY_RELATIVE_SD * rate, (draws, len(moved))) * moved
    return np.asarray(each.cumsum(axis=1))


def _gaps_hold(problem: PlanningProblem, states: list[TreeState], takes: Flags) -> Flags:
    """Whether the largest gap holds (draws, years), with the new roots each draw has."""
    limit = problem.case.target.largest_gap_deg + CLOSE
    # Few patterns of luck, many draws: the gap is worked out once a pattern.
    patterns, which = np.unique(takes, axis=0, return_inverse=True)
    roots = [gap.new_root_deg for gap in problem.open_gaps]
    taken = [[a for a, took in zip(roots, row, strict=True) if took] for row in patterns]

    @cache
    def per_pattern(halves: int, counts: bool) -> Flags:
        if not counts:
            return np.full(len(taken), problem.largest_gap(halves, False) <= limit)
        return np.array([problem.largest_gap_with(halves, new) <= limit for new in taken])

    held = [per_pattern(x.halves, graft_counts(problem, x.graft_age)) for x in states]
    return np.stack(held, axis=1)[which.reshape(-1)]
