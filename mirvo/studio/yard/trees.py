"""Trees: the list, adding, editing without overwriting one another."""

from __future__ import annotations

from datetime import date

from sqlalchemy import select

from mirvo.core.errors import BadInput, Conflict
from mirvo.core.limits.trees import STRENGTHS, TreeFields
from mirvo.core.season import BUD_STAGES
from mirvo.records.database import DbSession, find_kept
from mirvo.records.models import Tree, Yard
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import SAVED_ELSEWHERE, yard_of
from mirvo.studio.ground.state_cache import kept_for_all
from mirvo.studio.records.aftercare import replan_care
from mirvo.studio.standing.species import all_species
from mirvo.studio.standing.tree_queries import load_tree


def _check(yard: Yard, form: TreeFields, today: date) -> None:
    form.check_species({species.key for species in all_species(yard)})
    form.check_days(today)


def add_tree(studio: Studio, form: TreeFields) -> Tree:
    """Add a tree. Raises BadInput at the field concerned."""
    tree = Tree(**form.model_dump(), created_at=studio.now, updated_at=studio.now, version=1)
    with studio.writing() as db:
        _check(yard_of(db), form, studio.today)
        db.add(tree)
    return tree


def offspring(db: DbSession, tree: Tree, today: date) -> tuple[Tree | None, tuple[Tree, ...]]:
    """The tree an offcut came from, and the trees kept from this one's offcuts."""
    parent = None if tree.parent_id is None else find_kept(db, Tree, tree.parent_id)
    return parent, _all_offspring(db, today).get(tree.id, ())


@kept_for_all
def _all_offspring(db: DbSession, today: date) -> dict[int, tuple[Tree, ...]]:
    """Trees kept from offcuts, by the number of the tree they came from."""
    query = select(Tree).where(Tree.parent_id.is_not(None), Tree.kept()).order_by(Tree.id)
    found: dict[int, tuple[Tree, ...]] = {}
    for child in db.scalars(query):
        if child.parent_id is not None:
            found[child.parent_id] = (*found.get(child.parent_id, ()), child)
    return found


def edit_tree(studio: Studio, tree_id: int, form: TreeFields, version: int) -> Tree:
    """Save an edit begun on `version`. Raises Conflict when it was saved since."""
    with studio.writing() as db:
        _check(yard_of(db), form, studio.today)
        tree = load_tree(db, tree_id)
        # Two tabs: the second to save is shown both, and decides.
        if tree.version != version:
            raise Conflict("version", SAVED_ELSEWHERE.format("This tree was"))
        if form.strength != tree.strength:
            # Said anew, with all that was found until today in mind.
            tree.strength_said_on = studio.today
        for name, value in form.model_dump().items():
            setattr(tree, name, value)
        tree.version, tree.updated_at = version + 1, studio.now
        # Species, glass and strength move its aftercare.
        replan_care(db, tree, studio.today)
    return tree


def see_buds(studio: Studio, tree_id: int, stage: str) -> None:
    """Keep what the buds of a tree look like today; "" takes it back.

    Raises
    ------
    BadInput : a stage Mirvo does not know.
    """
    if stage and stage not in BUD_STAGES:
        raise BadInput("buds", f"'{stage}' is not one of {', '.join(BUD_STAGES)}")
    with studio.writing() as db:
        tree = load_tree(db, tree_id)
        # What was seen holds for its day; without a stage there is no day.
        tree.buds_seen, tree.buds_seen_on = stage, studio.today if stage else None
        replan_care(db, tree, studio.today)


def say_strength(studio: Studio, tree_id: int, strength: str) -> None:
    """Say how strong a tree is, with all that was found until today in mind.

    Raises
    ------
    BadInput : a word Mirvo does not know.
    """
    if strength not in STRENGTHS:
        raise BadInput("strength", f"'{strength}' is not one of {', '.join(STRENGTHS)}")
    with studio.writing() as db:
        tree = load_tree(db, tree_id)
        tree.strength, tree.strength_said_on = strength, studio.today
        tree.updated_at, tree.version = studio.now, tree.version + 1
