"""Whether a photo shows this tree at all: measurements no tree can have grown between."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

from mirvo.core.errors import NotFound
from mirvo.core.measure.identity import misfit, traces_of
from mirvo.core.plan.growth import MIN_YEARS, PRIOR_RELATIVE_SD, plausible_change
from mirvo.records.database import DbSession, read_once
from mirvo.records.models import Measurement, Tree
from mirvo.studio.almanac.species import species_of_tree
from mirvo.studio.context import Studio
from mirvo.studio.tree_queries import cuts_of, load_tree, measurements_of, sessions_of
from mirvo.studio.yard.known_rows import once_a_tree
from mirvo.studio.yard.settings import yard_of

DAYS_A_YEAR = 365.25


@dataclass(frozen=True)
class Doubt:
    """A measurement that hardly can be of this tree, and why."""

    measurement: Measurement
    text: str


def doubts_of(db: DbSession, tree: Tree) -> list[Doubt]:
    """Measurements whose trunk shrank, or grew as no tree does, or whose roots are not this
    tree's, and that nobody answered for."""
    return list(_doubts(db, tree.id))


@read_once
@once_a_tree
def _doubts(db: DbSession, tree_id: int) -> tuple[Doubt, ...]:
    tree = load_tree(db, tree_id)
    rows = [row for row in measurements_of(db, tree_id) if row.same_tree is not False]
    found = []
    for before, after in pairwise(rows):
        if before.top is None or after.top is None or after.same_tree is not None:
            continue
        text = _of_the_trunk(db, tree, before, after) or _of_the_roots(db, tree, before, after)
        if text:
            found.append(Doubt(after, text))
    return tuple(found)


def believed(db: DbSession, tree: Tree) -> list[Measurement]:
    """Measurements that teach something of the tree: those of another tree, or doubted and not
    answered for yet, do not. Oldest first."""
    doubted = {doubt.measurement.id for doubt in doubts_of(db, tree)}
    return [
        row
        for row in measurements_of(db, tree.id)
        if row.same_tree is not False and row.id not in doubted
    ]


def _of_the_trunk(db: DbSession, tree: Tree, before: Measurement, after: Measurement) -> str | None:
    if before.top is None or after.top is None:
        return None
    prior = species_of_tree(yard_of(db), tree).growth.trunk
    old, new = before.top.trunk_diameter_mm, after.top.trunk_diameter_mm
    years = max(MIN_YEARS, (after.measured_on - before.measured_on).days / DAYS_A_YEAR)
    usual = prior * old.value
    error = (old.plus_minus**2 + new.plus_minus**2) ** 0.5 / 1.96 / years
    moved = (new.value - old.value) / years
    # A container changes growth by half either way; what is asked about lies far beyond.
    if plausible_change(moved, max(error, 1e-6), usual, 2 * PRIOR_RELATIVE_SD * usual):
        return None
    return (
        f"The trunk went from {old.value:.0f} to {new.value:.0f} mm in "
        f"{years:.1f} years; no tree of its kind changes so. Does this photo show it?"
    )


def _of_the_roots(db: DbSession, tree: Tree, before: Measurement, after: Measurement) -> str | None:
    # Whoever confirmed the letters has looked at both.
    if before.top is None or after.top is None or after.confirmed_at is not None:
        return None
    cuts = cuts_of(db, tree.id)
    removed = {
        done.label
        for session in sessions_of(db, tree.id)
        if before.measured_on <= session.done_on <= after.measured_on
        for done in cuts.get(session.id, ())
        if done.cut.done_action == "remove"
    }
    standing = [root for root in traces_of(before.top) if root.label not in removed]
    off = misfit(standing, traces_of(after.top))
    if off is None or off <= 1.0:
        return None
    return (
        f"Its {len(after.top.roots)} roots do not lie as the {len(standing)} that stood there on "
        f"{before.measured_on.day} {before.measured_on:%B %Y}. Does this photo show the same tree?"
    )


def say_same_tree(studio: Studio, tree_id: int, measurement_id: int, same: bool) -> None:
    """Answer for a measurement; one that shows another tree teaches nothing. Raises NotFound."""
    with studio.writing() as db:
        rows = measurements_of(db, tree_id)
        found = next((row for row in rows if row.id == measurement_id), None)
        if found is None:
            raise NotFound("measurement", "this tree has no such measurement")
        found.same_tree, found.updated_at = same, studio.now
