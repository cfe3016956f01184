"""The feeding share: what a session takes of the root a tree lives on, and how sure that is.

Bench, record, adviser and planner all ask here. Sources of the parts: `budget`.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from mirvo.core.almanac import rules
from mirvo.core.errors import BadInput
from mirvo.core.rootwork.budget import (
    Ball,
    SessionLimits,
    over_budget,
    root_shares,
    session_share,
    side_trim_part,
    slice_part,
    strain,
    surface_share,
)
from mirvo.core.rootwork.cuts import FeedingRoot

DRAWS = 400
# Fixed, so that the same session has the same ± wherever it is shown.
SEED = 17


@dataclass(frozen=True)
class BallWork:
    """What is taken from the ball besides single roots, mm; picked : thick roots instead of a
    slice."""

    slice_mm: float = 0.0
    matted: bool = False
    length_before: float | None = None
    width_before: float | None = None
    depth_before: float | None = None
    length_after: float | None = None
    picked: bool = False

    def taken(self, usual_edge: float) -> BallTaken:
        """Parts that slice and trim take.

        usual_edge : what combing and trimming takes where the trim was not measured.

        Raises
        ------
        BadInput : a slice without the ball's depth, or one that leaves nothing.
        """
        sliced = 0.0
        if self.slice_mm > 0:
            if self.depth_before is None:
                raise BadInput("ball_depth_before", "is needed to work out what the slice took")
            sliced = slice_part(self.slice_mm, self.depth_before, self.matted, self.picked)
        before, after, wide = self.length_before, self.length_after, self.width_before
        # A side trim needs all three: without the width nobody knows what part of the ball it was.
        if before and after and wide and after < before:
            # The depth plays no part in a side trim, but a ball cannot have none.
            ball = Ball(before, wide, self.depth_before or 1.0)
            return BallTaken(sliced, side_trim_part((before - after) / 2, ball), measured=True)
        return BallTaken(sliced, usual_edge)


@dataclass(frozen=True)
class BallTaken:
    """sliced : part of what hangs below the surface roots; edge : part of all of it that the trim
    takes, measured or as usual."""

    sliced: float = 0.0
    edge: float = 0.0
    measured: bool = False


@dataclass(frozen=True)
class ShareEstimate:
    """Share of the feeding root a session takes and what the tree could bear.

    share : corrected by what weighing showed of this tree; uncorrected : as computed without
    it. plus_minus : half-width of the 95 % interval of `share`. by_root : of each root,
    uncorrected. season : open, edge or shut. edge : what the combed and trimmed edge takes of it,
    edge_measured : from the ball's length before and after.
    """

    share: float
    uncorrected: float
    budget: float
    by_root: dict[str, float]
    season: str
    bearing: float = 0.0
    plus_minus: float = 0.0
    edge: float = 0.0
    edge_measured: bool = False

    @property
    def over_budget(self) -> float:
        """How far the share lies over the budget, 0 where it does not."""
        return over_budget(self.share, self.budget)

    @property
    def over_bearing(self) -> float:
        """How far the share lies over the most the tree could bear, 0 where it does not."""
        return over_budget(self.share, self.bearing)

    @property
    def strain(self) -> float | None:
        """Strain 100 (q/B)²; None where something goes of a tree that bears nothing."""
        if self.share > 0 and self.bearing <= 0:
            return None
        return strain(self.share, self.bearing)


@dataclass(frozen=True)
class Feeding:
    """Where fine roots mostly are, whether that was looked at, and the tree's own ratio of weighed
    to computed share; weighed : it rests on weighings."""

    where: str = "even"
    noted: bool = False
    correction: float = 1.0
    weighed: bool = False


def feeding_shares(roots: Iterable[FeedingRoot], fine_roots: str) -> dict[str, float]:
    """Feeding share of each root by its letter, before weighing corrects it.

    fine_roots : where they mostly are, see `rules.feeding`.
    """
    return root_shares(
        [(root.label, root.width_mm, root.feeders, root.condition) for root in roots], fine_roots
    )


def taken_share(
    shares: Mapping[str, float],
    costs: Mapping[str, float],
    ball: BallTaken,
    fine_roots: str = "even",
) -> float:
    """Share of all feeding root that goes, 0 to 1, before weighing corrects it.

    costs : share of its own feeding share that goes, by root, 0 to 1.

    Raises
    ------
    BadInput : a cost names a root that is not there.
    """
    taken = 0.0
    for label, cost in costs.items():
        if label not in shares:
            raise BadInput("roots", f"root {label} is not among the measured roots")
        taken += shares[label] * cost
    return session_share(taken, ball.sliced, ball.edge, surface_share(fine_roots))


def corrected_share(share: float, correction: float) -> float:
    """A share as this tree's own weighings correct it, 0 to 1."""
    return min(1.0, share * correction)


def estimate_share(
    roots: Sequence[FeedingRoot],
    feeding: Feeding,
    costs: Mapping[str, float],
    ball: BallWork,
    limits: SessionLimits,
) -> ShareEstimate:
    """What a session takes, put together from its roots and its ball.

    Without measured roots it is what the ball alone tells: slice, trim and edge.

    Raises
    ------
    BadInput : a cost names a root that is not there, or the ball's work cannot be.
    """
    shares = feeding_shares(roots, feeding.where)
    taken_of_ball = ball.taken(limits.usual_edge)
    taken = taken_share(shares, costs, taken_of_ball, feeding.where)
    return ShareEstimate(
        corrected_share(taken, feeding.correction),
        taken,
        limits.budget,
        shares,
        limits.season,
        limits.bearing,
        share_error(shares, costs, taken_of_ball, feeding),
        taken_of_ball.edge,
        taken_of_ball.measured,
    )


def share_error(
    shares: Mapping[str, float],
    costs: Mapping[str, float],
    ball: BallTaken,
    feeding: Feeding,
) -> float:
    """Half-width of the 95 % interval of a share, 0 to 1.

    What is not known is drawn: how much the surface roots hold (half as sure where nobody looked),
    how much each root carries, how much a slice and a trim took. The deviations are the rules'.
    """
    table = rules().share_error
    rng = np.random.default_rng(SEED)
    held = surface_share(feeding.where)
    sd = table.surface_share * (0.6 if feeding.noted else 1.0)
    surface = np.clip(rng.normal(held, sd, DRAWS), 0.05, 0.95)
    weights = np.array([shares[label] for label in shares]) / held if shares else np.zeros(0)
    drawn = weights * np.exp(rng.normal(0.0, table.root_weight, (DRAWS, len(weights))))
    total = drawn.sum(axis=1, keepdims=True)
    drawn = np.divide(drawn, total, out=np.zeros_like(drawn), where=total > 0)
    cost = np.array([costs.get(label, 0.0) for label in shares])
    roots = surface * (drawn @ cost if len(weights) else 0.0)
    sliced = np.clip(ball.sliced * (1.0 + rng.normal(0.0, table.slice, DRAWS)), 0.0, 1.0)
    # A trim that was measured is as sure as a slice.
    edge_sd = table.slice if ball.measured else table.edge
    edge = np.clip(ball.edge * (1.0 + rng.normal(0.0, edge_sd, DRAWS)), 0.0, 1.0)
    inside = np.clip(roots + (1.0 - surface) * sliced, 0.0, 1.0)
    taken = (1.0 - (1.0 - edge) * (1.0 - inside)) * feeding.correction
    if feeding.weighed:
        # Weighings of this very tree say more than the model: only their own spread is left.
        middle = float(taken.mean())
        return float(min(1.96 * table.weighed * middle, 1.96 * float(taken.std())))
    return float(1.96 * taken.std())
