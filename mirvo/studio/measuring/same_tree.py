"""Whether a photo shows this tree at all: measurements no tree can have grown between."""

from __future__ import annotations

from contextlib import suppress

from sqlalchemy import select

from mirvo.core.errors import NotFound
from mirvo.core.measure.identity import misfit, traces_of
from mirvo.core.plan.growth import MIN_YEARS, PRIOR_RELATIVE_SD, plausible_change
from mirvo.records.database import DbSession
from mirvo.records.models import Measurement, Tree
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.standing.species import species_of_tree
from mirvo.studio.standing.tree_queries import (
    MEASURED_FROM_ABOVE,
    all_measurements_of,
    cuts_of,
    load_tree,
    sessions_of,
)

DAYS_A_YEAR = 365.25


def doubts_of(db: DbSession, tree_id: int) -> list[Measurement]:
    """Measurements that hardly can be of their tree and that nobody answered for; each says why."""
    return [row for row in all_measurements_of(db, tree_id) if row.in_doubt]


def set_aside(db: DbSession, tree_id: int) -> list[Measurement]:
    """Measurements that show another tree, as the artist said."""
    return [row for row in all_measurements_of(db, tree_id) if row.same_tree is False]


def settle_doubts(db: DbSession, tree_id: int) -> None:
    """Look again which measurements of a tree hardly can be of it: those whose trunk shrank, or
    grew as no tree does, or whose roots are not this tree's.

    Each is held against the last one that counts, so that one strange photo casts no doubt on
    those after it.
    """
    db.flush()
    tree, before = load_tree(db, tree_id), None
    for row in all_measurements_of(db, tree_id):
        doubt = None
        if before is not None and row.same_tree is None:
            doubt = _of_the_trunk(db, tree, before, row) or _of_the_roots(db, tree, before, row)
        if row.doubt != (doubt or ""):
            row.doubt = doubt or ""
        if row.counts:
            before = row
    db.flush()


def settle_unlooked(studio: Studio) -> None:
    """Look at the measurements nobody has looked at yet: of former versions, or brought in."""
    with studio.reading() as db:
        unlooked = MEASURED_FROM_ABOVE & Measurement.doubt.is_(None)
        query = select(Measurement.tree_id).where(unlooked, Measurement.kept())
        trees = list(db.scalars(query.distinct()))
    for tree_id in trees:
        # One after the other, so that nobody waits long to write.
        with studio.writing() as db, suppress(NotFound):
            settle_doubts(db, tree_id)


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
