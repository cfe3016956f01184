"""The season window of a species: by the usual last frost, the season's warmth, and the buds.

What the artist saw on the buds beats what warmth suggests, and that beats the calendar.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import date, timedelta

from mirvo.core.almanac import Species, rules
from mirvo.core.season.weather import Station

BUD_STAGES = ("dormant", "buds swelling", "buds opening", "leaves out", "hardened", "leaf fall")
OVER = ("leaves out", "hardened", "leaf fall")
CLOSING_DAYS = 10


@dataclass(frozen=True)
class Outlook:
    """What is known of a season beside the calendar.

    buds, seen_on : a stage of `BUD_STAGES` and the day it was seen, "" and None if nothing was.
    shift : year, and by how many days its warmth runs late (early when negative).
    under_glass : the tree is kept frost free. station : usual weather, for heat.
    """

    buds: str = ""
    seen_on: date | None = None
    shift: tuple[int, int] | None = None
    under_glass: bool = False
    station: Station | None = None


CALENDAR_ALONE = Outlook()


@dataclass(frozen=True)
class Window:
    """First and last day, middle of the best week, the state on the day asked, and why so."""

    start: date
    end: date
    best: date
    state: str
    reasons: list[str] = field(default_factory=list)

    @property
    def year(self) -> int:
        return self.start.year


@dataclass(frozen=True)
class _Span:
    """A window while it is being moved."""

    start: date
    end: date
    best: date
    reasons: tuple[str, ...] = ()

    def moved(self, days: int, reason: str) -> _Span:
        by = timedelta(days=days)
        reasons = (*self.reasons, reason)
        return _Span(self.start + by, self.end + by, self.best + by, reasons)


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


def frost_day(last_frost: str, year: int) -> date:
    """The usual last frost in a year, from "MM-DD"; a leap day counts as the day before."""
    month, day = (int(part) for part in last_frost.split("-"))
    return date(year, month, min(day, 28) if month == 2 else day)


def window_of(
    species: Species,
    last_frost: str,
    today: date,
    not_before: date,
    outlook: Outlook = CALENDAR_ALONE,
) -> Window:
    """The next window that ends on or after today and is not before the interval's end.

    The state is "too early", "open" or "closing" (within the last ten days). Where the usual
    last frost lies late in the year, a window may reach over its end.
    """
    # A window may begin in the year before the one it ends in; buds may end one early.
    year = max(today.year, not_before.year) - 2
    while True:
        year += 1
        span = _span(species, last_frost, year, outlook)
        if span is not None and span.end >= max(today, not_before):
            break
    if today < span.start:
        state = "too early"
    # The last days are told apart: fresh roots need time before the heat.
    elif (span.end - today).days <= CLOSING_DAYS:
        state = "closing"
    else:
        state = "open"
    return Window(span.start, span.end, span.best, state, list(span.reasons))


def _span(species: Species, last_frost: str, year: int, outlook: Outlook) -> _Span | None:
    """One year's window with all that is known; None when the buds say that it is over."""
    usual = _Span(*year_window(species, last_frost, year))
    span = usual
    if outlook.shift is not None and outlook.shift[0] == year and outlook.shift[1]:
        days = outlook.shift[1]
        way = "late" if days > 0 else "early"
        span = span.moved(days, f"the season runs {abs(days)} days {way}, by its warmth")
    # Glass brings the beginning forward; the heat that ends a window comes all the same.
    if outlook.under_glass:
        weeks = rules().season.under_glass_weeks
        reason = f"under glass it opens {weeks} weeks earlier"
        span = _Span(
            span.start - timedelta(weeks=weeks), span.end, span.best, (*span.reasons, reason)
        )
    # Buds of another season say nothing of this window.
    if outlook.buds and outlook.seen_on is not None and _concerns(usual, outlook.seen_on):
        seen = _by_buds(species, usual, span, outlook.buds, outlook.seen_on)
        if seen is None:
            return None
        span = seen
    return _before_heat(species, span, outlook.station)


def _concerns(usual: _Span, seen_on: date) -> bool:
    """Whether a day lies in the season of this window: from well before it to well after."""
    table = rules().season
    first = usual.start - timedelta(days=table.buds_before_days)
    return first <= seen_on <= usual.end + timedelta(days=table.buds_after_days)


def _by_buds(species: Species, usual: _Span, span: _Span, buds: str, seen_on: date) -> _Span | None:
    """The window as the buds say it, for species whose window follows their buds."""
    if species.group not in rules().phenology:
        return span
    text = f"{buds} on {seen_on.day} {seen_on:%B}"
    # Once leaves open, the reserves have left the roots and cutting costs far more.
    if buds in OVER:
        return None
    if buds == "dormant":
        wait = (seen_on + timedelta(days=rules().season.dormant_wait_days) - span.start).days
        # Dormant buds can only put a window off, never bring it forward.
        return span.moved(wait, text) if wait > 0 else span
    if buds == "buds swelling":
        # Swelling is the very beginning; it is truer than any estimate from warmth.
        return usual.moved((seen_on - usual.start).days, text)
    end = seen_on + timedelta(days=CLOSING_DAYS)
    start = min(span.start, seen_on)
    return _Span(start, end, min(max(span.best, start), end), (text,))


def _before_heat(species: Species, span: _Span, station: Station | None) -> _Span:
    """The window closed on the first day that is usually too hot for fresh roots."""
    ceiling = rules().season.heat_ceiling_c.get(species.group)
    if station is None or ceiling is None:
        return span
    for ahead in range((span.end - span.start).days + 1):
        day = span.start + timedelta(days=ahead)
        # A hot first day would leave a window of no days; it keeps at least one.
        if station.normal(day).high_c >= ceiling and ahead > 0:
            reason = f"closes before days of {ceiling:g} °C"
            return _Span(
                span.start,
                day - timedelta(days=1),
                min(span.best, day - timedelta(days=1)),
                (*span.reasons, reason),
            )
    return span
