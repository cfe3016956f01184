"""When a tree is dormant and when it grows: leaves, shoots, and nights warm enough for tender ones.

It rests on the same windows as the season rule, so that aftercare and advice tell of one spring.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta
from functools import lru_cache

from mirvo.core.almanac import Species, rules
from mirvo.core.season.window import (
    CALENDAR_ALONE,
    CLOSING_DAYS,
    Outlook,
    Place,
    buds_concern,
    growth_ends,
    window_of_year,
    year_window,
)

LEAVES_OUT = ("leaves out", "hardened", "leaf fall")
MOVING = ("buds swelling", "buds opening", *LEAVES_OUT)


@dataclass(frozen=True)
class Growth:
    """The growth a tree is in on a day, or waits for.

    Attributes
    ----------
    dormant : whether it rests on that day.
    buds_on : first day its buds should move; the day itself while it grows.
    leaves_on : first day it can have new leaves or shoots; the day itself while it grows.
    seen : buds, leaves or shoots of that growth were noted, so that the days are no estimate.
    rests_on, again_on : while it grows, the day it comes to rest and the day of its next leaves;
    None where it never rests.
    """

    dormant: bool
    buds_on: date
    leaves_on: date
    seen: bool = False
    rests_on: date | None = None
    again_on: date | None = None


@dataclass(frozen=True)
class _Season:
    buds_on: date
    leaves_on: date
    ends_on: date
    seen: bool


def growth_from(
    species: Species,
    place: Place,
    day: date,
    outlook: Outlook = CALENDAR_ALONE,
    shoots_on: date | None = None,
) -> Growth:
    """The growth of a tree from a day on.

    Parameters
    ----------
    outlook : what is known of the season; buds that were noted beat every estimate. shoots_on : day
    its first new shoots were seen, which beats those.
    """
    if place.frost_free and species.group in rules().season.tropical_groups:
        return Growth(False, day, day)
    seasons = [_season(species, place, year, outlook) for year in range(day.year - 1, day.year + 3)]
    coming = next(season for season in seasons if season.leaves_on > day)
    now = next((one for one in seasons if one.leaves_on <= day < one.ends_on), None)
    if now is not None:
        return Growth(False, day, day, now.seen, now.ends_on, coming.leaves_on)
    buds_on, leaves_on, seen = coming.buds_on, coming.leaves_on, coming.seen
    if shoots_on is not None and shoots_on >= day:
        buds_on, leaves_on, seen = min(buds_on, shoots_on), shoots_on, True
    return Growth(True, max(day, buds_on), leaves_on, seen)


def layering_window(
    species: Species, place: Place, day: date, outlook: Outlook = CALENDAR_ALONE
) -> tuple[date, date]:
    """First and last day on which a layer is set: the window a day lies in, else the next.

    From hardened leaves on, and early enough that roots come before the tree rests.
    """
    table = rules().season
    if place.frost_free and species.group in table.tropical_groups:
        return day, day + timedelta(weeks=table.growing_weeks)
    hardened, before = timedelta(weeks=table.hardened_weeks), timedelta(weeks=table.layer_weeks)
    seasons = (_season(species, place, year, outlook) for year in range(day.year - 1, day.year + 3))
    spans = [(one.leaves_on + hardened, one.ends_on - before) for one in seasons]
    return next(span for span in spans if span[1] >= day)


# Asked for every tree of a list, and most were worked in the same few weeks.
@lru_cache(maxsize=4096)
def growing_from(species: Species, place: Place, day: date) -> date:
    """The day from which a tree worked on a day can answer: the day itself, or when its buds move.

    By the calendar alone, so that what a record says does not change with another year's weather.
    """
    return growth_from(species, place, day).buds_on


def _season(species: Species, place: Place, year: int, outlook: Outlook) -> _Season:
    """One year's growth: buds, leaves, and when it comes to rest."""
    table = rules().season
    usual_start, usual_end, _ = year_window(species, place.last_frost, year)
    ends_on = growth_ends(place, year, timedelta(weeks=table.growing_weeks))
    window = window_of_year(species, place, year, outlook)
    start = usual_start if window is None else window.start
    # Windows of the tropical groups lie in growth; all others end when leaves or shoots come.
    opening = timedelta(0) if species.group in table.tropical_groups else usual_end - usual_start
    leaves_on = start + opening
    noted, seen_on = outlook.buds, outlook.seen_on
    seen = False
    if seen_on is not None and noted in MOVING and buds_concern(species, place, start, seen_on):
        seen = True
        if noted == "buds opening":
            leaves_on = seen_on + timedelta(days=CLOSING_DAYS)
        elif noted == "leaves out":
            leaves_on = seen_on
        elif noted in LEAVES_OUT:
            # They came some time before; no later than usual, as far as anybody knows.
            leaves_on = min(seen_on, usual_end)
    return _Season(min(start, leaves_on), leaves_on, ends_on, seen)


def warm_from(species: Species, place: Place, day: date, outlook: Outlook) -> date | None:
    """First day from which nights usually suit a tender tree; None where it needs no warmth kept.

    By the station's usual nights where there is one, else by the window of the species.
    """
    table = rules().care
    if species.night_floor_c < table.tender_from_c:
        return None
    if place.frost_free and species.group in rules().season.tropical_groups:
        return day
    station = outlook.station
    if station is not None:
        for ahead in range(366):
            found = day + timedelta(days=ahead)
            if station.normal(found).low_c >= species.night_floor_c:
                return found
    # Where no night is warm enough by itself, its own growth is what ends the care.
    growth = growth_from(species, place, day, outlook)
    if growth.dormant:
        return growth.buds_on
    return day if station is None else day + timedelta(days=table.warm_days)
