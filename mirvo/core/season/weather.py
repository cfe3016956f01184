"""Weather as decisions need it: nights of frost to come, and the warmth that moves buds."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from typing import Protocol

FRESH_ROOTS_FLOOR_C = 1.0


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

    def normal(self, day: date) -> DayWeather:
        """What is usual on a day of the year."""

    def forecast(self, today: date) -> list[DayWeather]:
        """Ten days from today on."""


def nights_below(days: Iterable[DayWeather], floor_c: float) -> list[DayWeather]:
    """Days whose lowest temperature is at or under a floor.

    >>> from datetime import date
    >>> cold = DayWeather(date(2026, 3, 1), -2.0, 6.0)
    >>> [one.low_c for one in nights_below([cold, DayWeather(date(2026, 3, 2), 3.0, 9.0)], 0.0)]
    [-2.0]
    """
    return [one for one in days if one.low_c <= floor_c]


def degree_days(days: Iterable[DayWeather], base_c: float) -> float:
    """Growing degree days: the sum of daily means above a base temperature, °C days.

    The averaging method of McMaster & Wilhelm, Agricultural and Forest Meteorology 87 (1997).
    """
    return sum(max(0.0, one.mean_c - base_c) for one in days)


def bud_swell(days: Iterable[DayWeather], base_c: float, needed: float) -> date | None:
    """The day on which the degree days summed from the first day on reach what buds need.

    None when they are not reached.
    """
    gathered = 0.0
    for one in days:
        gathered += max(0.0, one.mean_c - base_c)
        if gathered >= needed:
            return one.day
    return None
