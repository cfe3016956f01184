"""Forms as people fill them in: what is left empty says nothing, a comma may be a decimal sign."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel, ConfigDict, model_validator


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
        return {name: value for name, value in texts.items() if value != ""}


class OpenForm(BaseModel):
    """A form whose fields bear the names of what they are about: roots, gaps, questions.

    Fields left empty stay: that a root is named and nothing is said of it, says something.
    """

    model_config = ConfigDict(extra="allow")

    @property
    def by_name(self) -> dict[str, str]:
        """What stands in each field."""
        return {name: str(tidied(value)) for name, value in (self.model_extra or {}).items()}


def tidied(value: Any) -> Any:
    """Text without space around it; a comma in a single number is read as a decimal point."""
    if not isinstance(value, str):
        return value
    text = value.strip()
    whole, comma, part = text.partition(",")
    if comma and whole.lstrip("-").isdigit() and part.isdigit():
        return f"{whole}.{part}"
    return text
