"""The pot a tree stands in and its ball, as far as they are known: one answer for every page."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date

from sqlalchemy import select

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.pot import Ball, Pot
from mirvo.records.database import DbSession, find_kept
from mirvo.records.models import RootSession, ShelfPot, Tree

# What is not known is drawn and reckoned with like this: of the trunk's diameter, of the length.
USUAL_TRUNKS_LONG, WIDTH_SHARE = 5.0, 0.7
USUAL_DEPTH_MM = 60.0
BALL_IN_POT = 0.6
# Without a trunk that was measured or typed, a pot is guessed by one like this.
USUAL_TRUNK_MM = 40.0


@dataclass(frozen=True)
class PotOfTree:
    """Inside of the pot a tree stands in, mm; None for what nobody measured.

    shelf : its inside in full, where it is a pot from the shelf.
    """

    length: float | None
    width: float | None
    depth: float | None
    shelf: Pot | None = None
    holes: int | None = None

    def whole(self, trunk_mm: float) -> Pot:
        """A pot to reckon with, by the trunk where it is not known."""
        if self.shelf is not None:
            return self.shelf
        length = self.length or USUAL_TRUNKS_LONG * trunk_mm
        width = self.width or WIDTH_SHARE * length
        return Pot("rectangle", length, width, self.depth or USUAL_DEPTH_MM)


def pot_of_tree(tree: Tree, sessions: Sequence[RootSession]) -> PotOfTree:
    """What is known of the pot: from the shelf, else from the session that put it into what it
    stands in, else from the portrait. sessions : newest first."""
    pot = tree.pot
    if pot is not None:
        return PotOfTree(pot.length_mm, pot.width_mm, pot.depth_mm, pot.inside, pot.holes)
    noted = next((one for one in sessions if one.container_after == tree.container), None)
    length = noted.pot_length_mm if noted is not None else None
    depth = noted.pot_depth_mm if noted is not None else None
    return PotOfTree(length, None, depth or tree.pot_depth_mm)


def ball_of_tree(sessions: Sequence[RootSession], pot: Pot, depth_mm: float | None) -> Ball:
    """The ball as it was last measured, what is missing guessed from the pot.

    depth_mm : as the tree stands now, None where that is not known either.
    """
    # Sides nobody measured again after the work are as long as they were before it.
    length = _newest(one.ball_length_after or one.ball_length_before for one in sessions)
    width = _newest(one.ball_width_after or one.ball_width_before for one in sessions)
    guessed = [name for name, size in (("length", length), ("width", width)) if size is None]
    if depth_mm is None:
        guessed.append("depth")
    length = length or BALL_IN_POT * pot.length
    return Ball(
        length,
        width or min(length, BALL_IN_POT * pot.width),
        depth_mm or BALL_IN_POT * pot.depth,
        tuple(guessed),
    )


def _newest(sizes: Iterable[float | None]) -> float | None:
    """The first size that is known; sessions come newest first."""
    return next((size for size in sizes if size is not None), None)


def load_pot(db: DbSession, pot_id: int) -> ShelfPot:
    """A pot of the shelf. Raises NotFound."""
    pot = find_kept(db, ShelfPot, pot_id)
    if pot is None:
        raise NotFound("pot", "there is no such pot")
    return pot


def tree_in(db: DbSession, pot_id: int) -> Tree | None:
    """The tree that stands in a pot."""
    return db.scalars(select(Tree).where(Tree.pot_id == pot_id, Tree.kept())).first()


def stand_in(db: DbSession, tree: Tree, pot_id: int | None, day: date) -> None:
    """Put a tree into a pot of the shelf within a transaction. Raises BadInput."""
    if pot_id == tree.pot_id:
        return
    if pot_id is not None:
        load_pot(db, pot_id)
        other = tree_in(db, pot_id)
        if other is not None and other.id != tree.id:
            raise BadInput("pot_id", f"{other.name} stands in it; take that out first")
    tree.pot_id, tree.potted_on = pot_id, None if pot_id is None else day
