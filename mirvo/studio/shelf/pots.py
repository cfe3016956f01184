"""The shelf of pots: which there are, which tree stands in which, and which fit a tree."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from sqlalchemy import select

from mirvo.core.errors import BadInput, Conflict
from mirvo.core.limits.shelf import PotFields
from mirvo.core.pot import Ball, Fit, fit, off_centre
from mirvo.records.database import DbSession
from mirvo.records.models import ShelfPot, Tree
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import SAVED_ELSEWHERE, yard_of
from mirvo.studio.photos.photo_queries import digests_in_use
from mirvo.studio.standing.kept_plans import step_of
from mirvo.studio.standing.pot_of_tree import (
    USUAL_TRUNK_MM,
    PotOfTree,
    ball_of_tree,
    load_pot,
    pot_of_tree,
    stand_in,
)
from mirvo.studio.standing.standing import TreeStanding, standing_of
from mirvo.studio.standing.tree_queries import MeasuredBase, load_tree, measured_base

MOST_ANGLE_DEG = 60.0
# Best first.
ORDER = ("fits", "comb", "roomy", "small")


ENTERED = (*PotFields.model_fields, "version")


@dataclass(frozen=True)
class OnShelf:
    """A pot of the shelf and the tree that stands in it."""

    pot: ShelfPot
    tree: Tree | None


@dataclass(frozen=True)
class PotForTree:
    """How a tree goes into a pot: now, and with the ball its next session leaves."""

    on_shelf: OnShelf
    now: Fit
    after: Fit | None

    @property
    def free(self) -> bool:
        return self.on_shelf.tree is None


@dataclass(frozen=True)
class TreeAndPots:
    """A tree, its pot and ball, and how it goes into each pot of the shelf, the best first.

    step_year : of the planned session that leaves the ball `after`. moved : how far the trunk
    stands off the middle of the chosen pot, to the right and to the back, mm.
    """

    stands: TreeStanding
    base: MeasuredBase | None
    stands_in: PotOfTree
    ball: Ball
    after: Ball | None
    step_year: int | None
    pots: list[PotForTree]
    chosen: PotForTree | None
    moved: tuple[float, float]
    angle_deg: float


def shelf_order(db: DbSession) -> list[int]:
    """Numbers of all pots, the free ones first, by name."""
    taken = select(Tree.pot_id).where(Tree.pot_id.is_not(None), Tree.kept())
    query = select(ShelfPot.id).where(ShelfPot.kept())
    return list(db.scalars(query.order_by(ShelfPot.id.in_(taken), ShelfPot.name, ShelfPot.id)))


def on_shelf(db: DbSession, numbers: Sequence[int]) -> list[OnShelf]:
    """Some pots with the trees in them, in the order asked for."""
    pots = {pot.id: pot for pot in db.scalars(select(ShelfPot).where(ShelfPot.id.in_(numbers)))}
    standing = select(Tree).where(Tree.pot_id.in_(numbers), Tree.kept())
    by_pot = {tree.pot_id: tree for tree in db.scalars(standing)}
    return [OnShelf(pots[number], by_pot.get(number)) for number in numbers if number in pots]


def shelf(db: DbSession) -> list[OnShelf]:
    """All pots, the free ones first, by name."""
    return on_shelf(db, shelf_order(db))


def add_pot(studio: Studio, form: PotFields) -> ShelfPot:
    """Put a pot on the shelf."""
    pot = ShelfPot(**form.model_dump(), created_at=studio.now, updated_at=studio.now)
    with studio.writing() as db:
        db.add(pot)
    return pot


def edit_pot(studio: Studio, pot_id: int, form: PotFields, version: int) -> ShelfPot:
    """Save an edit begun on `version`. Raises Conflict when it was saved since."""
    with studio.writing() as db:
        pot = load_pot(db, pot_id)
        if pot.version != version:
            raise Conflict("version", SAVED_ELSEWHERE.format("This pot was"))
        for name, value in form.model_dump().items():
            setattr(pot, name, value)
        pot.version, pot.updated_at = version + 1, studio.now
    return pot


def keep_pot_photo(studio: Studio, pot_id: int, file_name: str, content: bytes) -> None:
    """Keep a photo of a pot in place of the one before. Raises BadInput at the file."""
    with studio.reading() as db:
        load_pot(db, pot_id)
    try:
        # The file first: a row without its file would be a broken picture for ever.
        facts = studio.photos.keep(content, file_name)
    except BadInput as refusal:
        raise BadInput("pot_photo", refusal.message) from refusal
    with studio.writing() as db:
        pot = load_pot(db, pot_id)
        before, pot.photo_digest = pot.photo_digest, facts.digest
        pot.updated_at = studio.now
    with studio.reading() as db:
        unused = before and before not in digests_in_use(db)
    if unused:
        studio.photos.forget(before)


def put_tree_in(studio: Studio, tree_id: int, pot_id: int | None) -> None:
    """Say which pot a tree stands in today; None when it is none of the shelf.

    Raises
    ------
    BadInput : another tree stands in it.
    """
    with studio.writing() as db:
        stand_in(db, load_tree(db, tree_id), pot_id, studio.today)


def pot_choices(db: DbSession, tree: Tree) -> list[tuple[int, str]]:
    """Number and name of the pots a tree may be put into, the free ones first, then its own."""
    taken = select(Tree.pot_id).where(Tree.pot_id.is_not(None), Tree.kept(), Tree.id != tree.id)
    query = (
        select(ShelfPot.id, ShelfPot.name)
        .where(ShelfPot.kept(), ShelfPot.id.not_in(taken))
        .order_by(ShelfPot.id == tree.pot_id, ShelfPot.name)
    )
    return [(number, name) for number, name in db.execute(query)]


def tree_and_pots(
    db: DbSession, tree_id: int, today: date, chosen: int | None = None, angle_deg: float = 0.0
) -> TreeAndPots:
    """How a tree goes into each pot of the shelf. Raises NotFound."""
    stands, base = standing_of(db, tree_id, today), measured_base(db, tree_id)
    tree = stands.tree
    angle = max(-MOST_ANGLE_DEG, min(MOST_ANGLE_DEG, angle_deg))
    stands_in = pot_of_tree(tree, stands.sessions)
    measured = None if base is None else base.record
    trunk = measured.trunk_diameter_mm.value if measured else tree.trunk_mm
    now_in = stands_in.whole(trunk or USUAL_TRUNK_MM)
    depth = stands.standing.ball.value if stands.standing.ball else None
    ball = ball_of_tree(stands.sessions, now_in, depth)
    plan, after = stands.plan, None
    year_now = stands.usual_verdict.window.year
    step = None if plan is None else step_of(plan, yard_of(db).school, year_now)
    if step is not None:
        length, width = step.sides_after_mm or (ball.length, ball.width)
        after = Ball(length, width, step.ball_after_mm, ball.guessed)
    pots = [_for_tree(one, ball, after, angle) for one in shelf(db)]
    pots.sort(key=lambda one: _rank(one, tree_id))
    wanted = chosen or tree.pot_id
    shown = next((one for one in pots if one.on_shelf.pot.id == wanted), None)
    shown = shown or next(iter(pots), None)
    tips = [root.path_mm[-1] for root in measured.roots] if measured else []
    moved = (0.0, 0.0) if shown is None else off_centre(tips, shown.now.beside)
    year = None if step is None else step.year
    return TreeAndPots(stands, base, stands_in, ball, after, year, pots, shown, moved, angle)


def _for_tree(one: OnShelf, ball: Ball, after: Ball | None, angle_deg: float) -> PotForTree:
    inside, weight = one.pot.inside, one.pot.weight_kg
    return PotForTree(
        one,
        fit(inside, ball, weight, angle_deg),
        None if after is None else fit(inside, after, weight, angle_deg),
    )


def _rank(one: PotForTree, tree_id: int) -> tuple[bool, int, float]:
    """Free pots first, then as they fit what comes next; the closest of those that fit."""
    taken = one.on_shelf.tree is not None and one.on_shelf.tree.id != tree_id
    best = one.after or one.now
    return taken, ORDER.index(best.verdict), best.soil_l
