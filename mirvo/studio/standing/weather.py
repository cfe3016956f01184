"""The weather of the yard as far as it is known: nights measured or typed in, the simulated
station where the yard has one, frost to come and whom it concerns, and when buds should swell."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from functools import lru_cache

from sqlalchemy import select

from mirvo.core.almanac import Species, rules
from mirvo.core.errors import BadInput
from mirvo.core.limits.base import checked
from mirvo.core.limits.care import COLDEST_C, WARMEST_C, NightFields
from mirvo.core.season import Outlook, Place, Shift, frost_day
from mirvo.core.season.best_week import cold_nights_after, usual_swell
from mirvo.core.season.weather import (
    FRESH_ROOTS_FLOOR_C,
    DayWeather,
    Station,
    chance_below,
    degrees,
    nights_below,
    season_shift,
)
from mirvo.core.season.window import SIMULATED
from mirvo.records.database import DbSession
from mirvo.records.models import NightMinimum, Tree, Yard
from mirvo.standins.weather import SimulatedStation
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.ground.state_cache import kept_by_settings, kept_for_all
from mirvo.studio.standing.seasons import seen_shifts

# Below this a pot freezes through and even hardy roots die.
USUAL_FLOOR_C = -8.0
NIGHTS_BACK = 30
MAX_NIGHTS = 40_000
TYPED, THERMOMETER = "typed", "thermometer"
SAID = {TYPED: "minima entered by hand", THERMOMETER: "thermometer"}


@dataclass(frozen=True)
class ColdNights:
    """The cold nights to come for one tree, the first first, why they matter, and who says so."""

    tree: Tree
    nights: list[DayWeather]
    floor_c: float
    why: str
    source: str = SIMULATED


def place_of(yard: Yard) -> Place:
    """Where the yard lies, as seasons need it."""
    return Place(yard.last_frost, yard.frost_free, yard.first_frost)


def station_of(yard: Yard) -> Station | None:
    """The simulated weather station, where the yard says it wants one."""
    if not yard.simulated_weather:
        return None
    return SimulatedStation(yard.place or yard.name, yard.last_frost)


@kept_by_settings
def _last_nights(db: DbSession) -> list[NightMinimum]:
    """The last nights kept, by day; as none is of a day to come, those near today are there."""
    query = select(NightMinimum).order_by(NightMinimum.day.desc()).limit(NIGHTS_BACK + 1)
    return list(db.scalars(query))[::-1]


@kept_for_all
def nights_near(db: DbSession, today: date) -> tuple[tuple[DayWeather, ...], str]:
    """Nights known about a day, and by what: those kept by the artist, else the simulated ones."""
    first = today - timedelta(days=NIGHTS_BACK)
    kept = [night for night in _last_nights(db) if first <= night.day <= today]
    if kept:
        nights = tuple(DayWeather(night.day, night.low_c, night.low_c) for night in kept)
        return nights, SAID.get(kept[-1].source, THERMOMETER)
    station = station_of(yard_of(db))
    return ((), SIMULATED) if station is None else (tuple(station.forecast(today)), SIMULATED)


def put_night(studio: Studio, day: date, low_c: float, source: str = TYPED) -> None:
    """Keep the lowest temperature of one night as it was typed in, or read by a thermometer.

    Raises
    ------
    BadInput : a night to come, or a temperature that cannot be.
    """
    try:
        checked(NightFields, {"day": day, "low_c": low_c}, studio.today)
    except BadInput as error:
        # The page and the interface call the day of a night by its own name.
        raise BadInput("night" if error.field == "day" else error.field, error.message) from None
    with studio.writing() as db:
        db.merge(NightMinimum(day=day, low_c=low_c, source=source))


def read_nights(content: bytes) -> dict[date, float]:
    """The minimum of each day in a thermometer's file, °C.

    A row begins with a day (2026-03-14, with or without a time) and bears a temperature in its
    next column; of several rows of a day the lowest counts. Rows that are neither are headings.

    Raises
    ------
    BadInput : no row can be read.
    """
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise BadInput("file", "this is no text file; export the thermometer as CSV") from None
    comma = text.count(";") == 0
    found: dict[date, float] = {}
    for row in csv.reader(io.StringIO(text), delimiter="," if comma else ";"):
        if len(row) < 2 or len(found) > MAX_NIGHTS:
            continue
        try:
            day = date.fromisoformat(row[0].strip()[:10])
            low = float(row[1].strip().replace(",", "."))
        except ValueError:
            continue
        if COLDEST_C <= low <= WARMEST_C:
            found[day] = min(low, found.get(day, low))
    if not found:
        raise BadInput(
            "file", "no row has a day such as 2026-03-14 and a temperature in its next column"
        )
    return found


def take_nights(studio: Studio, content: bytes) -> int:
    """Keep the minima of a thermometer's file; how many nights it held. Raises BadInput."""
    found = {day: low for day, low in read_nights(content).items() if day <= studio.today}
    with studio.writing() as db:
        for day, low in found.items():
            db.merge(NightMinimum(day=day, low_c=low, source=THERMOMETER))
    return len(found)


def frost_watch(
    db: DbSession, today: date, trees: Iterable[tuple[Tree, Species, date | None]]
) -> list[ColdNights]:
    """Trees that the ten days forecast would harm, those with the first cold night first.

    trees : living ones, each with its species and the day its roots were worked last.
    """
    yard = yard_of(db)
    station = station_of(yard)
    # Without a forecast nobody knows what comes; a frost-free place has none to fear.
    if station is None or yard.frost_free:
        return []
    days, found = station.forecast(today), []
    coldest = min(day.low_c for day in days)
    for tree, species, done_on in trees:
        # Under glass no frost comes near, whatever the forecast.
        if tree.under_glass:
            continue
        floor, why = floor_of(species, done_on, today)
        if coldest < floor and (nights := nights_below(days, floor)):
            found.append(ColdNights(tree, nights, floor, why))
    return sorted(found, key=lambda warning: (warning.nights[0].day, warning.tree.name))


def floor_of(species: Species, done_on: date | None, today: date) -> tuple[float, str]:
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


def warnings_before_work(
    db: DbSession, tree: Tree, species: Species, day: date, may_be_warmed: bool = False
) -> list[str]:
    """What frost or heat to come means for roots opened on a day, said before the first cut."""
    yard = yard_of(db)
    said = []
    station = station_of(yard)
    sheltered = tree.under_glass or may_be_warmed
    if not sheltered and not yard.frost_free:
        cold = [] if station is None else nights_below(station.forecast(day), FRESH_ROOTS_FLOOR_C)
        frost = next(
            (
                frost_day(yard.last_frost, year)
                for year in (day.year, day.year + 1)
                if frost_day(yard.last_frost, year) > day
            ),
            None,
        )
        if cold:
            said.append(
                f"Frost forecast, down to {degrees(min(night.low_c for night in cold))} °C in "
                f"{len(cold)} of ten nights (simulated): have a frost-free place ready before you "
                "cut."
            )
        elif frost is not None and (frost - day).days <= 183:
            said.append(
                f"The usual last frost is about {frost.day} {frost:%B %Y}: fresh-cut roots must be "
                "kept free of frost until then."
            )
    ceiling = rules().season.heat_ceiling_c.get(species.group)
    if station is not None and ceiling is not None:
        hot = [weather for weather in station.forecast(day) if weather.high_c >= ceiling]
        if hot:
            said.append(
                f"Days of {max(day.high_c for day in hot):.0f} °C are forecast (simulated): "
                "fresh roots cannot fill leaf in such heat. Wait, or shade and mist it."
            )
    return said


def expected_bud_swell(
    yard: Yard, species: Species, year: int, today: date | None = None
) -> date | None:
    """When buds should swell at the place, by degree days; None where nobody can tell.

    The sum starts at the coldest time, half a year before the warmest. With `today` the
    season's own warmth so far counts.
    """
    station = station_of(yard)
    if station is None:
        return None
    # Warmth is summed from the coldest time, when nothing grows yet.
    swell = usual_swell(station, species.group, _coldest(yard.last_frost, year))
    if swell is None or today is None:
        return swell
    # The same shift as the window's, so that one page does not say two things of one spring.
    shifts = shifts_of(yard, species, today)
    shift = next((one for one in shifts if one.year in (year, None)), None)
    return swell if shift is None else swell + timedelta(days=shift.days)


def _coldest(last_frost: str, year: int) -> date:
    return frost_day(last_frost, year) - timedelta(days=rules().chill_days)


def season_shift_of(yard: Yard, species: Species, today: date) -> tuple[int, int] | None:
    """Year of the running season and the days its warmth runs late; None outside of it."""
    rule = rules().phenology.get(species.group)
    if rule is None or not yard.simulated_weather:
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


def outlook_for(
    yard: Yard,
    tree: Tree,
    species: Species,
    today: date,
    nights: tuple[Sequence[DayWeather], str] = ((), SIMULATED),
    buds: tuple[str, date] | None = None,
) -> Outlook:
    """What is known of a tree's season beside the calendar.

    nights : known about the day, see `nights_near`. buds : stage and day, where they are another
    day's than the tree's own note says.
    """
    stage, seen_on = buds or (tree.buds_seen, tree.buds_seen_on)
    return Outlook(
        buds=stage,
        seen_on=seen_on,
        shifts=shifts_of(yard, species, today),
        under_glass=tree.under_glass,
        station=station_of(yard),
        nights=nights[0],
        nights_source=nights[1],
    )


def shifts_of(yard: Yard, species: Species, today: date) -> tuple[Shift, ...]:
    """How windows run against the usual ones, what is known best first: seen in the yard this
    year, by its warmth, and by the years noted before."""
    warmth = season_shift_of(yard, species, today)
    found = [*seen_shifts(yard, species, today)]
    if warmth is not None:
        year, days = warmth
        way = "late" if days > 0 else "early"
        text = f"the season runs {abs(days)} days {way}, by its warmth"
        # What was seen this year beats it; it beats what is usual here.
        place = next((n for n, shift in enumerate(found) if shift.year is None), len(found))
        found.insert(place, Shift(year, days, text))
    return tuple(found)


def usual_outlook(yard: Yard, species: Species, today: date) -> Outlook:
    """What is known of a species' season, whichever tree it is."""
    return Outlook(shifts=shifts_of(yard, species, today), station=station_of(yard))


def frost_after(yard: Yard, species: Species, day: date) -> int | None:
    """Nights too cold for a species' fresh roots to be expected in the four weeks after a day; None
    where nobody can tell. The same count chooses the best week."""
    station = station_of(yard)
    if yard.frost_free:
        return 0
    return None if station is None else cold_nights_after(station, species.night_floor_c, day)


def frost_by_week(yard: Yard) -> list[float]:
    """Chance of frost in a night in the middle of each of the 52 weeks of a year; none unknown."""
    station = station_of(yard)
    if station is None or yard.frost_free:
        return [0.0] * 52
    # Any year does: what is usual does not depend on it.
    middles = (date(2001, 1, 4) + timedelta(weeks=week) for week in range(52))
    return [chance_below(station.normal(day).low_c, station.spread_c) for day in middles]
