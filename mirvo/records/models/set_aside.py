"""What was taken out of the records and can be put back: deleted rows, and values beyond limits."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import String
from sqlalchemy.orm import Mapped, mapped_column

from mirvo.records.models.base import OWN_NUMBERS, Table, one_of
from mirvo.records.set_aside import BEYOND_LIMITS, DELETED

SET_ASIDE_WHY = (DELETED, BEYOND_LIMITS)


class SetAside(Table):
    """A row with all that hangs on it, or one value of a row that stayed.

    table_name, row_number : where it stood. column_name : whose value is wrong, "" for a row that
    somebody deleted. value : that value as JSON, where the row stayed with its default in place of
    it. rows : of whole rows, see `records.set_aside`. sentence : what is wrong with it.
    """

    __tablename__ = "set_aside"
    __table_args__ = (one_of("why", SET_ASIDE_WHY), OWN_NUMBERS)
    id: Mapped[int] = mapped_column(primary_key=True)
    why: Mapped[str] = mapped_column(String(10))
    table_name: Mapped[str] = mapped_column(String(40))
    row_number: Mapped[int]
    column_name: Mapped[str] = mapped_column(String(40), default="")
    value: Mapped[str] = mapped_column(default="null")
    rows: Mapped[str] = mapped_column(default="null")
    label: Mapped[str] = mapped_column(String(200), default="")
    sentence: Mapped[str] = mapped_column(String(300), default="")
    set_aside_at: Mapped[datetime]
