"""Dates, numbers and lists as they are shown, in British English."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from babel.dates import format_date
from babel.lists import format_list
from babel.numbers import format_decimal

# Its short months have three letters, as they have in every field that takes a date.
DATES = "en"
LOCALE = "en_GB"


def short_date(day: date) -> str:
    """A date in few letters.

    >>> short_date(date(2026, 3, 14))
    '14 Mar 2026'
    """
    return format_date(day, "d MMM y", locale=DATES)


def long_date(day: date) -> str:
    """A date in full.

    >>> long_date(date(2026, 3, 14))
    '14 March 2026'
    """
    return format_date(day, "d MMMM y", locale=DATES)


def month(day: date) -> str:
    """The month of a date.

    >>> month(date(2026, 3, 14))
    'March'
    """
    return format_date(day, "MMMM", locale=DATES)


def date_range(first: date, last: date) -> str:
    """Two dates and all between; the year once where it is the same.

    >>> date_range(date(2027, 2, 25), date(2027, 4, 1))
    '25 Feb – 1 Apr 2027'
    """
    start = format_date(first, "d MMM" if first.year == last.year else "d MMM y", locale=DATES)
    return f"{start} – {short_date(last)}"


def number(value: float, places: int = 1) -> str:
    """A number with at most so many places.

    >>> number(2.0), number(2.74)
    ('2', '2.7')
    """
    return format_decimal(round(value, places), locale=LOCALE)


def percent(share: float) -> str:
    """A share in whole percent.

    >>> percent(0.42)
    '42%'
    """
    return f"{format_decimal(round(share * 100), locale=LOCALE)}%"


def listed(things: Sequence[str]) -> str:
    """Things one after the other.

    >>> listed(["moss", "soil", "wire"])
    'moss, soil and wire'
    """
    return format_list(list(things), locale=LOCALE)


def counted(count: int, one: str, many: str = "") -> str:
    """A number of things.

    >>> counted(1, "month"), counted(3, "month")
    ('1 month', '3 months')
    """
    return f"{count} {one if count == 1 else many or one + 's'}"
