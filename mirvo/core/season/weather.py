"""Weather as decisions need it: nights of frost to come, and the warmth that moves buds."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import date, timedelta
from itertools import chain
from statistics import NormalDist
from typing import Protocol

# Roots cut lately freeze earlier than wood: a degree above freezing is the floor.
FRESH_ROOTS_FLOOR_C = 1.0
# Longer than any winter, so the count of warmth begins before it.
SEASON_DAYS = 200
LATE_DAYS = 45


@dataclass(frozen=True)
class DayWeather:
    """Lowest and highest temperature of one day, °C."""

    day: date
    low_c: float
    high_c: float

    @property
    def mean_c(self) -> float:
        return (self.low_c + self.high_c) / 2


class Station(Protocol):
    """Where weather comes from; a simulated one ships, a real one has the same face."""

    def __hash__(self) -> int:
        """Of the place, so that what is usual there is worked out once."""

    def normal(self, day: date) -> DayWeather:
        """What is usual on a day of the year."""

    def actual(self, day: date) -> DayWeather:
        """What a day that is past was like."""

    def forecast(self, today: date) -> list[DayWeather]:
        """Ten days from today on."""

    @property
    def spread_c(self) -> float:
        """Standard deviation of a day about what is usual, °C."""


def nights_below(days: Iterable[DayWeather], floor_c: float) -> list[DayWeather]:
    """Days whose lowest temperature is at or under a floor.

    >>> cold = DayWeather(date(2026, 3, 1), -2.0, 6.0)
    >>> [one.low_c for one in nights_below([cold, DayWeather(date(2026, 3, 2), 3.0, 9.0)], 0.0)]
    [-2.0]
    """
    return [day for day in days if day.low_c <= floor_c]


def chance_below(usual_low_c: float, spread_c: float, floor_c: float = 0.0) -> float:
    """Chance that a night is colder than a floor, 0 to 1, with lows normal about what is usual."""
    return NormalDist(usual_low_c, spread_c).cdf(floor_c)


def nights_expected_below(station: Station, floor_c: float, first: date, nights: int) -> float:
    """How many of so many nights are to be expected below a floor, by what is usual."""
    days = (first + timedelta(days=ahead) for ahead in range(nights))
    return sum(chance_below(station.normal(day).low_c, station.spread_c, floor_c) for day in days)


def season_shift(
    station: Station, start: date, today: date, base_c: float, needed: float
) -> int | None:
    """Days by which a season's buds will swell later than usual; negative when earlier.

    What was, what is forecast and then what is usual are summed from `start`. None before
    the sum begins, and once buds should have swollen long ago.
    """
    if today < start:
        return None
    usual = bud_swell(_usual(station, start), base_c, needed)
    if usual is None or today > usual + timedelta(days=LATE_DAYS):
        return None
    past = [station.actual(start + timedelta(days=n)) for n in range((today - start).days)]
    coming = station.forecast(today)
    after = _usual(station, coming[-1].day + timedelta(days=1))
    expected = bud_swell(chain(past, coming, after), base_c, needed)
    return None if expected is None else (expected - usual).days


def _usual(station: Station, start: date) -> Iterator[DayWeather]:
    return (station.normal(start + timedelta(days=ahead)) for ahead in range(SEASON_DAYS))


def degree_days(days: Iterable[DayWeather], base_c: float) -> float:
    """Growing degree days: the sum of daily means above a base temperature, °C days.

    The averaging method of McMaster & Wilhelm, Agricultural and Forest Meteorology 87 (1997).
    """
    return sum(max(0.0, day.mean_c - base_c) for day in days)


def bud_swell(days: Iterable[DayWeather], base_c: float, needed: float) -> date | None:
    """The day on which the degree days summed from the first day on reach what buds need.

    None when they are not reached.
    """
    gathered = 0.0
    for day in days:
        gathered += max(0.0, day.mean_c - base_c)
        if gathered >= needed:
            return day.day
    return None


def degrees(celsius: float) -> str:
    """A temperature in whole °C; what rounds to nothing has no sign.

    >>> degrees(-0.4), degrees(-0.6)
    ('0', '-1')
    """
    return f"{round(celsius) or 0}"
