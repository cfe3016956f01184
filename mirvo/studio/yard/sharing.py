"""Trees that others may look at: by guests who sign in, and by a link that can be withdrawn."""

from __future__ import annotations

import secrets
from collections.abc import Iterable
from typing import Any

from sqlalchemy import delete, select

from mirvo.core.errors import NotFound
from mirvo.records.database import DbSession
from mirvo.records.models import (
    GuestTree,
    Measurement,
    Person,
    Photo,
    RootSession,
    SharedTree,
    Tree,
)
from mirvo.records.models.people import GUEST, SHOWN_PARTS
from mirvo.studio.ground.context import Studio
from mirvo.studio.standing.tree_queries import load_tree

SECRET_BYTES = 24
# What stands in an address, and the table its number is of.
OF_TREES: dict[str, type[Any]] = {
    "photos": Photo,
    "sessions": RootSession,
    "measurements": Measurement,
}


def share_tree(studio: Studio, tree_id: int) -> str:
    """The secret of a tree's link; the one it has, or a new one."""
    with studio.writing() as db:
        load_tree(db, tree_id)
        row = db.get(SharedTree, tree_id)
        if row is None:
            secret = secrets.token_urlsafe(SECRET_BYTES)
            row = SharedTree(tree_id=tree_id, secret=secret, shared_at=studio.now)
            db.add(row)
        return row.secret


def show_parts(studio: Studio, tree_id: int, parts: Iterable[str]) -> None:
    """What of a tree is shown to whoever has its link. Raises NotFound without a link."""
    with studio.writing() as db:
        row = db.get(SharedTree, tree_id)
        if row is None:
            raise NotFound("link", "this tree has no link")
        chosen = set(parts)
        row.parts = tuple(part for part in SHOWN_PARTS if part in chosen)


def withdraw_link(studio: Studio, tree_id: int) -> None:
    """The link of a tree leads nowhere from now on; a new one will be another."""
    with studio.writing() as db:
        db.execute(delete(SharedTree).where(SharedTree.tree_id == tree_id))


def link_of(db: DbSession, tree_id: int) -> SharedTree | None:
    return db.get(SharedTree, tree_id)


def tree_behind(db: DbSession, secret: str) -> tuple[Tree, frozenset[str]]:
    """The tree a link leads to, and what of it is shown.

    Raises
    ------
    NotFound : for a link that was withdrawn, or never was.
    """
    found = db.execute(
        select(Tree, SharedTree)
        .join(SharedTree, SharedTree.tree_id == Tree.id)
        .where(SharedTree.secret == secret, Tree.kept())
    ).first()
    if found is None:
        raise NotFound("link", "this link was withdrawn, or is not whole")
    tree, link = found
    return tree, frozenset(link.parts or ())


def guests_of(db: DbSession, tree_id: int) -> list[tuple[Person, bool]]:
    """All guests, each with whether they see a tree."""
    seen = set(db.scalars(select(GuestTree.person_id).where(GuestTree.tree_id == tree_id)))
    guests = db.scalars(select(Person).where(Person.role == GUEST).order_by(Person.name))
    return [(guest, guest.id in seen) for guest in guests]


def let_guests_see(studio: Studio, tree_id: int, person_ids: Iterable[int]) -> None:
    """These guests see a tree from now on, and no others."""
    with studio.writing() as db:
        load_tree(db, tree_id)
        known = set(db.scalars(select(Person.id).where(Person.role == GUEST)))
        db.execute(delete(GuestTree).where(GuestTree.tree_id == tree_id))
        for person_id in known & set(person_ids):
            db.add(GuestTree(person_id=person_id, tree_id=tree_id))


def trees_seen_by(db: DbSession, person_id: int) -> list[Tree]:
    """The trees a guest may look at."""
    query = (
        select(Tree)
        .join(GuestTree, GuestTree.tree_id == Tree.id)
        .where(GuestTree.person_id == person_id, Tree.kept())
    )
    return list(db.scalars(query.order_by(Tree.name, Tree.id)))


def guest_sees(db: DbSession, person_id: int, kind: str, number: int) -> bool:
    """Whether what an address names belongs to a tree a guest may look at.

    kind : trees, or a word of `OF_TREES`.
    """
    tree_id: int | None = number
    if kind in OF_TREES:
        row = db.get(OF_TREES[kind], number)
        tree_id = None if row is None else row.tree_id
    return tree_id is not None and db.get(GuestTree, (person_id, tree_id)) is not None
