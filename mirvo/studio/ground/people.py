"""People of a studio: who may sign in from other devices, on which they are, and how it ends.

A passphrase is kept as an argon2id proof. A browser that signed in shows a random token each time;
kept is only its hash, so that a copied database lets nobody in. Every try counts before it is
proven; wrong ones make the next one wait, by name and address together, longer each time.
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
from itsdangerous import BadSignature, URLSafeSerializer
from pydantic import Field, StringConstraints
from sqlalchemy import delete, func, select

from mirvo.core.complaints import must_be
from mirvo.core.errors import BadInput, MirvoError, NotFound
from mirvo.core.limits.base import Limits
from mirvo.records.database import DbSession
from mirvo.records.models import Person, SignIn
from mirvo.records.models.people import OWNER, ROLES
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import put_yard
from mirvo.studio.ground.throttle import FREE_FROM_ADDRESS, FREE_TRIES, network_of

LEAST_LETTERS, MOST_LETTERS = 10, 200
MOST_PEOPLE = 30
TOKEN_BYTES = 32
# A device that was not used for so long is asked again.
LASTS = timedelta(days=180)
# When a device was last seen is told to the hour; it is not written for every page.
SEEN_AGAIN = timedelta(hours=1)
WRONG = "Name and passphrase do not go together."
WRONG_CODE = "Name and code do not go together, or the code has lapsed. Ask an owner for a new one."
# Letters nobody takes for another, in groups that are read out easily.
CODE_LETTERS, CODE_PART, CODE_PARTS = "ABCDEFGHJKMNPQRSTUVWXYZ23456789", 4, 3
CODE_LASTS = timedelta(days=1)


class NotAllowed(MirvoError):
    """Somebody who is not signed in, or may not do this."""


class PersonFields(Limits):
    """A new person."""

    person_name: Annotated[
        str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)
    ]
    role: Literal["owner", "helper", "guest"] = "helper"
    passphrase: Annotated[str, Field(min_length=LEAST_LETTERS, max_length=MOST_LETTERS)]


class PassphraseFields(Limits):
    """One's own passphrase, as it is and as it is to be."""

    now: Annotated[str, Field(max_length=MOST_LETTERS)]
    passphrase: Annotated[str, Field(min_length=LEAST_LETTERS, max_length=MOST_LETTERS)]


class ResetFields(Limits):
    """A new passphrase, by the code an owner gave."""

    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)]
    code: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)]
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
        person = _person(db, person_id)
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


def change_role(studio: Studio, person_id: int, role: str) -> None:
    """Let somebody do more, or less, from their next page on.

    Raises
    ------
    NotFound : there is no such person. BadInput : no such role, or the last owner would go.
    """
    if role not in ROLES:
        raise BadInput("role", must_be(ROLES))
    with studio.writing() as db:
        person = _person(db, person_id)
        others = [one for one in people_of(db) if one.id != person_id]
        if role != OWNER and not any(one.role == OWNER for one in others):
            raise BadInput("role", "Make somebody else an owner first: this is the last one.")
        person.role = role


def make_reset_code(studio: Studio, person_id: int) -> str:
    """A code by which somebody chooses a new passphrase once, within a day.

    It is shown this once; only what it is checked against is kept. Raises NotFound.
    """
    code = "-".join(
        "".join(secrets.choice(CODE_LETTERS) for _ in range(CODE_PART)) for _ in range(CODE_PARTS)
    )
    with studio.writing() as db:
        person = _person(db, person_id)
        person.reset_hash, person.reset_until = _hash_of(_code(code)), studio.now + CODE_LASTS
    return code


def reset_passphrase(studio: Studio, form: ResetFields, address: str) -> None:
    """Choose a new passphrase by a code; all devices of the person are signed out.

    Raises
    ------
    NotAllowed : name and code do not go together, the code has lapsed, or it was tried too often.
    """
    keys = _keys(form.name, address, None)
    _begin_try(studio, keys)
    with studio.reading() as db:
        person = _named(db, form.name)
        known = person is not None and person.reset_until is not None
        right = (
            person is not None
            and known
            and secrets.compare_digest(person.reset_hash, _hash_of(_code(form.code)))
            and (person.reset_until or studio.now) > studio.now
        )
    if person is None or not right:
        raise NotAllowed(WRONG_CODE)
    with _proving:
        proof = _hasher().hash(form.passphrase)
    with studio.writing() as db:
        row = _person(db, person.id)
        row.proof, row.reset_hash, row.reset_until = proof, "", None
        db.execute(delete(SignIn).where(SignIn.person_id == person.id))
    studio.throttle.succeeded(keys)


def change_passphrase(studio: Studio, person: SignedIn, form: PassphraseFields) -> None:
    """Change one's own passphrase; the other devices one is signed in on are signed out.

    Raises
    ------
    BadInput : the present one is not right. NotAllowed : it was tried too often.
    """
    if person.person_id is None:
        raise BadInput("now", "Whoever sits at this computer has no passphrase.")
    keys = {f"own {person.person_id}": FREE_TRIES}
    _begin_try(studio, keys)
    with studio.reading() as db:
        proof = _person(db, person.person_id).proof
    if not _proves(proof, form.now):
        raise BadInput("now", "This is not your present passphrase. Nothing was changed.")
    with _proving:
        fresh = _hasher().hash(form.passphrase)
    with studio.writing() as db:
        row = _person(db, person.person_id)
        row.proof, row.reset_hash, row.reset_until = fresh, "", None
        others = delete(SignIn).where(SignIn.person_id == person.person_id)
        db.execute(others.where(SignIn.id != (person.sign_in_id or 0)))
    studio.throttle.succeeded(keys)


@dataclass(frozen=True)
class NewSignIn:
    """A device somebody has just signed in on. token : what its browser shows from now on;
    known : by which it is known again when it signs in anew."""

    token: str
    known: str


def sign_in(
    studio: Studio, name: str, passphrase: str, device: str, address: str, known: str = ""
) -> NewSignIn:
    """Sign somebody in on a device.

    known : what the device was given at an earlier sign-in of the same person; wrong tries made
    elsewhere never make it wait.

    Raises
    ------
    NotAllowed : name and passphrase do not go together, or it was tried too often.
    """
    keys = _keys(name, address, _known_device(studio, name, known))
    _begin_try(studio, keys)
    with studio.reading() as db:
        person = _named(db, name)
    if not _proves(_nobodys_proof() if person is None else person.proof, passphrase[:MOST_LETTERS]):
        raise NotAllowed(WRONG)
    if person is None:
        raise NotAllowed(WRONG)
    studio.throttle.succeeded(keys)
    token, now = secrets.token_urlsafe(TOKEN_BYTES), studio.now
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
    return NewSignIn(token, _signer(studio).dumps([person.id, secrets.token_hex(8)]))


def _signer(studio: Studio) -> URLSafeSerializer:
    return URLSafeSerializer(studio.secret, salt="known device")


def _known_device(studio: Studio, name: str, shown: str) -> str | None:
    """The name of a device a person signed in on before; None of any other."""
    try:
        number, device = _signer(studio).loads(shown)
    except (BadSignature, ValueError, TypeError):
        return None
    with studio.reading() as db:
        person = _named(db, name)
    return str(device) if person is not None and person.id == number else None


def _keys(name: str, address: str, known: str | None) -> dict[str, int]:
    """What a try is counted by, and how many of each are free."""
    if known is not None:
        return {f"device {known}": FREE_TRIES}
    where = network_of(address)
    wanted = name.strip().casefold()[:60]
    return {f"{where} as {wanted}": FREE_TRIES, f"from {where}": FREE_FROM_ADDRESS}


def _begin_try(studio: Studio, keys: dict[str, int]) -> None:
    wait = studio.throttle.begin(keys)
    if wait > 0:
        raise NotAllowed(f"Too many tries. Try again in {max(1, round(wait))} seconds.")


def _named(db: DbSession, name: str) -> Person | None:
    wanted = name.strip().casefold()
    return next((one for one in people_of(db) if one.name.casefold() == wanted), None)


def _person(db: DbSession, person_id: int) -> Person:
    person = db.get(Person, person_id)
    if person is None:
        raise NotFound("person", "there is no such person")
    return person


def _code(typed: str) -> str:
    """A code as it is checked: however it was written."""
    return "".join(letter for letter in typed.upper() if letter in CODE_LETTERS)


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


def end_sign_in(studio: Studio, sign_in_id: int, of_person: int | None = None) -> None:
    """Sign a device out. One that is not signed in stays so. of_person : only if it is theirs."""
    with studio.writing() as db:
        row = db.get(SignIn, sign_in_id)
        if row is not None and of_person in (None, row.person_id):
            db.delete(row)


def devices_of(db: DbSession, person_id: int) -> list[SignIn]:
    """The devices somebody is signed in on, the last used first."""
    query = select(SignIn).where(SignIn.person_id == person_id)
    return list(db.scalars(query.order_by(SignIn.seen_at.desc())))


def _proves(proof: str, passphrase: str) -> bool:
    with _proving:
        try:
            return _hasher().verify(proof, passphrase)
        except (VerificationError, InvalidHashError):
            return False


def _hash_of(token: str) -> str:
    return sha256(token.encode("utf-8", "replace")).hexdigest()
