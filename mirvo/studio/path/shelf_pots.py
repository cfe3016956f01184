"""Pots of the shelf that a tree's path may use: chosen on its path, named in its plan."""

from __future__ import annotations

from collections.abc import Mapping

from sqlalchemy import select
from sqlalchemy.orm import joinedload

from mirvo.core.almanac import rules
from mirvo.core.errors import BadInput
from mirvo.core.plan.case import FINAL, CasePot
from mirvo.records.database import DbSession
from mirvo.records.models import ShelfPot, Target, TargetPot, Tree
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.state_cache import kept_by_tree


@kept_by_tree
def pots_of_target(db: DbSession, tree_id: int) -> tuple[TargetPot, ...]:
    """The pots a tree's path may use, in the order they came to the shelf."""
    query = select(TargetPot).where(TargetPot.tree_id == tree_id).options(joinedload(TargetPot.pot))
    found = db.scalars(query.join(ShelfPot).where(ShelfPot.kept()).order_by(ShelfPot.id))
    return tuple(found)


def pots_in_case(db: DbSession, tree_id: int) -> dict[str, tuple[int, CasePot]]:
    """Number and sizes of each pot a plan may use, by the name it has in the plan; what has the
    name of another is numbered."""
    found: dict[str, tuple[int, CasePot]] = {}
    for chosen in pots_of_target(db, tree_id):
        name, count = chosen.pot.name, 2
        while name in found:
            name, count = f"{chosen.pot.name} ({count})"[-80:], count + 1
        inside = chosen.pot.inside
        found[name] = (
            chosen.pot_id,
            CasePot(
                name=name,
                kind=chosen.kind,
                inner_depth_mm=inside.depth,
                inner_length_mm=inside.length,
                inner_width_mm=inside.width,
            ),
        )
    return found


def pot_numbers(db: DbSession, tree_id: int) -> dict[str, int]:
    """Number of each pot a plan may use, by the name it has in the plan."""
    return {name: number for name, (number, _) in pots_in_case(db, tree_id).items()}


def free_pots(db: DbSession, tree_id: int) -> list[ShelfPot]:
    """Pots of the shelf that no other tree stands in."""
    taken = select(Tree.pot_id).where(
        Tree.pot_id.is_not(None), Tree.kept(), Tree.died_on.is_(None), Tree.id != tree_id
    )
    query = select(ShelfPot).where(ShelfPot.kept(), ShelfPot.id.not_in(taken))
    return list(db.scalars(query.order_by(ShelfPot.name, ShelfPot.id)))


def choose_pots(
    studio: Studio, tree_id: int, kinds: Mapping[int, str], only_shelf: bool = False
) -> None:
    """Say which pots of the shelf a tree's path may use, by their number, and as what.

    only_shelf : nothing else is used but the pot the tree stands in.

    Raises
    ------
    BadInput : there is no target yet, no such pot, no such kind, or two last pots.
    """
    if unknown := set(kinds.values()) - set(rules().containers):
        raise BadInput("pots", f"'{min(unknown)}' is not a container Mirvo knows")
    if sum(kind == FINAL for kind in kinds.values()) > 1:
        raise BadInput("pots", "choose one last pot; a tree ends in one")
    with studio.writing() as db:
        target = db.get(Target, tree_id)
        if target is None:
            raise BadInput("pots", "set a target first; pots are chosen within its plan")
        known = {pot.id for pot in free_pots(db, tree_id)}
        if not set(kinds) <= known:
            raise BadInput("pots", "a pot you chose is taken or no longer on the shelf")
        for chosen in db.scalars(select(TargetPot).where(TargetPot.tree_id == tree_id)):
            db.delete(chosen)
        db.flush()
        for pot_id, kind in kinds.items():
            db.add(TargetPot(tree_id=tree_id, pot_id=pot_id, kind=kind))
        target.only_shelf = only_shelf and bool(kinds)
        target.updated_at = studio.now
