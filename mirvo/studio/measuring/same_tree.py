"""Whether a photo shows this tree at all: measurements no tree can have grown between."""

from __future__ import annotations

from dataclasses import dataclass

from mirvo.core.errors import NotFound
from mirvo.core.plan.growth import MIN_YEARS, PRIOR_RELATIVE_SD, plausible_change
from mirvo.records.database import DbSession
from mirvo.records.models import Measurement, Tree
from mirvo.studio.almanac.species import species_of
from mirvo.studio.context import Studio
from mirvo.studio.tree_queries import measurements_of
from mirvo.studio.yard.settings import yard_of

DAYS_A_YEAR = 365.25


@dataclass(frozen=True)
class Doubt:
    """A measurement that hardly can be of this tree, and why."""

    measurement: Measurement
    text: str


def doubts_of(db: DbSession, tree: Tree) -> list[Doubt]:
    """Measurements whose trunk shrank, or grew as no tree does, and that nobody answered for."""
    rows = [row for row in measurements_of(db, tree.id) if row.same_tree is not False]
    prior = species_of(yard_of(db), tree.species_key).growth.trunk
    found = []
    for before, after in zip(rows, rows[1:], strict=False):
        if before.top is None or after.top is None or after.same_tree is not None:
            continue
        old, new = before.top.trunk_diameter_mm, after.top.trunk_diameter_mm
        years = max(MIN_YEARS, (after.measured_on - before.measured_on).days / DAYS_A_YEAR)
        usual = prior * old.value
        error = (old.plus_minus**2 + new.plus_minus**2) ** 0.5 / 1.96 / years
        moved = (new.value - old.value) / years
        # A container changes growth by half either way; what is asked about lies far beyond.
        if not plausible_change(moved, max(error, 1e-6), usual, 2 * PRIOR_RELATIVE_SD * usual):
            found.append(
                Doubt(
                    after,
                    f"The trunk went from {old.value:.0f} to {new.value:.0f} mm in "
                    f"{years:.1f} years; no tree of its kind changes so. Does this photo show it?",
                )
            )
    return found


def say_same_tree(studio: Studio, tree_id: int, measurement_id: int, same: bool) -> None:
    """Answer for a measurement; one that shows another tree teaches nothing. Raises NotFound."""
    with studio.writing() as db:
        rows = measurements_of(db, tree_id)
        found = next((row for row in rows if row.id == measurement_id), None)
        if found is None:
            raise NotFound("measurement", "this tree has no such measurement")
        found.same_tree, found.updated_at = same, studio.now
