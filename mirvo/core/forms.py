"""Forms as people fill them in: what is left empty says nothing, a comma may be a decimal sign."""

from __future__ import annotations

import re
from datetime import date, timedelta
from typing import Annotated, Any, get_args, get_origin

from pydantic import BaseModel, ConfigDict, model_validator

from mirvo.core.errors import BadInput
from mirvo.core.lengths import INCHES, LENGTH, MM, read_length

# Sent along with a form whose bare lengths are inches.
UNITS_FIELD = "units"


class SentModel(BaseModel):
    """What a script of a page sends as JSON: its texts are such as can be kept and shown."""

    @model_validator(mode="before")
    @classmethod
    def _plain(cls, sent: Any) -> Any:
        return plain(sent)


# Fields of forms that hold lengths, by name; no other field bears such a name.
LENGTH_FIELDS: set[str] = set()


def _says_length(annotation: Any) -> bool:
    if get_origin(annotation) is Annotated:
        return LENGTH in get_args(annotation)
    return any(_says_length(part) for part in get_args(annotation))


# Nobody's tree was worked before, and windows are reckoned some years either way of a day.
FIRST_YEAR, LAST_YEAR = 1600, 2400


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
        is_day = field is not None and field.annotation in (date, date | None)
        if not (is_day and isinstance(value, str)):
            return value
        found = read_day(value, date.today())
        if found is None:
            raise BadInput(name, f"“{value[:40]}” is no day; write it as 12 mar 2026")
        if not FIRST_YEAR <= found.year <= LAST_YEAR:
            raise BadInput(name, f"the year {found.year} lies beyond all records")
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


UNREADABLE = re.compile(
    "[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\u200e\u200f\u202a-\u202e\u2066-\u2069"
    "\ud800-\udfff\ufffe\uffff]"
)
MONTHS = ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"]
DAYS_BACK = {"today": 0, "yesterday": 1}
LEAST_LETTERS = 3
# More digits than this count nothing that is asked for here.
NUMBER = re.compile(r"[0-9]{1,12}(?:[.,][0-9]{1,12})?")
# No day is longer; thousands of digits are not even counted.
MOST_LETTERS = 30


def read_day(text: str, today: date) -> date | None:
    """A day as people write it; None where it says none, or could be two.

    Months by name, dots as in 12.3.2026, or 2026-03-12. Without a year it is the last such day.
    12/3 is read nowhere alike, so it is none.

    >>> read_day("12 mar", date(2026, 11, 28)), read_day("Dec 24th", date(2026, 11, 28))
    (datetime.date(2026, 3, 12), datetime.date(2025, 12, 24))
    >>> read_day("12/3/2026", date(2026, 11, 28)) is None
    True
    """
    words = text.lower().strip()
    if len(words) > MOST_LETTERS:
        return None
    if words in DAYS_BACK:
        return today - timedelta(days=DAYS_BACK[words])
    iso = re.fullmatch(r"([0-9]{4})-([0-9]{1,2})-([0-9]{1,2})", words)
    if iso:
        return _day_of(*(int(part) for part in iso.groups()))
    dotted = re.fullmatch(r"([0-9]{1,2})\.\s*([0-9]{1,2})\.\s*([0-9]{4})", words)
    if dotted:
        day, month, year = (int(part) for part in dotted.groups())
        return _day_of(year, month, day)
    numbers = [int(part) for part in re.findall(r"[0-9]+", words)]
    names = [word for word in re.findall(r"[a-z]+", words) if word not in ("st", "nd", "rd", "th")]
    if len(names) != 1 or len(names[0]) < LEAST_LETTERS or re.search(r"[^a-z0-9\s.,]", words):
        return None
    month = next((n for n, name in enumerate(MONTHS, 1) if names[0].startswith(name)), 0)
    years = [number for number in numbers if number > 31]
    days = [number for number in numbers if number not in years]
    if not month or len(days) != 1 or len(years) > 1:
        return None
    if years:
        return _day_of(years[0], month, days[0])
    found = _day_of(today.year, month, days[0])
    return _day_of(today.year - 1, month, days[0]) if found is None or found > today else found


def _day_of(year: int, month: int, day: int) -> date | None:
    try:
        return date(year, month, day)
    except ValueError:
        return None


def read_number(text: str) -> float | None:
    """A number from 0 on as people write it; None for anything else, however many digits it has.

    >>> read_number("2,5"), read_number(" 7 "), read_number("²") is None, read_number("-1") is None
    (2.5, 7.0, True, True)
    """
    words = text.strip()
    return float(words.replace(",", ".")) if NUMBER.fullmatch(words) else None


def read_whole(text: str) -> int | None:
    """The same of a whole number, such as a row's."""
    found = read_number(text)
    return None if found is None or not found.is_integer() else int(found)


def plain_text(text: str) -> str:
    """Text without what no one can type or read: half letters, controls, turns of direction.

    Half letters (lone surrogates) cannot be kept at all; the others would hide or garble what
    stands beside them. Line breaks and tabs stay.
    """
    return UNREADABLE.sub("", text)


def plain(sent: Any) -> Any:
    """The same for every text within lists and mappings, names of entries included."""
    if isinstance(sent, str):
        return plain_text(sent)
    if isinstance(sent, list):
        return [plain(part) for part in sent]
    if isinstance(sent, dict):
        return {plain(name): plain(part) for name, part in sent.items()}
    return sent


def tidied(value: Any) -> Any:
    """Plain text without space around it; a comma in a single number is read as a decimal point."""
    if not isinstance(value, str):
        return value
    text = plain_text(value).strip()
    whole, comma, part = text.partition(",")
    if comma and whole.lstrip("-").isdigit() and part.isdigit():
        return f"{whole}.{part}"
    return text
