"""The windows of a species: by the usual last frost, the season's warmth, the buds, and heat.

What the artist saw on the buds beats what warmth suggests, and that beats the calendar.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import MAXYEAR, MINYEAR, date, timedelta

from mirvo.core.almanac import Species, rules
from mirvo.core.season.best_week import best_day, usual_swell
from mirvo.core.season.weather import DayWeather, Station

BUD_STAGES = ("dormant", "buds swelling", "buds opening", "leaves out", "hardened", "leaf fall")
OVER = ("leaves out", "hardened", "leaf fall")
CLOSING_DAYS = 10
BUDS, CALENDAR, GLASS = "buds seen", "calendar", "under glass"
SIMULATED = "simulated station"
# The usual last frost of a place that nobody told of.
UNTOLD_FROST = "04-20"
# A session a little short of its interval is made in the window it was meant for.
SLACK_DAYS = 60
DAYS_A_YEAR = 365.25


@dataclass(frozen=True)
class Place:
    """Where the trees stand. last_frost : usual last frost, MM-DD, in either hemisphere.

    frost_free : no frost ever comes; then it only says when spring begins. first_frost : usual
    first frost of autumn, MM-DD; empty where nobody gave it.
    """

    last_frost: str
    frost_free: bool = False
    first_frost: str = ""


@dataclass(frozen=True)
class Reason:
    """Why a window or a state is as it is, and where that is known from."""

    text: str
    source: str


@dataclass(frozen=True)
class Shift:
    """By how many days windows run late (early when negative), and how that is known.

    year : of the one it is about; None for every year nothing more is known of.
    """

    year: int | None
    days: int
    text: str = ""
    source: str = SIMULATED

    @property
    def reason(self) -> Reason:
        way = "late" if self.days > 0 else "early"
        return Reason(self.text or f"the season runs {abs(self.days)} days {way}", self.source)


@dataclass(frozen=True)
class Outlook:
    """What is known of a season beside the calendar.

    buds, seen_on : a stage of `BUD_STAGES` and the day it was seen, "" and None if nothing was.
    shifts : of windows against the usual ones; of those about a year the first one counts.
    under_glass : the tree is kept frost free. station : usual weather, for heat and cold; None
    where there is none. nights : minima that were measured or are forecast; nights_source : by
    what.
    """

    buds: str = ""
    seen_on: date | None = None
    shifts: tuple[Shift, ...] = ()
    under_glass: bool = False
    station: Station | None = None
    nights: Sequence[DayWeather] = ()
    nights_source: str = SIMULATED


CALENDAR_ALONE = Outlook()


@dataclass(frozen=True)
class Span:
    """One window: its days, why it lies there; cold : all its nights lie below the floor."""

    start: date
    end: date
    best: date
    reasons: tuple[Reason, ...] = ()
    cold: bool = False

    def moved(self, days: int, reason: Reason) -> Span:
        """The same so many days later."""
        by = timedelta(days=days)
        return Span(
            self.start + by, self.end + by, self.best + by, (*self.reasons, reason), self.cold
        )


@dataclass(frozen=True)
class Window:
    """First and last day of a window, the middle of its best week, and why it lies there."""

    start: date
    end: date
    best: date
    reasons: tuple[Reason, ...] = ()

    @property
    def year(self) -> int:
        return self.best.year


def year_window(species: Species, last_frost: str, year: int) -> tuple[date, date, date]:
    """Start, end and best day of one year's window by the calendar alone.

    `last_frost` is "MM-DD", the usual last frost of the place, in either hemisphere.
    """
    frost = frost_day(last_frost, year)
    first, last = species.window_weeks
    return (
        frost + timedelta(weeks=first),
        frost + timedelta(weeks=last),
        frost + timedelta(weeks=species.best_week),
    )


def growth_ends(place: Place, year: int, usual: timedelta) -> date:
    """The day growth of a year comes to rest: the first frost, else so long after the last one."""
    last = frost_day(place.last_frost, year)
    if not place.first_frost or place.frost_free:
        return last + usual
    first = frost_day(place.first_frost, year)
    # In the south spring and the autumn after it lie in two years of the calendar.
    return first if first > last else frost_day(place.first_frost, year + 1)


def frost_day(last_frost: str, year: int) -> date:
    """The usual last frost in a year, from "MM-DD"; a leap day counts as the day before.

    A year the calendar has none beside is taken as the last that has: a record may say any day.
    """
    month, day = (int(part) for part in last_frost.split("-"))
    year = min(max(year, MINYEAR + 2), MAXYEAR - 2)
    return date(year, month, min(day, 28) if month == 2 else day)


def next_window(
    species: Species,
    place: Place,
    today: date,
    not_before: date,
    outlook: Outlook = CALENDAR_ALONE,
) -> Window:
    """The next window that ends on or after today and whose best day is not before another day."""
    # A window may begin in the year before the one it ends in; buds may end one early.
    year = max(today.year, not_before.year) - 2
    while True:
        year += 1
        for span in spans_of(species, place, year, outlook):
            if span.end >= today and span.end >= not_before:
                return Window(span.start, span.end, span.best, span.reasons)


def windows_ahead(
    species: Species, place: Place, today: date, outlook: Outlook = CALENDAR_ALONE
) -> list[Window]:
    """Every window that ends within the year from a day on, the next first."""
    until = today + timedelta(days=round(DAYS_A_YEAR))
    spans = {
        span
        for year in range(today.year - 1, today.year + 2)
        for span in spans_of(species, place, year, outlook)
        if today <= span.end <= until
    }
    ordered = sorted(spans, key=lambda span: span.start)
    return [Window(span.start, span.end, span.best, span.reasons) for span in ordered]


def window_of_year(
    species: Species, place: Place, year: int, outlook: Outlook = CALENDAR_ALONE
) -> Window | None:
    """The window of one year with all that is known; None once the buds say it is over."""
    spans = spans_of(species, place, year, outlook)
    if not spans:
        return None
    return Window(spans[0].start, spans[0].end, spans[0].best, spans[0].reasons)


def due_from(done_on: date, interval_years: float) -> date:
    """First day on which a tree worked on a day is due again, by months and not by calendar years.

    A session two months short of its interval is made in the window it was meant for.
    """
    return done_on + timedelta(days=round(interval_years * DAYS_A_YEAR) - SLACK_DAYS)


def spans_of(species: Species, place: Place, year: int, outlook: Outlook) -> list[Span]:
    """The windows of one year with all that is known; none that the buds say is over."""
    usual = Span(*year_window(species, place.last_frost, year))
    first = _with_what_is_known(species, place, usual, year, outlook)
    second = rules().season.second_window_weeks.get(species.group)
    found = [] if first is None else [first]
    if second is not None:
        frost = frost_day(place.last_frost, year)
        start, end = (frost + timedelta(weeks=week) for week in second)
        reason = Reason("after flowering, before new growth hardens", CALENDAR)
        after = Span(start, end, start + (end - start) / 2, (reason,))
        found.append(_before_heat(species, after, outlook.station))
    return found


def _with_what_is_known(
    species: Species, place: Place, usual: Span, year: int, outlook: Outlook
) -> Span | None:
    span = usual
    shift = next((one for one in outlook.shifts if one.year in (year, None)), None)
    if shift is not None and shift.days:
        span = span.moved(shift.days, shift.reason)
    # Glass brings the beginning forward; the heat that ends a window comes all the same.
    if outlook.under_glass:
        weeks = rules().season.under_glass_weeks
        reason = Reason(f"under glass it opens {weeks} weeks earlier", GLASS)
        start = span.start - timedelta(weeks=weeks)
        span = replace(span, start=start, reasons=(*span.reasons, reason))
    # Buds of another season say nothing of this window.
    if outlook.buds and outlook.seen_on is not None and _concerns(usual, outlook.seen_on):
        seen = _by_buds(species, usual, span, outlook.buds, outlook.seen_on)
        if seen is None:
            return None
        span = seen
    span = _before_heat(species, _above_floor(species, span, outlook), outlook.station)
    return _in_its_best_week(species, place, span, year, outlook)


def _in_its_best_week(
    species: Species, place: Place, span: Span, year: int, outlook: Outlook
) -> Span:
    """The window with its best week, where a station and the species' buds can tell it.

    Buds swell until they open, which is when the window is closing.
    """
    station, rule = outlook.station, rules().phenology.get(species.group)
    if station is None or rule is None or span.cold or outlook.under_glass:
        return span
    opens = span.end - timedelta(days=CLOSING_DAYS)
    swells: date | None = span.start
    if not any(reason.source == BUDS for reason in span.reasons):
        coldest = frost_day(place.last_frost, year) - timedelta(days=rules().chill_days)
        swells = usual_swell(station, species.group, coldest)
        shift = next((one for one in outlook.shifts if one.year in (year, None)), None)
        if swells is not None and shift is not None:
            swells += timedelta(days=shift.days)
    if swells is None:
        return span
    return replace(span, best=best_day(species, span.start, span.end, (swells, opens), station))


def buds_concern(species: Species, place: Place, day: date, seen_on: date) -> bool:
    """Whether buds seen on one day speak of the window another day lies in or near to."""
    return any(
        _concerns(usual, seen_on) and _concerns(usual, day)
        for year in (day.year - 1, day.year, day.year + 1)
        for usual in [Span(*year_window(species, place.last_frost, year))]
    )


def _concerns(usual: Span, seen_on: date) -> bool:
    """Whether a day lies in the season of this window: from well before it to well after."""
    table = rules().season
    first = usual.start - timedelta(days=table.buds_before_days)
    return first <= seen_on <= usual.end + timedelta(days=table.buds_after_days)


def _by_buds(species: Species, usual: Span, span: Span, buds: str, seen_on: date) -> Span | None:
    """The window as the buds say it, for species whose window follows their buds."""
    if species.group not in rules().phenology:
        return span
    reason = Reason(f"{buds} on {seen_on.day} {seen_on:%B}", BUDS)
    # Once leaves open, the reserves have left the roots and cutting costs far more.
    if buds in OVER:
        return None
    if buds == "dormant":
        wait = (seen_on + timedelta(days=rules().season.dormant_wait_days) - span.start).days
        # Dormant buds can only put a window off, never bring it forward.
        return span.moved(wait, reason) if wait > 0 else span
    if buds == "buds swelling":
        # Swelling is the very beginning; it is truer than any estimate from warmth.
        return Span(*_from(usual, seen_on), (reason,))
    end = seen_on + timedelta(days=CLOSING_DAYS)
    start = min(span.start, seen_on)
    return Span(start, end, min(max(span.best, start), end), (reason,))


def _from(usual: Span, start: date) -> tuple[date, date, date]:
    by = start - usual.start
    return usual.start + by, usual.end + by, usual.best + by


def _above_floor(species: Species, span: Span, outlook: Outlook) -> Span:
    """The window of a tender tree from the first night that is usually warm enough."""
    table, station = rules(), outlook.station
    if species.night_floor_c < table.care.tender_from_c or outlook.under_glass or station is None:
        return span
    for ahead in range((span.end - span.start).days + 1):
        day = span.start + timedelta(days=ahead)
        if station.normal(day).low_c >= species.night_floor_c:
            if ahead == 0:
                return span
            text = f"nights below {species.night_floor_c:g} °C before that"
            reasons = (*span.reasons, Reason(text, SIMULATED))
            return replace(span, start=day, best=max(day, span.best), reasons=reasons)
    text = (
        f"every night of its window is usually below {species.night_floor_c:g} °C here: only under "
        "glass"
    )
    return replace(span, cold=True, reasons=(*span.reasons, Reason(text, SIMULATED)))


def _before_heat(species: Species, span: Span, station: Station | None) -> Span:
    """The window closed on the first day that is usually too hot for fresh roots."""
    ceiling = rules().season.heat_ceiling_c.get(species.group)
    if station is None or ceiling is None:
        return span
    for ahead in range((span.end - span.start).days + 1):
        day = span.start + timedelta(days=ahead)
        # A hot first day would leave a window of no days; it keeps at least one.
        if station.normal(day).high_c >= ceiling and ahead > 0:
            last = day - timedelta(days=1)
            reason = Reason(f"closes before days of {ceiling:g} °C", SIMULATED)
            reasons = (*span.reasons, reason)
            return Span(span.start, last, min(span.best, last), reasons, span.cold)
    return span
