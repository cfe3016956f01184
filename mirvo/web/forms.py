"""Forms: text fields into a checked model, complaints at their fields."""

from __future__ import annotations

from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError
from starlette.datastructures import FormData

from mirvo.core.errors import BadInput

Model = TypeVar("Model", bound=BaseModel)
SAID = {
    "missing": "Please fill this in.",
    "string_too_short": "Please fill this in.",
    "float_parsing": "Please give a number, such as 42 or 42.5.",
    "int_parsing": "Please give a whole number.",
    "date_from_datetime_parsing": "Please give a date as year-month-day.",
    "date_parsing": "Please give a date as year-month-day.",
}


def read_form(model: type[Model], data: dict[str, Any]) -> tuple[Model | None, dict[str, str]]:
    """The model, or None with a sentence for each field that cannot be used."""
    try:
        return model.model_validate(data), {}
    except BadInput as error:
        return None, {error.field: error.message}
    except ValidationError as error:
        return None, {str(e["loc"][0]): _sentence(dict(e)) for e in error.errors()}


def _sentence(error: dict[str, Any]) -> str:
    kind, limits = error["type"], error.get("ctx", {})
    if kind in SAID:
        return SAID[kind]
    if kind in ("greater_than", "greater_than_equal"):
        limit = limits.get("gt", limits.get("ge"))
        return f"Must be {'more than' if kind == 'greater_than' else 'at least'} {limit:g}."
    if kind in ("less_than", "less_than_equal"):
        limit = limits.get("lt", limits.get("le"))
        return f"Must be at most {limit:g}."
    return str(error["msg"]) + "."


def fields_of(form: FormData) -> dict[str, Any]:
    """Text fields of a sent form; empty ones are left out so that defaults hold.

    A comma as decimal sign in a single number is read as a point.
    """
    fields: dict[str, Any] = {}
    for name, value in form.items():
        if not isinstance(value, str) or value.strip() == "":
            continue
        text = value.strip()
        whole, comma, part = text.partition(",")
        if comma and whole.lstrip("-").isdigit() and part.isdigit():
            text = f"{whole}.{part}"
        fields[name] = text
    return fields
