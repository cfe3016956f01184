"""What pydantic finds wrong with a file or form, said so that a person can act on it.

In a file the place is named and the sentence follows it; at a form's field it stands alone.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from pydantic import ValidationError

from mirvo.core.errors import BadInput
from mirvo.core.sentences import first_upper

SENTENCES = {
    "missing": "is missing",
    "extra_forbidden": "is not a name that may stand here",
    "finite_number": "must be an ordinary number",
    "float_type": "must be a number",
    "float_parsing": "must be a number",
    "int_type": "must be a whole number",
    "int_parsing": "must be a whole number",
    "int_from_float": "must be a whole number",
    "bool_type": "must be true or false",
    "bool_parsing": "must be true or false",
    "string_type": "must be text",
    "list_type": "must be a list",
    "tuple_type": "must be a list",
    "dict_type": "must be an object",
    "model_type": "must be an object",
    "model_attributes_type": "must be an object",
    "date_type": "must be a date such as 2026-03-14",
    "date_parsing": "must be a date such as 2026-03-14",
    "date_from_datetime_parsing": "must be a date such as 2026-03-14",
    "literal_error": "must be {expected}",
    "greater_than": "must be more than {gt:g}",
    "greater_than_equal": "must be at least {ge:g}",
    "less_than": "must be less than {lt:g}",
    "less_than_equal": "must be at most {le:g}",
    "too_short": "needs at least {min_length}, has {actual_length}",
    "too_long": "may hold {max_length} at most, has {actual_length}",
    "string_too_short": "must not be empty",
    "string_too_long": "may be {max_length} letters long at most",
}

AT_FIELD = {
    "missing": "Please fill this in.",
    "string_too_short": "Please fill this in.",
    "float_parsing": "Please give a number, such as 42 or 42.5.",
    "int_parsing": "Please give a whole number.",
    "date_parsing": "Please give a day as 12 mar 2026.",
    "date_from_datetime_parsing": "Please give a day as 12 mar 2026.",
}


def must_be(values: Sequence[str]) -> str:
    """The sentence on a word that is none of some."""
    *most, last = [repr(value) for value in values]
    return f"Must be {', '.join(most)} or {last}."


def sentence(found: Mapping[str, Any]) -> str:
    """One error of a validation in words, without the place."""
    pattern = SENTENCES.get(found["type"])
    if pattern is not None:
        return pattern.format(**found.get("ctx", {}))
    return str(found["msg"][0].lower() + found["msg"][1:])


def first_complaint(error: ValidationError, leave_out: frozenset[str] = frozenset()) -> BadInput:
    """The first error of a validation with the dotted path of its place.

    leave_out : parts of a path that only name a kind, not a place.
    """
    found = error.errors(include_url=False, include_input=False)[0]
    parts = [str(part) for part in found["loc"]]
    path = ".".join(part for part in parts if part not in leave_out and "[" not in part)
    return BadInput(path, sentence(found))


def form_complaint(found: Mapping[str, Any]) -> str:
    """One error of a validation as the complaint at a form's field."""
    pattern = AT_FIELD.get(found["type"])
    if pattern is not None:
        return pattern
    text = sentence(found)
    return f"{first_upper(text).rstrip('.')}."
