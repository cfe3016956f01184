"""Forms: what was filled in, what is wrong with it, and the page on which it is shown again."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import date
from inspect import signature
from typing import Any, TypeVar

from fastapi import Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import Response
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import FormData

from mirvo.core.complaints import form_complaint
from mirvo.core.errors import Conflict, MirvoError
from mirvo.core.lengths import INCHES
from mirvo.core.typed_values import tidied
from mirvo.web.form_models import LENGTH_FIELDS, UNITS_FIELD
from mirvo.web.reader import Reader, open_reader
from mirvo.web.wording import short_day

# What stands in the fields of a form, by name.
Fields = dict[str, Any]
FormPage = Callable[..., Response]
Endpoint = TypeVar("Endpoint", bound=Callable[..., Any])
FORM_PAGE = "form_page"
MAX_DIGITS = 18
BARE = re.compile(r"[-+0-9.,/ ]+")


@dataclass(frozen=True)
class Filled:
    """A form on its page: what stands in its fields, and a complaint for each that is wrong."""

    fields: Fields = field(default_factory=dict)
    errors: dict[str, str] = field(default_factory=dict)
    status: int = 200


def shown_again_on(page: FormPage) -> Callable[[Endpoint], Endpoint]:
    """A form that is turned back is shown again, filled in, on this page.

    page : called with a `Reader`, the form as `Filled`, and the numbers of the address.
    """

    def mark(endpoint: Endpoint) -> Endpoint:
        # Kept with the endpoint, so that the handler of errors finds it by the request.
        setattr(endpoint, FORM_PAGE, page)
        return endpoint

    return mark


def wants_json(request: Request) -> bool:
    """Whether a script asks, which shows in its own place what is wrong."""
    return "application/json" in request.headers.get("accept", "")


async def show_again(request: Request, error: Exception) -> Response | None:
    """The page of a form that was turned back; None where the request was no such form."""
    page: FormPage | None = getattr(request.scope.get("endpoint"), FORM_PAGE, None)
    if page is None or wants_json(request):
        return None
    filled = Filled(fields_of(await request.form()), complaints_of(error), _status(error))
    # Addresses come as text; pages want numbers.
    numbers = {name: int(value) for name, value in request.path_params.items() if _number(value)}
    words = {name: value for name, value in request.path_params.items() if name not in numbers}
    # The address of a form may say more than that of its page.
    taken = signature(page).parameters
    named = {name: value for name, value in {**words, **numbers}.items() if name in taken}
    return await run_in_threadpool(_render, request, page, filled, named)


def _render(
    request: Request, page: FormPage, filled: Filled, named: Mapping[str, int | str]
) -> Response:
    with open_reader(request) as reader:
        return page(reader, filled, **named)


def _number(value: Any) -> bool:
    # Longer ones are no row's number, and Python itself refuses to read the longest.
    return isinstance(value, int) or (
        isinstance(value, str) and value.isdecimal() and len(value) <= MAX_DIGITS
    )


def _status(error: Exception) -> int:
    return 409 if isinstance(error, Conflict) else 422


def complaints_of(error: Exception) -> dict[str, str]:
    """A sentence for each field that cannot be used."""
    if isinstance(error, MirvoError):
        return {error.field: error.message}
    if isinstance(error, RequestValidationError):
        return {_field(wrong["loc"]): form_complaint(wrong) for wrong in error.errors()}
    return {}


def _field(place: tuple[Any, ...]) -> str:
    """The field of a place such as ("body", "name")."""
    return str(place[1] if len(place) > 1 else place[0])


def fields_of(form: FormData) -> Fields:
    """Text fields of a sent form as they are shown again; empty ones are left out."""
    texts = {name: tidied(value) for name, value in form.items() if isinstance(value, str)}
    in_inches = texts.get(UNITS_FIELD) == INCHES
    for name in LENGTH_FIELDS & texts.keys() if in_inches else ():
        # It is shown again where a bare number is one of mm, so that it must say what it is.
        if BARE.fullmatch(str(texts[name])):
            texts[name] = f"{texts[name]} in"
    # An empty field and a field that was never sent are the same to a form.
    return {name: value for name, value in texts.items() if value != "" and name != UNITS_FIELD}


def as_field(value: Any) -> str:
    """A kept value as a form's field holds it."""
    if isinstance(value, bool):
        return "on" if value else ""
    if isinstance(value, date):
        return short_day(value)
    if isinstance(value, tuple):
        return ", ".join(str(one) for one in value)
    # 40, not 40.0: as a person would have typed it.
    return f"{value:g}" if isinstance(value, float) else str(value)


def fields_from(kept: Any, names: tuple[str, ...]) -> dict[str, str]:
    """What stands in a form for something kept; values that say nothing are left out."""
    found = {name: getattr(kept, name) for name in names}
    return {name: as_field(value) for name, value in found.items() if value is not None}


__all__ = ["Filled", "Reader", "fields_from", "fields_of", "show_again", "shown_again_on"]
