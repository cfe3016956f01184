"""Water a tree uses, from weighings of its pot: it shows that roots drink again, often before
shoots do."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from itertools import pairwise
from statistics import median

DAY_SECONDS = 86_400.0
# Nearer together the scale's error counts for more than the loss; farther apart it dries unevenly.
LEAST_DAYS, MOST_DAYS = 0.25, 6.0
# What is usual at this time of the year, from so many uses at least.
SEASON_DAYS, BEFORE_DAYS, LEAST_USES = 45, 60, 3
CURVE_DAYS = 240
# It drinks as before once the middle of three uses reaches this part of its usual.
BACK_FROM = 0.8


@dataclass(frozen=True)
class Weighing:
    """Pot and tree on a scale, g, at a moment."""

    at: datetime
    grams: float


@dataclass(frozen=True)
class DayUse:
    """Water used, g a day, between two weighings; day : in the middle of them."""

    day: date
    grams: float


@dataclass(frozen=True)
class Drinking:
    """Water use since root work against what is usual.

    usual_g : g a day. points : days since the work and part of the usual. back_on : the day it
    drank as before, None while it does not.
    """

    usual_g: float
    points: tuple[tuple[int, float], ...]
    back_on: date | None


def uses_of(weighings: Iterable[Weighing], watered: Collection[date] = ()) -> list[DayUse]:
    """Water used between neighbouring weighings, oldest first.

    A pair with a watering on a day between them says nothing; on its own days a pot is weighed
    after it was watered first and before it is watered next.

    >>> first = Weighing(datetime(2027, 5, 1, 8), 2400.0)
    >>> uses_of([first, Weighing(datetime(2027, 5, 3, 8), 2100.0)])[0].grams
    150.0
    """
    found = []
    for first, second in pairwise(sorted(weighings, key=lambda one: one.at)):
        days = (second.at - first.at).total_seconds() / DAY_SECONDS
        lost = first.grams - second.grams
        between = any(first.at.date() < day < second.at.date() for day in watered)
        if LEAST_DAYS <= days <= MOST_DAYS and lost >= 0 and not between:
            middle = first.at + (second.at - first.at) / 2
            found.append(DayUse(middle.date(), lost / days))
    return found


def drinking_since(uses: Sequence[DayUse], worked_on: date) -> Drinking | None:
    """How a tree drinks since its roots were worked; None without a usual or a use since."""
    before = [use for use in uses if use.day < worked_on]
    since = [use for use in uses if worked_on <= use.day <= worked_on + timedelta(days=CURVE_DAYS)]
    if not since:
        return None
    usual = _usual(before, since[-1].day, worked_on)
    if not usual:
        return None
    points = tuple(((use.day - worked_on).days, use.grams / usual) for use in since)
    back_on = next(
        (
            third.day
            for first, second, third in zip(since, since[1:], since[2:], strict=False)
            if median((first.grams, second.grams, third.grams)) >= BACK_FROM * usual
        ),
        None,
    )
    return Drinking(usual, points, back_on)


def _usual(before: Sequence[DayUse], now: date, worked_on: date) -> float | None:
    """Usual use at this time of the year in years before, else in the weeks before the work."""
    same = [use.grams for use in before if _days_of_year_apart(use.day, now) <= SEASON_DAYS]
    if len(same) < LEAST_USES:
        from_day = worked_on - timedelta(days=BEFORE_DAYS)
        same = [use.grams for use in before if use.day >= from_day]
    return median(same) if len(same) >= LEAST_USES else None


def _days_of_year_apart(one: date, other: date) -> int:
    apart = abs(one.timetuple().tm_yday - other.timetuple().tm_yday)
    return min(apart, 365 - apart)
