"""The season window of a species from the usual last frost of the place."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

from mirvo.core.almanac import Species


@dataclass(frozen=True)
class Window:
    """First and last day, middle of the best week, and the state on the day asked."""

    start: date
    end: date
    best: date
    state: str

    @property
    def year(self) -> int:
        return self.start.year


CLOSING_DAYS = 10


def year_window(species: Species, last_frost: str, year: int) -> tuple[date, date, date]:
    """Start, end and best day of one year's window.

    `last_frost` is "MM-DD", the usual last frost of the place.
    """
    month, day = (int(part) for part in last_frost.split("-"))
    frost = date(year, month, day)
    first, last = species.window_weeks
    return (
        frost + timedelta(weeks=first),
        frost + timedelta(weeks=last),
        frost + timedelta(weeks=species.best_week),
    )


def window_of(species: Species, last_frost: str, today: date, not_before: date) -> Window:
    """The next window that ends on or after today and is not before the interval's end.

    The state is "too early", "open", "closing" or "overdue" (the interval has passed by
    a full window or more).
    """
    year = max(today.year, not_before.year)
    start, end, best = year_window(species, last_frost, year)
    while end < today or end < not_before:
        year += 1
        start, end, best = year_window(species, last_frost, year)
    if today < start:
        state = "too early"
    elif (end - today).days <= CLOSING_DAYS:
        state = "closing"
    else:
        state = "open"
    return Window(start, end, best, state)
