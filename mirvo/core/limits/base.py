"""Days, lengths and words as records hold them, and the base of every model of limits."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from functools import cache
from typing import Annotated, Any, TypeVar

from pydantic import (
    AfterValidator,
    BaseModel,
    ConfigDict,
    Field,
    StringConstraints,
    ValidationError,
)
from pydantic_core import PydanticCustomError

from mirvo.core.complaints import form_complaint
from mirvo.core.errors import BadInput
from mirvo.core.lengths import LENGTH

# A tree may have begun long before its artist; nothing is planned for a later century.
FIRST_DAY, LAST_DAY = date(1600, 1, 1), date(2200, 12, 31)
# How a refused day is marked, so that its sentence is shown as it stands.
DAY_REFUSED = "day_refused"
# Among what an annotation says: the day is one on which something was done or seen.
PAST = "a day up to today"
MAX_NOTE = 4000
MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")


def short_day(day: date) -> str:
    """A day as 14 Mar 2026, in any year there is.

    >>> short_day(date(2026, 3, 14)), short_day(date(1, 1, 1))
    ('14 Mar 2026', '1 Jan 1')
    """
    return f"{day.day} {MONTHS[day.month - 1]} {day.year}"


def future_day(day: date) -> str:
    """The sentence on a day to come where only a past one can be."""
    return f"{short_day(day)} is in the future. Enter today or an earlier day."


def _not_too_early(day: date) -> date:
    if day < FIRST_DAY:
        said = f"{short_day(day)} is too long ago. Enter a day from {FIRST_DAY.year} on."
        raise PydanticCustomError(DAY_REFUSED, "{said}", {"said": said})
    return day


def _past(day: date) -> date:
    if day > LAST_DAY:
        raise PydanticCustomError(DAY_REFUSED, "{said}", {"said": future_day(day)})
    return _not_too_early(day)


def _planned(day: date) -> date:
    if day > LAST_DAY:
        said = f"{short_day(day)} is too far ahead. Enter a day up to {LAST_DAY.year}."
        raise PydanticCustomError(DAY_REFUSED, "{said}", {"said": said})
    return _not_too_early(day)


# When something was done or seen: from 1600 on, and not after today (`Limits.check_days`).
PastDay = Annotated[date, AfterValidator(_past), PAST]
# When something is to be done: from 1600 to 2200.
PlannedDay = Annotated[date, AfterValidator(_planned)]

Percent = Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)]
Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
Note = Annotated[str, StringConstraints(strip_whitespace=True, max_length=MAX_NOTE)]
# A line of its own in a list or a heading.
Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=80)]
# Lengths of a base, a ball or a pot; mm.
LengthMm = Annotated[float, LENGTH, Field(gt=0, le=5_000, allow_inf_nan=False)]
TrunkMm = Annotated[float, LENGTH, Field(gt=0, le=3_000, allow_inf_nan=False)]
TreeHeightMm = Annotated[float, LENGTH, Field(gt=0, le=20_000, allow_inf_nan=False)]
# A row's number; no table has larger ones.
RowNumber = Annotated[int, Field(ge=0, le=2**53)]


class Limits(BaseModel):
    """What one kind of record may be. Names that are not known are refused."""

    model_config = ConfigDict(extra="forbid")

    def check_days(self, today: date) -> None:
        """Refuse what was done or seen after today. Raises BadInput at the field."""
        check_days(self, today)

    def check(self, today: date) -> None:
        """Refuse what cannot be, beyond what each field says. Raises BadInput at the field."""
        self.check_days(today)


Model = TypeVar("Model", bound=Limits)


def checked(model: type[Model], values: Mapping[str, Any], today: date) -> Model:
    """A record's fields within their limits. Raises BadInput at the first that is not."""
    try:
        found = model.model_validate(values)
    except ValidationError as error:
        wrong = error.errors(include_url=False, include_input=False)[0]
        place = ".".join(str(part) for part in wrong["loc"])
        raise BadInput(place, form_complaint(wrong)) from None
    found.check(today)
    return found


def check_days(record: BaseModel, today: date) -> None:
    """Refuse what was done or seen after today. Raises BadInput at the field."""
    for name in past_days(type(record)):
        day = getattr(record, name)
        if isinstance(day, date) and day > today:
            raise BadInput(name, future_day(day))


@cache
def past_days(model: type[BaseModel]) -> tuple[str, ...]:
    """The fields of a model that hold a day something was done or seen."""
    return tuple(
        name
        for name, field in model.model_fields.items()
        if PAST in field.metadata or PAST in _within(field.annotation)
    )


def _within(annotation: Any) -> tuple[Any, ...]:
    """What the parts of an annotation such as `PastDay | None` say beside their types."""
    parts: tuple[Any, ...] = getattr(annotation, "__args__", ())
    return tuple(said for part in parts for said in getattr(part, "__metadata__", ()))
