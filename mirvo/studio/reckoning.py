"""What a session takes and what the tree can bear, from its records and its practice."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

from sqlalchemy.orm import Session as Unit

from mirvo.core.almanac import Species, rules
from mirvo.core.almanac.practice import Practice
from mirvo.core.errors import BadInput
from mirvo.core.rootwork import (
    Ball,
    kind_by_key,
    matched_top_factor,
    removal_budget,
    root_shares,
    session_share,
    side_trim_part,
    slice_part,
    weighing_correction,
)
from mirvo.core.season import year_window
from mirvo.records.models import Tree
from mirvo.studio.histories import sessions_of

COLLECTED = ("dug from a garden", "collected with permission")
RECENT_DAYS = 730
EDGE_DAYS = 28
WORKED_DORMANT = ("temperate deciduous",)


@dataclass(frozen=True)
class Soil:
    """What is taken from the ball besides single roots, mm."""

    slice_mm: float = 0.0
    matted: bool = False
    length_before: float | None = None
    width_before: float | None = None
    depth_before: float | None = None
    length_after: float | None = None

    def parts(self) -> tuple[float, ...]:
        """Parts of the feeding root that slice and side trim take. Raises BadInput."""
        parts = []
        if self.slice_mm > 0:
            if self.depth_before is None:
                raise BadInput("ball_depth_before", "is needed to reckon what the slice took")
            parts.append(slice_part(self.slice_mm, self.depth_before, self.matted))
        before, after, wide = self.length_before, self.length_after, self.width_before
        if before and after and wide and after < before:
            ball = Ball(before, wide, self.depth_before or 1.0)
            parts.append(side_trim_part((before - after) / 2, ball))
        return tuple(parts)


@dataclass(frozen=True)
class Reckoning:
    """Share of the feeding root a session takes and what the tree could bear.

    share : corrected by what weighing showed of this tree; plain : as computed without it.
    """

    share: float
    plain: float
    budget: float
    by_root: dict[str, float]
    season: str


def season_of(
    tree: Tree, species: Species, last_frost: str, day: date, bud_stage: str, practice: Practice
) -> str:
    """open, edge or shut; what the artist saw on the buds beats the calendar.

    Dormant work before the window is an edge only for those who begin it under shelter.
    """
    deciduous = species.group in WORKED_DORMANT
    if deciduous and bud_stage in ("buds swelling", "buds opening"):
        return "open"
    start, end, _ = year_window(species, last_frost, day.year)
    if tree.under_glass:
        start -= timedelta(weeks=rules().season.under_glass_weeks)
    if start <= day <= end:
        return "open"
    early = day < start
    away = (start - day).days if early else (day - end).days
    if early and deciduous and practice["dormant"] == "swelling":
        return "shut"
    return "edge" if away <= EDGE_DAYS else "shut"


def tree_budget(
    tree: Tree,
    species: Species,
    practice: Practice,
    season: str,
    day: date | None = None,
    top_reduced: float = 0.0,
) -> float:
    """Removal budget of a tree on a day.

    top_reduced : how much of the crown goes with it, %.
    """
    together = practice["operations"] == "together" and species.top_work_together
    return removal_budget(
        species.budget.of(practice["budget"]),
        tree.strength,
        tree.age_class,
        season,
        origin_factor=origin_factor(tree, day),
        worth=rules().budget.worth[tree.worth],
        top_reduction=matched_top_factor(top_reduced, together),
    )


def kind_budget(kind: str, budget: float) -> float:
    """The budget of a kind of session: its own where it has one, else the tree's."""
    own = kind_by_key(kind).own_budget
    return budget if own is None else own


def origin_factor(tree: Tree, day: date | None) -> float:
    """0.7 within two years of collection, else 1."""
    recent = (
        day is not None
        and tree.origin in COLLECTED
        and tree.acquired_on is not None
        and (day - tree.acquired_on).days < RECENT_DAYS
    )
    return rules().budget.collected_recently if recent else 1.0


def correction_of(unit: Unit, tree_id: int) -> float:
    """This tree's ratio of weighed to computed share over all sessions weighed."""
    kept = [session.details for session in sessions_of(unit, tree_id)]
    told = [details for details in kept if details and details.get("share_weighed")]
    return weighing_correction([(one["share_weighed"], one["share_plain"]) for one in told])


def plan_entries(figures: dict[str, Any] | None) -> dict[str, dict[str, Any]]:
    """Drawn roots of a measurement's record by letter."""
    plan = (figures or {}).get("plan", {})
    return {root["label"]: root for root in plan.get("roots", [])}


def shares_by_root(
    roots: list[dict[str, Any]], figures: dict[str, Any] | None, fine_roots: str
) -> dict[str, float]:
    """Feeding share of each measured root, not corrected by weighing."""
    drawn = plan_entries(figures)
    return root_shares(
        [
            (
                root["label"],
                (root["base_width_mm"] or {"value": 1.0})["value"],
                drawn.get(root["label"], {}).get("feeders"),
                drawn.get(root["label"], {}).get("condition", "sound"),
            )
            for root in roots
        ],
        fine_roots,
    )


def reckon(
    shares: Mapping[str, float],
    costs: Mapping[str, float],
    soil: Soil,
    correction: float,
    budget: float,
    season: str,
) -> Reckoning:
    """Put a session together.

    costs : share of its own feeding share that goes, by root, 0 to 1. Raises BadInput.
    """
    taken = 0.0
    for label, cost in costs.items():
        if label not in shares:
            raise BadInput("roots", f"root {label} is not among the measured roots")
        taken += shares[label] * cost
    plain = session_share(min(1.0, taken), soil.parts())
    return Reckoning(min(1.0, plain * correction), plain, budget, dict(shares), season)
