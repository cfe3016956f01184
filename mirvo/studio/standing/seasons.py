"""Seasons seen in the yard, and what they say of the windows of its species."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from datetime import date
from functools import lru_cache
from typing import Annotated, Literal

from pydantic import StringConstraints

from mirvo.core.almanac import Species
from mirvo.core.errors import BadInput, NotFound
from mirvo.core.limits.base import Limits, PastDay, short_day
from mirvo.core.season import Shift
from mirvo.core.season.seen import (
    PlantTold,
    days_late,
    learnt_shift,
    opened_shift,
    plant_shift,
    told_by_plants,
    year_of,
)
from mirvo.records.database import DbSession
from mirvo.records.documents import SeasonSeen
from mirvo.records.models import Yard
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.set_aside import SEASON, keep_deleted_value
from mirvo.studio.ground.settings import put_yard, yard_of
from mirvo.studio.standing.species import entry_of

# A lifetime of springs.
MOST_SEEN = 1000
OPENED: Literal["opened"] = "opened"
PLANT: Literal["plant"] = "plant"


class OpenedFields(Limits):
    """The day a species opened, buds swelling on most of its trees; or how early or late it was."""

    opened_on: PastDay | None = None
    season_note: Annotated[str, StringConstraints(strip_whitespace=True, max_length=200)] = ""


class PlantFields(Limits):
    """What a plant of the yard or its neighbourhood showed on a day."""

    plant: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)]
    plant_on: PastDay | None = None


@dataclass(frozen=True)
class NotedYear:
    """A year in which a species was seen to open; late : days after the usual beginning."""

    seen: SeasonSeen
    late: int


@dataclass(frozen=True)
class SeasonsOfSpecies:
    """noted : newest first. learnt : what they say of other years. told : by indicator plants.
    running : of this year, by the surest source that speaks of it."""

    noted: list[NotedYear]
    learnt: Shift | None
    told: list[PlantTold]
    running: Shift | None


def note_opened(studio: Studio, key: str, form: OpenedFields) -> None:
    """Note the day a species opened; of one year the latest note holds. Raises BadInput."""
    day = form.opened_on
    if day is None:
        raise BadInput("opened_on", "On which day did its buds swell?")
    form.check_days(studio.today)
    with studio.writing() as db:
        species = entry_of(db, key).species
        yard = yard_of(db)
        year = year_of(species, yard.last_frost, day)
        others = [
            seen
            for seen in yard.seasons_seen or ()
            if not (
                (seen.what, seen.name) == (OPENED, key)
                and year_of(species, yard.last_frost, seen.seen_on) == year
            )
        ]
        _put(db, [*others, SeasonSeen(what=OPENED, name=key, seen_on=day, note=form.season_note)])


def note_plant(studio: Studio, form: PlantFields) -> None:
    """Note what a plant showed on a day; one day a year counts. Raises BadInput."""
    day = form.plant_on
    if day is None:
        raise BadInput("plant_on", "On which day was it seen?")
    form.check_days(studio.today)
    with studio.writing() as db:
        others = [
            seen
            for seen in yard_of(db).seasons_seen or ()
            if not (
                seen.what == PLANT
                and seen.name.lower() == form.plant.lower()
                and abs((seen.seen_on - day).days) < 180
            )
        ]
        _put(db, [*others, SeasonSeen(what=PLANT, name=form.plant, seen_on=day)])


def forget_seen(studio: Studio, what: str, name: str, day: date) -> None:
    """Take a note back. Raises NotFound."""
    with studio.writing() as db:
        seen = yard_of(db).seasons_seen or ()
        left = [one for one in seen if (one.what, one.name, one.seen_on) != (what, name, day)]
        if len(left) == len(seen):
            raise NotFound("season", "there is no such note of a season")
        for one in set(seen) - set(left):
            said = f"Season note: {name}, {short_day(day)}"
            keep_deleted_value(db, studio.now, SEASON, one.model_dump(mode="json"), said)
        _put(db, left)


def _put(db: DbSession, seen: list[SeasonSeen]) -> None:
    if len(seen) > MOST_SEEN:
        raise BadInput(
            "opened_on", f"The almanac keeps {MOST_SEEN} notes of seasons; drop old ones."
        )
    put_yard(db, seasons_seen=tuple(sorted(seen, key=lambda one: (one.seen_on, one.name))))


def plants_seen(yard: Yard) -> dict[str, list[date]]:
    """Days of each indicator plant, newest first, by plant."""
    days: dict[str, list[date]] = defaultdict(list)
    for seen in yard.seasons_seen or ():
        if seen.what == PLANT:
            days[seen.name].append(seen.seen_on)
    return {plant: sorted(found, reverse=True) for plant, found in sorted(days.items())}


def seasons_of(yard: Yard, species: Species, today: date) -> SeasonsOfSpecies:
    """What was noted of a species, and what follows from it."""
    return _seasons(yard.seasons_seen or (), species, yard.last_frost, today)


def seen_shifts(yard: Yard, species: Species, today: date) -> tuple[Shift, ...]:
    """What was seen says of the running year, then of every other one."""
    seen = yard.seasons_seen
    # Asked for every row of a list, and most yards have noted nothing.
    if not seen:
        return ()
    found = _seasons(seen, species, yard.last_frost, today)
    return tuple(shift for shift in (found.running, found.learnt) if shift is not None)


@lru_cache(maxsize=512)
def _seasons(
    seen: tuple[SeasonSeen, ...], species: Species, last_frost: str, today: date
) -> SeasonsOfSpecies:
    known = [one for one in seen if one.seen_on <= today]
    of_it = [one for one in known if (one.what, one.name) == (OPENED, species.key)]
    openings = {year_of(species, last_frost, one.seen_on): one.seen_on for one in of_it}
    sightings: dict[str, dict[int, date]] = defaultdict(dict)
    for one in known:
        if one.what == PLANT:
            sightings[one.name][year_of(species, last_frost, one.seen_on)] = one.seen_on
    year = year_of(species, last_frost, today)
    noted = [NotedYear(one, days_late(species, last_frost, one.seen_on)) for one in of_it]
    told = told_by_plants({at: day for at, day in openings.items() if at != year}, sightings)
    running = None
    if year in openings:
        running = opened_shift(species, last_frost, openings[year])
    else:
        speaks = next((one for one in told if year in sightings[one.plant]), None)
        if speaks is not None:
            seen_on = sightings[speaks.plant][year]
            running = plant_shift(species, last_frost, year, speaks, seen_on)
    learnt = learnt_shift([one.late for one in noted])
    return SeasonsOfSpecies(noted[::-1], learnt, told, running)
