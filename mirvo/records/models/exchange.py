"""Origins of rows of other studios, experience others gave out, and tokens of programs."""

from __future__ import annotations

from datetime import date, datetime

from sqlalchemy import Index, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from mirvo.records.models.base import Table


class ForeignRow(Table):
    """Which row of this studio a row of another one became, so that it is known again.

    studio : the other's key. number : of the row there; own_number : of the row here.
    """

    __tablename__ = "foreign_rows"
    __table_args__ = (Index("ix_foreign_rows_table_name_own_number", "table_name", "own_number"),)
    studio: Mapped[str] = mapped_column(String(64), primary_key=True)
    table_name: Mapped[str] = mapped_column(String(40), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    own_number: Mapped[int]


class SharedExperience(Table):
    """What others' sessions on a species came to, as they gave it out. source : whose it is."""

    __tablename__ = "shared_experience"
    __table_args__ = (UniqueConstraint("source", "species_key"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    source: Mapped[str] = mapped_column(String(80))
    species_key: Mapped[str] = mapped_column(String(60), index=True)
    sessions: Mapped[int]
    median_share: Mapped[float | None]
    good: Mapped[int]
    fair: Mapped[int]
    poor: Mapped[int]
    died: Mapped[int]
    taken_in_on: Mapped[date]


class ApiToken(Table):
    """A program that may use the interface. token_hash : of what it shows; scopes : what it may."""

    __tablename__ = "api_tokens"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(60))
    token_hash: Mapped[str] = mapped_column(String(64), unique=True)
    scopes: Mapped[tuple[str, ...]] = mapped_column(default=tuple)
    created_at: Mapped[datetime]
    used_at: Mapped[datetime | None]
