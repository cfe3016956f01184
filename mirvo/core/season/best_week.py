"""The best week of a window: buds swelling, and the fewest cold nights to guard the roots from."""

from __future__ import annotations

from datetime import date, timedelta
from functools import lru_cache

from mirvo.core.almanac import Species, rules
from mirvo.core.season.weather import SEASON_DAYS, Station, bud_swell, nights_expected_below

# Fresh roots are at their tenderest so long.
TENDER_NIGHTS = 28
WEEK = timedelta(days=7)


def best_day(
    species: Species, start: date, end: date, swelling: tuple[date, date], station: Station
) -> date:
    """The middle of the best week of a window from `start` to `end`.

    swelling : first and last day with swelling buds, seen or expected. Of the window's weeks in
    it the one with the fewest nights below the species' floor in the four weeks after, the
    earlier of equals; where there is none, the middle of the window's last third.
    """
    first, last = max(start, swelling[0]), min(end, swelling[1])
    weeks = []
    while first + WEEK / 2 <= last:
        weeks.append(first + WEEK / 2)
        first += WEEK
    if not weeks:
        return end - (end - start) / 6
    # In whole nights: nobody chooses a week for half a night of frost.
    return min(weeks, key=lambda day: (cold_nights_after(station, species.night_floor_c, day), day))


@lru_cache(maxsize=4096)
def cold_nights_after(station: Station, floor_c: float, day: date) -> int:
    """Nights below a floor to be expected in the four weeks after a day."""
    return round(nights_expected_below(station, floor_c, day, TENDER_NIGHTS))


@lru_cache(maxsize=1024)
def usual_swell(station: Station, group: str, coldest: date) -> date | None:
    """When buds of a group usually swell, by the warmth summed from the coldest day on."""
    rule = rules().phenology.get(group)
    if rule is None:
        return None
    days = (station.normal(coldest + timedelta(days=ahead)) for ahead in range(SEASON_DAYS))
    return bud_swell(days, rule.base_c, rule.degree_days)
