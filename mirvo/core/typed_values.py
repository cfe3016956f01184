"""What people type: days, numbers and plain text."""

from __future__ import annotations

import re
from datetime import date, timedelta
from typing import Any

UNREADABLE = re.compile(
    "[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\u200e\u200f\u202a-\u202e\u2066-\u2069"
    "\ud800-\udfff\ufffe\uffff]"
)
MONTHS = ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"]
DAYS_BACK = {"today": 0, "yesterday": 1}
MIN_LETTERS = 3
# More digits than this count nothing that is asked for here.
NUMBER = re.compile(r"[0-9]{1,12}(?:[.,][0-9]{1,12})?")
# No day is longer; thousands of digits are not even counted.
MAX_LETTERS = 30


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
    if len(words) > MAX_LETTERS:
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
    if len(names) != 1 or len(names[0]) < MIN_LETTERS or re.search(r"[^a-z0-9\s.,]", words):
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
