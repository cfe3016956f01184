"""The weather of the yard: frost to come and whom it concerns, and when buds should swell."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

from sqlalchemy import select

from mirvo.core.almanac import Species, rules, species_by_key
from mirvo.core.season.weather import (
    FRESH_ROOTS_FLOOR_C,
    DayWeather,
    Station,
    bud_swell,
    nights_below,
)
from mirvo.records.database import reading
from mirvo.records.models import Session, Tree, Yard
from mirvo.standins.weather import SimulatedStation
from mirvo.studio.context import Studio

AFTERCARE_DAYS = 60
USUAL_FLOOR_C = -8.0


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


def frost_watch(studio: Studio) -> list[ColdNights]:
    """Trees that the ten days forecast would harm, those with the first cold night first."""
    today = studio.today
    days = station_of(studio.yard()).forecast(today)
    worked = (
        select(Session.done_on)
        .where(Session.tree_id == Tree.id, Session.kind.in_(rules().care.worked_kinds))
        .order_by(Session.done_on.desc())
        .limit(1)
        .scalar_subquery()
    )
    with reading(studio.engine) as unit:
        rows = unit.execute(select(Tree, worked).where(Tree.under_glass.is_(False))).all()
    found = []
    for tree, done_on in rows:
        floor, why = _floor(tree, done_on, today)
        nights = nights_below(days, floor)
        if nights:
            found.append(ColdNights(tree, nights, floor, why))
    return sorted(found, key=lambda one: (one.nights[0].day, one.tree.name))


def _floor(tree: Tree, done_on: date | None, today: date) -> tuple[float, str]:
    """The night temperature a tree must not meet now, and why."""
    species = species_by_key(tree.species_key)
    if species.night_floor_c >= rules().care.tender_from_c:
        return (
            species.night_floor_c,
            f"{species.name} wants nights above {species.night_floor_c:g} °C",
        )
    if done_on is not None and (today - done_on).days <= AFTERCARE_DAYS:
        return FRESH_ROOTS_FLOOR_C, f"its roots were worked on {done_on.day} {done_on:%B}"
    return USUAL_FLOOR_C, "roots in a pot freeze through"


def expected_bud_swell(yard: Yard, species: Species, year: int) -> date | None:
    """When buds usually swell at the place, by degree days; None where no rule is known.

    The sum starts at the coldest time, half a year before the warmest.
    """
    rule = rules().phenology.get(species.group)
    if rule is None:
        return None
    month, day = (int(part) for part in yard.last_frost.split("-"))
    start = date(year, month, day) - timedelta(days=rules().chill_days)
    station = station_of(yard)
    usual = (station.normal(start + timedelta(days=ahead)) for ahead in range(200))
    return bud_swell(usual, rule.base_c, rule.degree_days)
