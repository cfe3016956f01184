"""Columns whose values are checked when they are read: a page goes on without what nobody can read.

Documents are kept with the version of their shape; days, moments and numbers as by the database.
"""

from __future__ import annotations

import json
import logging
from collections.abc import Callable
from datetime import date, datetime
from functools import lru_cache
from typing import Any, Generic, TypeVar, get_origin

from pydantic import TypeAdapter, ValidationError
from sqlalchemy import JSON, Date, DateTime, Dialect, Double, Integer, String, Text
from sqlalchemy.types import TypeDecorator, TypeEngine

from mirvo.core.errors import Damaged
from mirvo.core.limits.base import FIRST_DAY, LAST_DAY
from mirvo.core.typed_values import plain_text

Document = TypeVar("Document")
Value = TypeVar("Value")
Kept = dict[str, Any]
Upgrade = Callable[[Kept], Kept]
VERSION = "version"
# No length, weight, share or price is greater; what is reckoned with it stays finite.
MOST = 1e9
# Nothing was kept before, and a moment after could not be told in another zone.
FIRST_YEAR, LAST_YEAR = 1970, 9998
log = logging.getLogger(__name__)


class ReadableColumn(TypeDecorator[Value], Generic[Value]):
    """A value that is passed over where nobody can read it.

    required : it has to be there, so that one nobody can read counts as `instead`, the least there
    is, for all to see; any other counts as none.
    """

    cache_ok = True
    instead: Value
    # Of this type a value is read as it is.
    plain: type | None = None

    def __init__(self, required: bool = False) -> None:
        super().__init__()
        self.required = required

    def result_processor(self, dialect: Dialect, coltype: object) -> Any:
        read: Any = super().result_processor(dialect, coltype) or self.checked
        plain, instead = self.plain, self.instead if self.required else None

        def readable(value: Any) -> Any:
            # Nearly every value of a page, and there are thousands.
            if value is None or type(value) is plain:
                return value
            try:
                return read(value)
            except (ValueError, TypeError, RecursionError) as error:
                log.warning("a kept value cannot be read: %s", error)
                return instead

        return readable

    @staticmethod
    def checked(value: Any) -> Any:
        """A value as the driver read it. Raises ValueError."""
        return value


class Day(ReadableColumn[date]):
    """A day something was, or is to be."""

    impl = Date
    cache_ok = True
    instead = date.min

    def result_processor(self, dialect: Dialect, coltype: object) -> Any:
        read = super().result_processor(dialect, coltype)
        instead = self.instead if self.required else None

        def bounded(value: Any) -> Any:
            found = read(value)
            # Nothing is reckoned with a day beyond all limits: a week after it may be none.
            if found is None or FIRST_DAY <= found <= LAST_DAY:
                return found
            log.warning("a kept day lies beyond all limits: %s", found)
            return instead

        return bounded


class Moment(ReadableColumn[datetime]):
    """When something was kept, UTC, in a year computers had; a zone written beside it is passed
    over."""

    impl = DateTime
    cache_ok = True
    instead = datetime(FIRST_YEAR, 1, 1)

    def result_processor(self, dialect: Dialect, coltype: object) -> Any:
        read = super().result_processor(dialect, coltype)
        instead = self.instead if self.required else None

        def zoneless(value: Any) -> Any:
            found = read(value)
            if found is None:
                return found
            # Moments are compared, and one with a zone can only be with its like.
            return found.replace(tzinfo=None) if FIRST_YEAR <= found.year <= LAST_YEAR else instead

        return zoneless


class Number(ReadableColumn[float]):
    """A number from -MOST to MOST."""

    impl = Double
    cache_ok = True
    instead = 0.0

    @staticmethod
    def checked(value: Any) -> Any:
        if type(value) in (float, int) and -MOST <= value <= MOST:
            return value
        raise ValueError(f"no number: {value!r:.40}")


class Count(ReadableColumn[int]):
    """A whole number."""

    impl = Integer
    cache_ok = True
    instead = 0
    plain = int

    @staticmethod
    def checked(value: Any) -> Any:
        raise ValueError(f"no whole number: {value!r:.40}")


class Words(ReadableColumn[str]):
    """Text; of bytes what is text."""

    impl = String
    cache_ok = True
    instead = ""
    plain = str

    def __init__(self, length: int | None = None, required: bool = False) -> None:
        TypeDecorator.__init__(self, length)
        self.length, self.required = length, required

    @staticmethod
    def checked(value: Any) -> Any:
        if isinstance(value, bytes):
            return plain_text(value.decode("utf-8", "replace"))
        raise ValueError(f"no text: {value!r:.40}")


class AnyValue(ReadableColumn[Any]):
    """A value whose shape hangs on another column, as JSON."""

    impl = JSON
    cache_ok = True
    instead = None


class DayOfYear(TypeDecorator[str]):
    """A day of any year, MM-DD. usual : what one that nobody can read counts as."""

    impl = String(5)
    cache_ok = True

    def __init__(self, usual: str) -> None:
        super().__init__()
        self.usual = usual

    def process_result_value(self, value: str | None, dialect: Dialect) -> str:
        if not value and not self.usual:
            return ""
        try:
            month, day = (int(part) for part in (value or "").split("-"))
            # A year with a leap day: a day of some years is one.
            return f"{date(2000, month, day):%m-%d}"
        except (ValueError, TypeError) as error:
            log.warning("a kept day of the year cannot be read: %s", error)
            return self.usual


def plain_type(kind: TypeEngine[Any]) -> TypeEngine[Any]:
    """What a column that checks what it reads keeps it as; any other type as it is."""
    return kind.impl_instance if isinstance(kind, (ReadableColumn, DayOfYear)) else kind


class PydanticColumn(TypeDecorator[Document], Generic[Document]):
    """A document of one Pydantic type, kept as JSON with the version of its shape.

    Parameters
    ----------
    kind : the type it is checked against. version : of that type's shape; raise it when a
    name changes, and give the step from the version before.
    upgrades : by version, the step from it to the next.
    when_damaged : "none" reads a document nobody can use as nothing, so that the page it
    stands on goes on, a list or dict as an empty one; "refuse" raises `Damaged`, for what must
    not be written over.
    exactly : keep just the names that were given, so that what came is what is kept.
    shared : so many of those read last are given out again as they are, for documents nobody can
    change: most pages of a tree read the same ones.
    """

    impl = Text
    cache_ok = True

    def __init__(
        self,
        kind: Any,
        version: int = 1,
        upgrades: dict[int, Upgrade] | None = None,
        when_damaged: str = "none",
        exactly: bool = False,
        shared: int = 0,
    ) -> None:
        super().__init__()
        self.kind, self.version, self.when_damaged = kind, version, when_damaged
        self.upgrades = tuple((upgrades or {}).items())  # hashable, for the statement cache
        self.exactly = exactly
        shape = get_origin(kind)
        self.nothing: Any = shape() if shape in (dict, tuple) else None
        self.adapter: TypeAdapter[Document] = TypeAdapter(kind)
        self.read = lru_cache(shared)(self._read) if shared else self._read

    def process_bind_param(self, value: Document | None, dialect: Dialect) -> str | None:
        if value is None:
            return None
        # As JSON types: what is kept can be read by anything.
        body = self.adapter.dump_python(value, mode="json", exclude_unset=self.exactly)
        return json.dumps({VERSION: self.version, "body": body}, ensure_ascii=False)

    def process_result_value(self, value: str | None, dialect: Dialect) -> Document | None:
        if value is None:
            return None
        try:
            return self.read(value)
        except (ValueError, KeyError, TypeError, ValidationError) as error:
            reason = f"a kept {getattr(self.kind, '__name__', self.kind)} cannot be read"
            if self.when_damaged == "refuse":
                raise Damaged("record", f"{reason}; it is kept as it is") from error
            # A page with a gap is better than no page; the log says what to look into.
            log.warning("%s: %s", reason, error)
            return self.nothing  # type: ignore[no-any-return]

    def can_read(self, value: str | None) -> bool:
        """Whether a document as it is kept can be used."""
        try:
            return value is None or self.read(value) is not None
        except (ValueError, KeyError, TypeError):
            return False

    def _read(self, value: str) -> Document:
        return self.adapter.validate_python(self._upgraded(json.loads(value)))

    def _upgraded(self, kept: Kept) -> Any:
        version, body = int(kept[VERSION]), kept["body"]
        # Step by step, so that each change is written once.
        while version < self.version:
            body = dict(self.upgrades)[version](body)
            version += 1
        if version > self.version:
            raise ValueError(f"it was written by a newer Mirvo, version {version}")
        return body

    def compare_values(self, x: Any, y: Any) -> bool:
        """Frozen records are compared by what they say."""
        return bool(x == y)

    def coerce_compared_value(self, op: Any, value: Any) -> Any:
        return JSON().coerce_compared_value(op, value)
