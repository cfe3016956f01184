"""Seasons as the artist saw them: when species opened, and the plants of the yard that told it.

What was noted in some years moves the estimate of the others, by less than it was itself: a mean
with as many usual years beside the noted ones (shrinkage towards the calendar).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from statistics import mean, pstdev

from mirvo.core.almanac import Species, rules
from mirvo.core.season.window import Shift, year_window

NOTES, PLANTS = "season notes", "indicator plants"


@dataclass(frozen=True)
class PlantTold:
    """What one plant told of a species. lag_days : from its sign to the window, mean of `years`;
    spread_days : standard deviation, None after one year."""

    plant: str
    years: int
    lag_days: float
    spread_days: float | None

    @property
    def sentence(self) -> str:
        """For people."""
        way = "after" if self.lag_days >= 0 else "before"
        apart = round(self.spread_days or 0.0)
        spread = f", give or take {apart}" if apart else ""
        years = f"{self.years} year{'s' if self.years != 1 else ''}"
        return f"opened {abs(self.lag_days):.0f} days {way} it in {years}{spread}"


def year_of(species: Species, last_frost: str, day: date) -> int:
    """The year of the window a day is nearest to; the last frost as MM-DD."""
    years = (day.year - 1, day.year, day.year + 1)
    return min(years, key=lambda year: abs((day - _usual(species, last_frost, year)).days))


def days_late(species: Species, last_frost: str, opened: date) -> int:
    """Days from the usual beginning of its window to the day a species opened; early below 0."""
    return (opened - _usual(species, last_frost, year_of(species, last_frost, opened))).days


def _usual(species: Species, last_frost: str, year: int) -> date:
    return year_window(species, last_frost, year)[0]


def bounded(days: float) -> int:
    """Days by which a window may be moved, at most the rules' most either way."""
    most = rules().season.max_shift_days
    return max(-most, min(most, round(days)))


def learnt_shift(noted: Sequence[int]) -> Shift | None:
    """What noted years say of every other one; None without any, or where they come to nothing.

    noted : days late of each, less than 0 where it was early.

    >>> learnt_shift([-9]).days, learnt_shift([-9, -9, -9, -9]).days
    (-3, -6)
    """
    if not noted:
        return None
    days = bounded(sum(noted) / (len(noted) + rules().season.prior_years))
    if days == 0:
        return None
    way = "later" if days > 0 else "earlier"
    years = f"{len(noted)} year{'s' if len(noted) != 1 else ''}"
    return Shift(None, days, f"{abs(days)} days {way}, by {years} noted here", NOTES)


def told_by_plants(
    openings: Mapping[int, date], sightings: Mapping[str, Mapping[int, date]]
) -> list[PlantTold]:
    """What each plant's sign told of a species' window, in years both were seen; the surest first.

    openings : day the species opened, by year. sightings : day of each plant's sign, by year.
    """
    found = []
    for plant, days in sightings.items():
        lags = [(openings[year] - day).days for year, day in days.items() if year in openings]
        if lags:
            spread = pstdev(lags) if len(lags) > 1 else None
            found.append(PlantTold(plant, len(lags), mean(lags), spread))
    return sorted(found, key=lambda told: (-told.years, told.spread_days or 0.0, told.plant))


def plant_shift(
    species: Species, last_frost: str, year: int, told: PlantTold, seen_on: date
) -> Shift:
    """Where a plant's sign of this year puts the window, against the usual one."""
    expected = seen_on + timedelta(days=round(told.lag_days))
    days = bounded((expected - _usual(species, last_frost, year)).days)
    seen = f"{told.plant} on {seen_on.day} {seen_on:%B}; {species.name} {told.sentence}"
    return Shift(year, days, seen, PLANTS)


def opened_shift(species: Species, last_frost: str, opened: date) -> Shift:
    """A species that was seen to open this year: its window begins on that day."""
    year = year_of(species, last_frost, opened)
    days = bounded((opened - _usual(species, last_frost, year)).days)
    return Shift(year, days, f"{species.name} opened on {opened.day} {opened:%B}", NOTES)
