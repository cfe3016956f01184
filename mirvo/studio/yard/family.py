"""Families of trees: what came from what, by cutting, layer or offcut."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from datetime import date

from sqlalchemy import or_, select

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.limits.trees import GraftFields
from mirvo.core.measure.records import TopRecord
from mirvo.core.sentences import first_upper
from mirvo.records.database import DbSession, find_kept
from mirvo.records.models import Measurement, Tree, TreeGraft
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.set_aside import keep_deleted
from mirvo.studio.standing.tree_list import TreeRow, list_trees
from mirvo.studio.standing.tree_queries import FROM_ABOVE, load_tree

# A family larger or older than this is shown in part.
MOST_MEMBERS, MOST_GENERATIONS = 200, 12
DAYS_A_MONTH = 30.44
BATCH_STEP = 12


@dataclass(frozen=True)
class Member:
    """A tree of a family with those that came from it.

    months : it has been here; None where the day it came is not known.
    """

    row: TreeRow
    months: int | None
    children: tuple[Member, ...]

    @property
    def size(self) -> int:
        return 1 + sum(child.size for child in self.children)


@dataclass(frozen=True)
class Family:
    """eldest : the tree all others came from. choices : number and name of the trees this one may
    have come from. others : of all trees but this one, such as may have given it a graft."""

    tree: Tree
    eldest: Member
    choices: list[tuple[int, str]]
    others: list[tuple[int, str]]


def family_of(db: DbSession, tree_id: int, today: date) -> Family:
    """The family a tree belongs to. Raises NotFound."""
    rows = {row.tree.id: row for row in list_trees(db, today)}
    if tree_id not in rows:
        raise NotFound("tree", "there is no such tree")
    children: dict[int, list[TreeRow]] = defaultdict(list)
    for row in rows.values():
        if row.tree.parent_id in rows:
            children[row.tree.parent_id].append(row)
    eldest, seen = rows[tree_id], {tree_id}
    while eldest.tree.parent_id in rows and eldest.tree.parent_id not in seen:
        eldest = rows[eldest.tree.parent_id]
        seen.add(eldest.tree.id)
    left = [MOST_MEMBERS]

    def member(row: TreeRow, above: frozenset[int]) -> Member:
        left[0] -= 1
        came, line = row.tree.acquired_on, above | {row.tree.id}
        months = None if came is None else round((today - came).days / DAYS_A_MONTH)
        younger = children[row.tree.id] if len(line) < MOST_GENERATIONS else []
        below = (
            member(child, line) for child in younger if child.tree.id not in line and left[0] > 0
        )
        return Member(row, months, tuple(below))

    own = set(_numbers(member(rows[tree_id], frozenset())))
    left[0] = MOST_MEMBERS
    choices = [(number, row.tree.name) for number, row in rows.items() if number not in own]
    others = [(number, row.tree.name) for number, row in rows.items() if number != tree_id]
    return Family(rows[tree_id].tree, member(eldest, frozenset()), choices, others)


def _numbers(member: Member) -> list[int]:
    return [member.row.tree.id, *(n for child in member.children for n in _numbers(child))]


def set_parent(studio: Studio, tree_id: int, parent_id: int | None) -> None:
    """Say which tree a tree came from; None when it is none of these.

    Raises
    ------
    BadInput : that tree itself came from this one.
    """
    today = studio.today
    with studio.writing() as db:
        tree = load_tree(db, tree_id)
        if parent_id is not None:
            load_tree(db, parent_id)
            if parent_id not in dict(family_of(db, tree_id, today).choices):
                raise BadInput("parent_id", "that tree came from this one")
        tree.parent_id = parent_id


@dataclass(frozen=True)
class Graft:
    """A graft between trees, seen from one of them: `other` gave it, or bears it."""

    row: TreeGraft
    other: Tree | None
    given: bool


def grafts_of(db: DbSession, tree_id: int) -> list[Graft]:
    """Grafts a tree bears, then those it gave to others."""
    concerned = or_(TreeGraft.tree_id == tree_id, TreeGraft.donor_id == tree_id)
    rows = db.scalars(select(TreeGraft).where(concerned).order_by(TreeGraft.id)).all()
    ids = {number for row in rows for number in (row.tree_id, row.donor_id) if number}
    trees = {
        tree.id: tree for tree in db.scalars(select(Tree).where(Tree.id.in_(ids), Tree.kept()))
    }
    found = []
    for row in rows:
        given = row.tree_id != tree_id
        other = trees.get(row.tree_id if given else row.donor_id or 0)
        if other is not None or not given:
            found.append(Graft(row, other, given))
    return sorted(found, key=lambda graft: graft.given)


def add_graft(studio: Studio, tree_id: int, form: GraftFields) -> None:
    """Note a graft set on a tree. Raises BadInput at the field concerned."""
    if form.donor_id == tree_id:
        raise BadInput("donor_id", "a tree grafted with its own shoot has no other donor")
    form.check_days(studio.today)
    with studio.writing() as db:
        load_tree(db, tree_id)
        if form.donor_id is not None and find_kept(db, Tree, form.donor_id) is None:
            raise BadInput("donor_id", "there is no such tree")
        db.add(
            TreeGraft(
                tree_id=tree_id,
                donor_id=form.donor_id,
                kind=form.kind,
                grafted_on=form.grafted_on,
                place=form.place,
            )
        )


def drop_graft(studio: Studio, tree_id: int, graft_id: int) -> None:
    """Take the note of a graft back. Raises NotFound."""
    with studio.writing() as db:
        row = db.get(TreeGraft, graft_id)
        if row is None or row.tree_id != tree_id:
            raise NotFound("graft", "there is no such graft")
        name = load_tree(db, tree_id).name
        keep_deleted(db, studio.now, row, f"{first_upper(row.kind)} on {name}")


@dataclass(frozen=True)
class BatchTree:
    """A tree of a batch and what was measured of it, by the month it was measured nearest to."""

    row: TreeRow
    at_months: dict[int, TopRecord]


@dataclass(frozen=True)
class Batch:
    """Trees started together. months : since their start, at which any of them was measured."""

    name: str
    trees: list[BatchTree]
    months: list[int]


def batch_of(db: DbSession, tree: Tree, today: date) -> Batch | None:
    """The batch of a tree, each tree of it at equal months since it began; None without one."""
    if not tree.batch:
        return None
    rows = [row for row in list_trees(db, today) if row.tree.batch == tree.batch]
    began = {row.tree.id: row.tree.acquired_on for row in rows if row.tree.acquired_on}
    query = (
        select(Measurement)
        .where(Measurement.tree_id.in_(began), FROM_ABOVE, Measurement.kept())
        .order_by(Measurement.measured_on, Measurement.id)
    )
    measured: dict[int, dict[int, TopRecord]] = defaultdict(dict)
    for taken in db.scalars(query):
        start = began[taken.tree_id]
        if taken.top is not None and start is not None:
            age = (taken.measured_on - start).days / DAYS_A_MONTH
            # Half a year either way is the same age to a trunk.
            measured[taken.tree_id][round(age / BATCH_STEP) * BATCH_STEP] = taken.top
    trees = [BatchTree(row, measured[row.tree.id]) for row in rows]
    months = sorted({month for one in trees for month in one.at_months})
    return Batch(tree.batch, trees, months)
