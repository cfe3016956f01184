"""What an entry at the bench may say: checked when it comes in, and again when it is read."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import (
    AfterValidator,
    ConfigDict,
    FiniteFloat,
    StrictBool,
    StrictStr,
    TypeAdapter,
    ValidationError,
    field_validator,
)
from pydantic import Field as Limits

from mirvo.core.complaints import first_complaint
from mirvo.core.errors import BadInput
from mirvo.core.rootwork.bench import Field
from mirvo.core.rootwork.cuts import HALF, CutDecision, RootFinding
from mirvo.core.typed_values import plain

MAX_NAME = 20
MAX_WORDS = 300
MAX_STEMS, MAX_STEM = 12, 40


class EnteredDecision(CutDecision):
    """A decision as the browser sends it; names that Mirvo does not know are left out."""

    model_config = ConfigDict(extra="ignore")

    part: Annotated[FiniteFloat, Limits(ge=0, le=1)] = HALF
    why: Annotated[str, AfterValidator(lambda why: why[:MAX_WORDS])] = ""


class EnteredFinding(RootFinding):
    """What was found of a root as the browser sends it; stems without a name are left out."""

    model_config = ConfigDict(extra="ignore")

    @field_validator("feeds")
    @classmethod
    def _stems(cls, feeds: tuple[str, ...] | None) -> tuple[str, ...] | None:
        if feeds is None:
            return None
        stems = [stem.strip()[:MAX_STEM] for stem in feeds]
        return tuple(stem for stem in stems if stem)[:MAX_STEMS]


# Entries that are no field of a step: a step done, and what concerns one root, by its letter.
ABOUT_A_PART: dict[str, TypeAdapter[Any]] = {
    "done": TypeAdapter(StrictBool),
    "root": TypeAdapter(EnteredDecision | None),
    "seen": TypeAdapter(EnteredFinding | None),
    "waits": TypeAdapter(Annotated[StrictStr, Limits(max_length=MAX_WORDS)] | None),
}


def checked_value(fields: dict[str, Field], field: str, value: Any) -> Any:
    """What is kept of the value of a field, of a step or of a root.

    Raises
    ------
    BadInput : the session does not ask for it, or it cannot be so.
    """
    prefix, _, rest = field.partition(":")
    if field in fields:
        return fields[field].check(value)
    if prefix in ABOUT_A_PART and rest and len(rest) <= MAX_NAME:
        return _checked_part(prefix, field, value)
    raise BadInput(field, "this session does not ask for that")


def readable_value(fields: dict[str, Field], field: str, value: Any) -> Any:
    """The same of a value kept already; one that cannot be read says nothing."""
    try:
        return checked_value(fields, field, plain(value))
    except BadInput:
        return None


def _checked_part(prefix: str, field: str, value: Any) -> Any:
    """What is kept of an entry about a step or a root. Raises BadInput."""
    shape = ABOUT_A_PART[prefix]
    try:
        taken = shape.validate_python(None if value == "" else value)
    except ValidationError as error:
        wrong = first_complaint(error)
        raise BadInput(field, f"{wrong.field} {wrong.message}".strip()) from None
    return shape.dump_python(taken, mode="json", exclude_none=True)
