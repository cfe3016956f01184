"""Forms as people fill them in: what is left empty says nothing, a comma may be a decimal sign.

A form on a model of limits (`mirvo.core.limits`) takes both as bases, this one last:
`class TreeForm(TreeFields, FormModel)`.
"""

from __future__ import annotations

from collections.abc import Callable
from contextvars import ContextVar
from datetime import date
from typing import Annotated, Any, get_args, get_origin

from pydantic import BaseModel, ConfigDict, model_validator

from mirvo.core.errors import BadInput
from mirvo.core.lengths import INCHES, LENGTH, MM, read_length
from mirvo.core.typed_values import plain, plain_text, read_day, tidied

# Sent along with a form whose bare lengths are inches.
UNITS_FIELD = "units"
# Fields of forms that hold lengths, by name; no other field bears such a name.
LENGTH_FIELDS: set[str] = set()
# The day of the request being answered: "12 mar" is the last such day before it.
day_of_request: ContextVar[Callable[[], date]] = ContextVar("day_of_request")


class SentModel(BaseModel):
    """What a script of a page sends as JSON: its texts are such as can be kept and shown."""

    @model_validator(mode="before")
    @classmethod
    def _plain(cls, sent: Any) -> Any:
        return plain(sent)


class FormModel(BaseModel):
    """A form's fields, checked; fields it does not know are left aside."""

    model_config = ConfigDict(extra="ignore")

    @model_validator(mode="before")
    @classmethod
    def _as_filled_in(cls, fields: Any) -> Any:
        """Empty fields are left out, so that defaults hold."""
        if not isinstance(fields, dict):
            return fields
        texts = {name: tidied(value) for name, value in fields.items()}
        filled = {name: value for name, value in texts.items() if value != ""}
        bare = INCHES if filled.get(UNITS_FIELD) == INCHES else MM
        read = {name: cls._as_length(name, value, bare) for name, value in filled.items()}
        return {name: cls._as_day(name, value) for name, value in read.items()}

    @classmethod
    def __pydantic_init_subclass__(cls, **kwargs: Any) -> None:
        """The names of all lengths asked for anywhere are known, so that pages can find them."""
        super().__pydantic_init_subclass__(**kwargs)
        for name, field in cls.model_fields.items():
            if LENGTH in field.metadata or _says_length(field.annotation):
                LENGTH_FIELDS.add(name)

    @classmethod
    def _as_length(cls, name: str, value: Any, bare: str) -> Any:
        if name not in cls.model_fields or name not in LENGTH_FIELDS or not isinstance(value, str):
            return value
        found = read_length(value, bare)
        # What is no length is left to the complaint that it is no number.
        return value if found is None else found

    @classmethod
    def _as_day(cls, name: str, value: Any) -> Any:
        field = cls.model_fields.get(name)
        if field is None or not isinstance(value, str) or not _says_day(field.annotation):
            return value
        found = read_day(value, day_of_request.get()())
        if found is None:
            raise BadInput(name, f"“{value[:40]}” is no day; write it as 12 mar 2026")
        return found


class OpenForm(BaseModel):
    """A form whose fields bear the names of what they are about: roots, gaps, questions.

    Fields left empty stay: that a root is named and nothing is said of it, says something.
    """

    model_config = ConfigDict(extra="allow")

    @property
    def by_name(self) -> dict[str, str]:
        """What stands in each field."""
        sent = (self.model_extra or {}).items()
        return {plain_text(name): str(tidied(value)) for name, value in sent}


def _says_length(annotation: Any) -> bool:
    if get_origin(annotation) is Annotated:
        return LENGTH in get_args(annotation)
    return any(_says_length(part) for part in get_args(annotation))


def _says_day(annotation: Any) -> bool:
    """Whether a field holds a day and nothing else."""
    if annotation is date:
        return True
    if get_origin(annotation) is Annotated:
        return get_args(annotation)[0] is date
    parts = [part for part in get_args(annotation) if part is not type(None)]
    return len(parts) == 1 and _says_day(parts[0])
