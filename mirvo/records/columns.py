"""Columns that hold documents: checked when they are read, written with their version."""

from __future__ import annotations

import json
import logging
from collections.abc import Callable
from functools import lru_cache
from typing import Any, Generic, TypeVar

from pydantic import TypeAdapter, ValidationError
from sqlalchemy import JSON, Dialect, Text
from sqlalchemy.types import TypeDecorator

from mirvo.core.errors import Damaged

Document = TypeVar("Document")
Upgrade = Callable[[dict[str, Any]], dict[str, Any]]
VERSION = "version"
log = logging.getLogger(__name__)


class PydanticColumn(TypeDecorator[Document], Generic[Document]):
    """A document of one Pydantic type, kept as JSON with the version of its shape.

    Parameters
    ----------
    kind : the type it is checked against. version : of that type's shape; raise it when a
    name changes, and give the step from the version before.
    upgrades : by version, the step from it to the next.
    when_damaged : "none" reads a document nobody can use as nothing, so that the page it
    stands on goes on; "refuse" raises `Damaged`, for what must not be written over.
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
            return None

    def _read(self, value: str) -> Document:
        return self.adapter.validate_python(self._upgraded(json.loads(value)))

    def _upgraded(self, kept: dict[str, Any]) -> Any:
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
