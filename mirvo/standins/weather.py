"""A simulated weather station: a seasonal curve with correlated noise, seeded per place."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from datetime import date, timedelta
from functools import lru_cache
from math import cos, pi, sqrt

import numpy as np

from mirvo.core.season.weather import DayWeather
from mirvo.core.season.window import frost_day

MEAN_LOW_C, SWING_C, DAY_RANGE_C = 4.0, 7.0, 8.0
# With this swing and noise the last frost usually falls so long after the coldest.
COLDEST_BEFORE_FROST_DAYS = 73
# Warm and cold days come in spells; 0.7 to the 25th is forgotten.
NOISE_SD_C, MEMORY, MEMORY_DAYS = 1.9, 0.7, 25
FORECAST_DAYS = 10
FORECAST_SD_C_PER_DAY = 0.35


@dataclass(frozen=True)
class SimulatedStation:
    """Weather of a made-up place. last_frost : usual last frost, MM-DD, any hemisphere."""

    place: str
    last_frost: str

    @property
    def spread_c(self) -> float:
        """Standard deviation of a day about the curve, °C."""
        return NOISE_SD_C / sqrt(1 - MEMORY**2)

    def normal(self, day: date) -> DayWeather:
        """The seasonal curve on a day, °C."""
        return _normal(self.last_frost, day)

    def actual(self, day: date) -> DayWeather:
        """What the day brings: the curve and noise that remembers the days before."""
        usual = self.normal(day)
        off = sum(
            MEMORY**back * self._draw(day.toordinal() - back, 0) for back in range(MEMORY_DAYS)
        )
        return self._moved(usual, NOISE_SD_C * off)

    def forecast(self, today: date) -> list[DayWeather]:
        """Ten days from today on, the farther the less sure."""
        days = []
        for ahead in range(FORECAST_DAYS):
            coming = self.actual(today + timedelta(days=ahead))
            # The farther ahead, the less is known.
            off = FORECAST_SD_C_PER_DAY * ahead * self._draw(today.toordinal(), ahead + 1)
            days.append(self._moved(coming, off))
        return days

    def _draw(self, ordinal: int, stream: int) -> float:
        """One standard normal number, the same whenever it is asked for."""
        return _drawn(self.place, ordinal, stream)

    @staticmethod
    def _moved(weather: DayWeather, off: float) -> DayWeather:
        low, high = weather.low_c + off, weather.high_c + off
        return DayWeather(weather.day, round(low, 1), round(high, 1))


# Days near today are asked for by every page.
@lru_cache(maxsize=8192)
def _drawn(place: str, ordinal: int, stream: int) -> float:
    # A place's weather is its own and the same at every start.
    seed = int.from_bytes(hashlib.sha256(place.encode()).digest()[:6], "big")
    return float(np.random.default_rng([seed, ordinal, stream]).normal())


# Windows of all trees ask for the same days of the years to come, thousands of times.
@lru_cache(maxsize=8192)
def _normal(last_frost: str, day: date) -> DayWeather:
    coldest = frost_day(last_frost, day.year) - timedelta(days=COLDEST_BEFORE_FROST_DAYS)
    turn = 2 * pi * (day - coldest).days / 365.25
    low = MEAN_LOW_C - SWING_C * cos(turn)
    return DayWeather(day, low, low + DAY_RANGE_C)
