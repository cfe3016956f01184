"""The weather of the yard: frost to come and whom it concerns, and when buds should swell."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta
from functools import lru_cache

from sqlalchemy import select

from mirvo.core.almanac import Species, rules
from mirvo.core.season import Outlook, frost_day
from mirvo.core.season.weather import (
    FRESH_ROOTS_FLOOR_C,
    SEASON_DAYS,
    DayWeather,
    Station,
    bud_swell,
    frost_chance,
    frost_nights,
    nights_below,
    season_shift,
)
from mirvo.records.database import DbSession
from mirvo.records.models import RootSession, Tree, Yard
from mirvo.standins.weather import SimulatedStation
from mirvo.studio.almanac.species import species_of
from mirvo.studio.yard.settings import yard_of

# Below this a pot freezes through and even hardy roots die.
USUAL_FLOOR_C = -8.0
# So long fresh roots are at their tenderest.
FROST_RISK_NIGHTS = 28


@dataclass(frozen=True)
class ColdNights:
    """The cold nights forecast for one tree, the first first, and why they matter to it."""

    tree: Tree
    nights: list[DayWeather]
    floor_c: float
    why: str


def station_of(yard: Yard) -> Station:
    """The yard's weather station; the simulated one until there is another."""
    return SimulatedStation(yard.place or yard.name, yard.last_frost)


def frost_watch(db: DbSession, today: date) -> list[ColdNights]:
    """Trees that the ten days forecast would harm, those with the first cold night first."""
    yard = yard_of(db)
    days = station_of(yard).forecast(today)
    worked = (
        select(RootSession.done_on)
        .where(
            RootSession.tree_id == Tree.id,
            RootSession.kind.in_(rules().care.worked_kinds),
            RootSession.kept(),
        )
        .order_by(RootSession.done_on.desc())
        .limit(1)
        .scalar_subquery()
    )
    # Under glass no frost comes near, whatever the forecast.
    query = select(Tree, worked).where(Tree.under_glass.is_(False), Tree.kept())
    found = []
    for tree, done_on in db.execute(query):
        floor, why = _floor(species_of(yard, tree.species_key), done_on, today)
        nights = nights_below(days, floor)
        if nights:
            found.append(ColdNights(tree, nights, floor, why))
    return sorted(found, key=lambda warning: (warning.nights[0].day, warning.tree.name))


def _floor(species: Species, done_on: date | None, today: date) -> tuple[float, str]:
    """The night temperature a tree must not meet now, and why."""
    # A tender tree is harmed before fresh roots are, so its own floor comes first.
    if species.night_floor_c >= rules().care.tender_from_c:
        return (
            species.night_floor_c,
            f"{species.name} wants nights above {species.night_floor_c:g} °C",
        )
    if done_on is not None and (today - done_on).days <= rules().care.fresh_days:
        return FRESH_ROOTS_FLOOR_C, f"its roots were worked on {done_on.day} {done_on:%B}"
    return USUAL_FLOOR_C, "roots in a pot freeze through"


def expected_bud_swell(
    yard: Yard, species: Species, year: int, today: date | None = None
) -> date | None:
    """When buds should swell at the place, by degree days; None where no rule is known.

    The sum starts at the coldest time, half a year before the warmest. With `today` the
    season's own warmth so far counts.
    """
    rule = rules().phenology.get(species.group)
    if rule is None:
        return None
    # Warmth is summed from the coldest time, when nothing grows yet.
    start = _coldest(yard.last_frost, year)
    station = station_of(yard)
    usual = (station.normal(start + timedelta(days=ahead)) for ahead in range(SEASON_DAYS))
    swell = bud_swell(usual, rule.base_c, rule.degree_days)
    shift = None if today is None else season_shift_of(yard, species, today)
    if swell is None or shift is None or shift[0] != year:
        return swell
    return swell + timedelta(days=shift[1])


def _coldest(last_frost: str, year: int) -> date:
    return frost_day(last_frost, year) - timedelta(days=rules().chill_days)


def season_shift_of(yard: Yard, species: Species, today: date) -> tuple[int, int] | None:
    """Year of the running season and the days its warmth runs late; None outside of it."""
    rule = rules().phenology.get(species.group)
    if rule is None:
        return None
    start = _coldest(yard.last_frost, today.year)
    place = yard.place or yard.name
    days = _shift(place, yard.last_frost, start, today, rule.base_c, rule.degree_days)
    if days is None:
        return None
    # Warmth of one spring does not move a window by more than the rules let it.
    most = rules().season.max_shift_days
    return (frost_day(yard.last_frost, today.year).year, max(-most, min(most, days)))


# The same for all trees of a group, and asked for every row of a list.
@lru_cache(maxsize=64)
def _shift(
    place: str, last_frost: str, start: date, today: date, base_c: float, needed: float
) -> int | None:
    return season_shift(SimulatedStation(place, last_frost), start, today, base_c, needed)


def outlook_for(yard: Yard, tree: Tree, species: Species, today: date) -> Outlook:
    """What is known of a tree's season beside the calendar."""
    return Outlook(
        buds=tree.buds_seen,
        seen_on=tree.buds_seen_on,
        shift=season_shift_of(yard, species, today),
        under_glass=tree.under_glass,
        station=station_of(yard),
    )


def frost_after(yard: Yard, day: date) -> float:
    """Nights of frost to be expected in the four weeks after a day."""
    return frost_nights(station_of(yard), day, FROST_RISK_NIGHTS)


def frost_by_week(yard: Yard) -> list[float]:
    """Chance of frost in a night in the middle of each of the 52 weeks of a year."""
    station = station_of(yard)
    # Any year does: what is usual does not depend on it.
    middles = (date(2001, 1, 4) + timedelta(weeks=week) for week in range(52))
    return [frost_chance(station.normal(day).low_c, station.spread_c) for day in middles]
