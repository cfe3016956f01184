"""Tokens: programs that may read or write the records, and what each may."""

from __future__ import annotations

import secrets
from dataclasses import dataclass
from datetime import timedelta
from hashlib import sha256

from sqlalchemy import func, select

from mirvo.core.errors import BadInput, NotFound
from mirvo.records.database import DbSession
from mirvo.records.models import ApiToken
from mirvo.studio.ground.context import Studio

READ, WRITE, NIGHTS, WEIGHINGS, PHOTOS = "read", "write", "nights", "weighings", "photos"
SCOPES = {
    READ: "read all records",
    WRITE: "add and change trees, sessions, tasks and pots",
    NIGHTS: "write the minima of nights, such as a thermometer",
    WEIGHINGS: "write weights into a running session, such as a scale",
    PHOTOS: "add photos, such as a camera",
}
MARK, BYTES = "mirvo_", 32
MOST_TOKENS = 50
# When it was used last is of interest by the hour, and each note of it is a write.
NOTED_EVERY = timedelta(hours=1)


@dataclass(frozen=True)
class Caller:
    """A program that showed its token, and what it may."""

    name: str
    scopes: frozenset[str]


def make_token(studio: Studio, name: str, scopes: list[str]) -> str:
    """A new token. It is shown this once; only what it is checked against is kept.

    Raises
    ------
    BadInput : it has no name, or may do nothing.
    """
    name = " ".join(name.split())[:60]
    if not name:
        raise BadInput("token_name", "Give the program a name.")
    chosen = tuple(scope for scope in SCOPES if scope in scopes)
    if not chosen:
        raise BadInput("scopes", "Tick what it may do.")
    token = MARK + secrets.token_urlsafe(BYTES)
    with studio.writing() as db:
        if (db.scalar(select(func.count()).select_from(ApiToken)) or 0) >= MOST_TOKENS:
            raise BadInput("token_name", f"There are {MOST_TOKENS} tokens; withdraw one first.")
        row = ApiToken(name=name, token_hash=_hash(token), scopes=chosen, created_at=studio.now)
        db.add(row)
    return token


def tokens(db: DbSession) -> list[ApiToken]:
    """All tokens, the newest first."""
    return list(db.scalars(select(ApiToken).order_by(ApiToken.id.desc())))


def withdraw_token(studio: Studio, token_id: int) -> None:
    """A token opens nothing any more. Raises NotFound."""
    with studio.writing() as db:
        row = db.get(ApiToken, token_id)
        if row is None:
            raise NotFound("token", "there is no such token")
        db.delete(row)


def caller_of(studio: Studio, token: str) -> Caller | None:
    """Whose token this is; None of one that was withdrawn, or never was."""
    asked = select(ApiToken).where(ApiToken.token_hash == _hash(token))
    with studio.reading() as db:
        row = db.scalar(asked)
    if row is None:
        return None
    if row.used_at is None or studio.now - row.used_at >= NOTED_EVERY:
        with studio.writing() as db:
            again = db.get(ApiToken, row.id)
            if again is not None:
                again.used_at = studio.now
    return Caller(row.name, frozenset(row.scopes or ()))


def _hash(token: str) -> str:
    # It is long and random, so that a plain digest tells nothing of it.
    return sha256(token.encode("utf-8", "replace")).hexdigest()
