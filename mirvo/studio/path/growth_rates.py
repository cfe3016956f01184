"""How fast a tree's flare and trunk grow, as a plan expects it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from mirvo.core.almanac import Species, rules
from mirvo.core.plan.case import Growth
from mirvo.core.plan.growth import Rate, Seen, grown_year, growth_rate
from mirvo.records.database import DbSession
from mirvo.records.models import Target, Tree
from mirvo.studio.standing.tree_queries import measurements_of, sessions_of

# Of the growth a container allows; cuts and winters cost the rest.
USUAL_VIGOUR = 0.85


@dataclass(frozen=True)
class GrowthRates:
    """How fast spread and trunk grow in a wide training pot."""

    spread: Rate
    trunk: Rate

    @property
    def in_case(self) -> Growth:
        """As a case gives them."""
        return Growth(
            spread_mm_per_year=round(self.spread.mm_per_year, 3),
            trunk_mm_per_year=round(self.trunk.mm_per_year, 3),
            spread_sd=round(self.spread.sd, 3),
            trunk_sd=round(self.trunk.sd, 3),
        )


def growth_of_tree(
    db: DbSession, tree: Tree, species: Species, target: Target, trunk_mm: float
) -> GrowthRates:
    """Its species' rates, as far as its own measurements do not say better."""
    spread, trunk = [], []
    for row in measurements_of(db, tree.id):
        if row.top is None:
            continue
        year = row.measured_on.year + row.measured_on.timetuple().tm_yday / 365.25
        wide, thick = row.top.spread.on(target.basis), row.top.trunk_diameter_mm
        if wide is not None:
            spread.append(Seen(year, wide.mean_mm.value, wide.mean_mm.plus_minus))
        trunk.append(Seen(year, thick.value, thick.plus_minus))
    factor = _mean_container_factor(db, tree) * USUAL_VIGOUR
    return GrowthRates(
        growth_rate(species.growth.spread, trunk_mm, spread, factor),
        growth_rate(species.growth.trunk, trunk_mm, trunk, factor),
    )


def grown_since(
    db: DbSession, tree: Tree, growth: GrowthRates, measured_on: date, first: int
) -> GrownSince:
    """Growth from a measurement to the end of the year before the plan's first."""
    seasons = max(0, first - 1 - grown_year(measured_on))
    factor = _mean_container_factor(db, tree) * USUAL_VIGOUR
    return GrownSince(
        seasons,
        seasons * factor * growth.spread.mm_per_year,
        seasons * factor * growth.trunk.mm_per_year,
        measured_on,
    )


@dataclass(frozen=True)
class GrownSince:
    """What spread and trunk are expected to have grown since they were measured."""

    seasons: int
    spread_mm: float
    trunk_mm: float
    measured_on: date

    @property
    def said(self) -> str:
        if self.seasons <= 1:
            return ""
        return (
            f"The base was measured {self.measured_on.day} {self.measured_on:%B %Y}; the growth of "
            f"{self.seasons} seasons since is reckoned in: {self.spread_mm:.0f} mm of spread, "
            f"{self.trunk_mm:.0f} mm of trunk. Measure again to know."
        )


def _mean_container_factor(db: DbSession, tree: Tree) -> float:
    # Before the first session it has grown in the container it stands in.
    names = [session.container_after for session in sessions_of(db, tree.id)] or [tree.container]
    table = rules().containers
    known = [table[name].growth for name in names if name in table]
    return sum(known) / len(known) if known else 1.0
