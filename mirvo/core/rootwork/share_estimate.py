"""The feeding share: what a session takes of the root a tree lives on.

Bench, record, adviser and planner all ask here. Sources of the parts: `budget`.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from mirvo.core.errors import BadInput
from mirvo.core.rootwork.budget import (
    Ball,
    root_shares,
    session_share,
    side_trim_part,
    slice_part,
)
from mirvo.core.rootwork.cuts import FeedingRoot, over_budget

# A root whose width nobody measured counts as one millimetre until others are measured too.
UNMEASURED_WIDTH_MM = 1.0


@dataclass(frozen=True)
class BallWork:
    """What is taken from the ball besides single roots, mm."""

    slice_mm: float = 0.0
    matted: bool = False
    length_before: float | None = None
    width_before: float | None = None
    depth_before: float | None = None
    length_after: float | None = None

    def parts(self) -> tuple[float, ...]:
        """Parts of the feeding root that slice and side trim take.

        Raises
        ------
        BadInput : a slice without the ball's depth, or one that leaves nothing.
        """
        parts = []
        if self.slice_mm > 0:
            if self.depth_before is None:
                raise BadInput("ball_depth_before", "is needed to work out what the slice took")
            parts.append(slice_part(self.slice_mm, self.depth_before, self.matted))
        # A side trim needs all three: without the width nobody knows what part of the ball it
        # was.
        before, after, wide = self.length_before, self.length_after, self.width_before
        if before and after and wide and after < before:
            # The depth plays no part in a side trim, but a ball cannot have none.
            ball = Ball(before, wide, self.depth_before or 1.0)
            parts.append(side_trim_part((before - after) / 2, ball))
        return tuple(parts)


@dataclass(frozen=True)
class ShareEstimate:
    """Share of the feeding root a session takes and what the tree could bear.

    share : corrected by what weighing showed of this tree; uncorrected : as computed without
    it. by_root : of each root, uncorrected. season : open, edge or shut.
    """

    share: float
    uncorrected: float
    budget: float
    by_root: dict[str, float]
    season: str

    @property
    def over_budget(self) -> float:
        """How far the share lies over the budget, 0 where it does not."""
        return over_budget(self.share, self.budget)


def feeding_shares(roots: Iterable[FeedingRoot], fine_roots: str) -> dict[str, float]:
    """Feeding share of each root by its letter, before weighing corrects it.

    fine_roots : where they mostly are, see `rules.feeding`.
    """
    return root_shares(
        [
            (root.label, root.width_mm or UNMEASURED_WIDTH_MM, root.feeders, root.condition)
            for root in roots
        ],
        fine_roots,
    )


def taken_share(
    shares: Mapping[str, float], costs: Mapping[str, float], ball_parts: Sequence[float]
) -> float:
    """Share of all feeding root that goes, 0 to 1, before weighing corrects it.

    costs : share of its own feeding share that goes, by root, 0 to 1.

    Raises
    ------
    BadInput : a cost names a root that is not there.
    """
    # Roots add up among themselves; the ball's parts then take of what is left.
    taken = 0.0
    for label, cost in costs.items():
        if label not in shares:
            raise BadInput("roots", f"root {label} is not among the measured roots")
        taken += shares[label] * cost
    return session_share(min(1.0, taken), ball_parts)


def corrected_share(share: float, correction: float) -> float:
    """A share as this tree's own weighings correct it, 0 to 1."""
    return min(1.0, share * correction)


def estimate_share(
    roots: Sequence[FeedingRoot],
    fine_roots: str,
    costs: Mapping[str, float],
    ball: BallWork,
    correction: float,
    budget: float,
    season: str,
) -> ShareEstimate:
    """What a session takes, put together from its roots and its ball.

    Raises
    ------
    BadInput : a cost names a root that is not there, or the ball's work cannot be.
    """
    shares = feeding_shares(roots, fine_roots)
    taken = taken_share(shares, costs, ball.parts())
    return ShareEstimate(corrected_share(taken, correction), taken, budget, shares, season)
