"""People of a studio: who may sign in from other devices, on which they are, and how it ends.

A passphrase is kept as an argon2id proof. A browser that signed in shows a random token each time;
kept is only its hash, so that a copied database lets nobody in. Wrong tries make the next one
wait, by name and by address, longer each time.
"""

from __future__ import annotations

import secrets
from dataclasses import dataclass
from datetime import timedelta
from functools import cache
from hashlib import sha256
from threading import Lock
from typing import Annotated, Literal

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError
from pydantic import Field, StringConstraints
from sqlalchemy import func, select

from mirvo.core.errors import BadInput, MirvoError, NotFound
from mirvo.core.limits.base import Limits
from mirvo.records.database import DbSession
from mirvo.records.models import Person, SignIn
from mirvo.records.models.people import OWNER
from mirvo.studio.context import Studio
from mirvo.studio.yard.settings import put_yard

LEAST_LETTERS, MOST_LETTERS = 10, 200
MOST_PEOPLE = 30
TOKEN_BYTES = 32
# A device that was not used for so long is asked again.
LASTS = timedelta(days=180)
# When a device was last seen is told to the hour; it is not written for every page.
SEEN_AGAIN = timedelta(hours=1)
WRONG = "Name and passphrase do not go together."


class NotAllowed(MirvoError):
    """Somebody who is not signed in, or may not do this."""


class PersonFields(Limits):
    """A new person."""

    person_name: Annotated[
        str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)
    ]
    role: Literal["owner", "helper", "guest"] = "helper"
    passphrase: Annotated[str, Field(min_length=LEAST_LETTERS, max_length=MOST_LETTERS)]


@dataclass(frozen=True)
class SignedIn:
    """Who a request comes from. sign_in_id : of the device; None on the computer itself."""

    name: str
    role: str
    sign_in_id: int | None = None
    person_id: int | None = None


THIS_COMPUTER = SignedIn("", OWNER)


# One at a time: each takes much memory by design, and many at once would starve the pages.
_proving = Lock()


@cache
def _hasher() -> PasswordHasher:
    return PasswordHasher()


@cache
def _nobodys_proof() -> str:
    """So that an unknown name takes as long as a known one."""
    return _hasher().hash(secrets.token_hex(16))


def add_person(studio: Studio, form: PersonFields) -> None:
    """Let somebody sign in.

    Raises
    ------
    BadInput : the name is taken, or the first person is no owner.
    """
    with _proving:
        proof = _hasher().hash(form.passphrase)
    with studio.writing() as db:
        people = people_of(db)
        if not any(one.role == OWNER for one in people) and form.role != OWNER:
            raise BadInput("role", "The first person must be an owner.")
        if len(people) >= MOST_PEOPLE:
            raise BadInput("person_name", f"A studio takes {MOST_PEOPLE} people.")
        if any(one.name.casefold() == form.person_name.casefold() for one in people):
            raise BadInput("person_name", "There is somebody of that name.")
        db.add(Person(name=form.person_name, role=form.role, proof=proof, created_at=studio.now))


def remove_person(studio: Studio, person_id: int) -> None:
    """Let somebody in no longer; all their devices are signed out.

    Raises
    ------
    BadInput : it is the last owner while there are others, or the network is let in.
    """
    with studio.writing() as db:
        person = db.get(Person, person_id)
        if person is None:
            raise NotFound("person", "there is no such person")
        others = [one for one in people_of(db) if one.id != person_id]
        if others and not any(one.role == OWNER for one in others):
            raise BadInput("person_name", "The last owner goes last.")
        if not others:
            # Without people nobody could be told from anybody else.
            put_yard(db, reachable=False)
        db.delete(person)


def set_reachable(studio: Studio, reachable: bool) -> None:
    """Whether Mirvo answers other devices of the network from its next start on.

    Raises
    ------
    BadInput : there is no owner who could sign in.
    """
    with studio.writing() as db:
        if reachable and not has_owner(db):
            raise BadInput("reachable", "Add yourself as an owner first, with a passphrase.")
        put_yard(db, reachable=reachable)


def people_of(db: DbSession) -> list[Person]:
    return list(db.scalars(select(Person).order_by(Person.name)))


def has_owner(db: DbSession) -> bool:
    return bool(db.scalar(select(func.count()).where(Person.role == OWNER)))


def people_and_devices(db: DbSession) -> list[tuple[Person, list[SignIn]]]:
    """All people, and the devices each is signed in on, the last used first."""
    query = select(Person, SignIn).outerjoin(SignIn, SignIn.person_id == Person.id)
    found: dict[Person, list[SignIn]] = {}
    for person, device in db.execute(query.order_by(Person.name, SignIn.seen_at.desc())):
        devices = found.setdefault(person, [])
        if device is not None:
            devices.append(device)
    return list(found.items())


def sign_in(studio: Studio, name: str, passphrase: str, device: str, address: str) -> str:
    """The token of a device on which somebody has just signed in.

    Raises
    ------
    NotAllowed : name and passphrase do not go together, or it was tried too often.
    """
    keys = (f"name {name.strip().casefold()[:60]}", f"from {address}")
    now = studio.now
    wait = studio.throttle.wait_s(keys, now)
    if wait > 0:
        raise NotAllowed(f"Too many tries. The next one may be made in {wait:.0f} seconds.")
    with studio.reading() as db:
        people = people_of(db)
    wanted = name.strip().casefold()
    person = next((one for one in people if one.name.casefold() == wanted), None)
    if not _proves(_nobodys_proof() if person is None else person.proof, passphrase[:MOST_LETTERS]):
        studio.throttle.failed(keys, now)
        raise NotAllowed(WRONG)
    if person is None:
        raise NotAllowed(WRONG)
    studio.throttle.succeeded(keys)
    token = secrets.token_urlsafe(TOKEN_BYTES)
    with studio.writing() as db:
        db.add(
            SignIn(
                person_id=person.id,
                token_hash=_hash_of(token),
                device=device[:120] or "unknown device",
                began_at=now,
                seen_at=now,
            )
        )
    return token


def signed_in(studio: Studio, token: str) -> SignedIn | None:
    """Who shows a token; None for one that is not known, was ended or has lapsed."""
    now = studio.now
    query = (
        select(SignIn.id, SignIn.seen_at, SignIn.person_id, Person.name, Person.role)
        .join(Person, Person.id == SignIn.person_id)
        .where(SignIn.token_hash == _hash_of(token))
    )
    with studio.reading() as db:
        found = db.execute(query).first()
    if found is None or now - found.seen_at > LASTS:
        return None
    if now - found.seen_at > SEEN_AGAIN:
        with studio.writing() as db:
            row = db.get(SignIn, found.id)
            if row is not None:
                row.seen_at = now
    return SignedIn(found.name, found.role, found.id, found.person_id)


def end_sign_in(studio: Studio, sign_in_id: int) -> None:
    """Sign a device out. One that is not signed in stays so."""
    with studio.writing() as db:
        row = db.get(SignIn, sign_in_id)
        if row is not None:
            db.delete(row)


def _proves(proof: str, passphrase: str) -> bool:
    with _proving:
        try:
            return _hasher().verify(proof, passphrase)
        except (VerificationError, InvalidHashError):
            return False


def _hash_of(token: str) -> str:
    return sha256(token.encode("utf-8", "replace")).hexdigest()
