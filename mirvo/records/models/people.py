"""Who may use this studio from other devices, and the devices they are signed in on."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import ForeignKey, String
from sqlalchemy.orm import Mapped, mapped_column

from mirvo.records.models.base import CASCADE, Table, one_of

OWNER, HELPER, GUEST = "owner", "helper", "guest"
ROLES = (OWNER, HELPER, GUEST)
# What of a tree can be shown to whoever has its link.
SHOWN_PARTS = ("drawing", "figures", "photos", "sessions", "target", "provenance")


class Person(Table):
    """Somebody who signs in. proof : what a passphrase is checked against, never the words."""

    __tablename__ = "people"
    __table_args__ = (one_of("role", ROLES),)
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(60), unique=True)
    role: Mapped[str] = mapped_column(String(10))
    proof: Mapped[str] = mapped_column(String(200))
    # Of a code by which a new passphrase can be chosen once, until then.
    reset_hash: Mapped[str] = mapped_column(String(64), default="")
    reset_until: Mapped[datetime | None]
    created_at: Mapped[datetime]


class SignIn(Table):
    """One device somebody is signed in on. token_hash : of what its browser shows each time."""

    __tablename__ = "sign_ins"
    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id", ondelete=CASCADE), index=True)
    token_hash: Mapped[str] = mapped_column(String(64), unique=True)
    device: Mapped[str] = mapped_column(String(120))
    began_at: Mapped[datetime]
    seen_at: Mapped[datetime]


class GuestTree(Table):
    """A tree a guest may look at."""

    __tablename__ = "guest_trees"
    person_id: Mapped[int] = mapped_column(
        ForeignKey("people.id", ondelete=CASCADE), primary_key=True
    )
    tree_id: Mapped[int] = mapped_column(
        ForeignKey("trees.id", ondelete=CASCADE), primary_key=True, index=True
    )


class SharedTree(Table):
    """A tree anybody may look at who has its link; secret : what stands in the link. parts : of
    the tree that are shown."""

    __tablename__ = "shared_trees"
    tree_id: Mapped[int] = mapped_column(ForeignKey("trees.id", ondelete=CASCADE), primary_key=True)
    secret: Mapped[str] = mapped_column(String(40), unique=True)
    shared_at: Mapped[datetime]
    parts: Mapped[tuple[str, ...]] = mapped_column(default=lambda: SHOWN_PARTS)
