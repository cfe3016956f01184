"""Sessions while they run at the bench: entries and photos as they come in."""

from datetime import datetime
from typing import Any

from sqlalchemy import (
    ForeignKey,
    Index,
    String,
)
from sqlalchemy.orm import Mapped, mapped_column

from mirvo.records.columns import AnyValue
from mirvo.records.models.base import CASCADE, OWN_NUMBERS, SET_NULL, Table


class BenchSession(Table):
    """A root session while it runs at the bench; closing it writes a `RootSession`."""

    __tablename__ = "bench_sessions"
    __table_args__ = OWN_NUMBERS
    id: Mapped[int] = mapped_column(primary_key=True)
    tree_id: Mapped[int] = mapped_column(ForeignKey("trees.id", ondelete=CASCADE), index=True)
    kind: Mapped[str] = mapped_column(String(20))
    begun_at: Mapped[datetime]
    closed_at: Mapped[datetime | None]
    session_id: Mapped[int | None] = mapped_column(
        ForeignKey("root_sessions.id", ondelete=SET_NULL), index=True
    )


class BenchEntry(Table):
    """One thing entered at the bench. The browser names it, so that handing it over twice
    keeps it once; of several for one field the last entered counts."""

    __tablename__ = "bench_entries"
    __table_args__ = (
        Index("ix_bench_entries_bench_session_id_entered_at", "bench_session_id", "entered_at"),
    )
    id: Mapped[str] = mapped_column(String(40), primary_key=True)
    bench_session_id: Mapped[int] = mapped_column(ForeignKey("bench_sessions.id", ondelete=CASCADE))
    # Of two entries of one moment, the one that came later counts.
    number: Mapped[int]
    field: Mapped[str] = mapped_column(String(60))
    # Its shape hangs on the field; it was checked when it came.
    value: Mapped[Any] = mapped_column(AnyValue, nullable=True)
    entered_at: Mapped[datetime]


class BenchPhoto(Table):
    """A photo taken at a step of a bench session, named by the browser as entries are."""

    __tablename__ = "bench_photos"
    id: Mapped[str] = mapped_column(String(40), primary_key=True)
    bench_session_id: Mapped[int] = mapped_column(
        ForeignKey("bench_sessions.id", ondelete=CASCADE), index=True
    )
    photo_id: Mapped[int] = mapped_column(ForeignKey("photos.id", ondelete=CASCADE), index=True)
    step: Mapped[str] = mapped_column(String(20))
