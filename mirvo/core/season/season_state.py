"""The season rule: whether a tree may be worked on a day, and why, each reason with its source.

What was seen on the buds beats nightly minima that were measured, and these beat the calendar.
Budget, verdict, session, calendar and every page ask here and nowhere else.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Literal

from mirvo.core.almanac import Species, rules
from mirvo.core.season.weather import degrees
from mirvo.core.season.window import (
    CALENDAR_ALONE,
    CLOSING_DAYS,
    OVER,
    Outlook,
    Place,
    Reason,
    Span,
    Window,
    buds_concern,
    spans_of,
)

State = Literal["too early", "edge", "open", "closing", "shut"]
OPEN, EDGE, SHUT = "open", "edge", "shut"
WORKABLE = ("open", "closing")


@dataclass(frozen=True)
class Season:
    """The season of a tree on a day, and the window it stands in or waits for.

    start, end, best : of that window.
    """

    state: State
    start: date
    end: date
    best: date
    reasons: tuple[Reason, ...] = ()

    @property
    def window(self) -> Window:
        """The window it stands in or waits for."""
        return Window(self.start, self.end, self.best, self.reasons)

    @property
    def budget(self) -> str:
        """How the budget counts the season: open, edge or shut."""
        if self.state in WORKABLE:
            return OPEN
        return EDGE if self.state == "edge" else SHUT

    @property
    def workable(self) -> bool:
        """Whether root work at the full budget may be done."""
        return self.state in WORKABLE

    @property
    def sources(self) -> tuple[str, ...]:
        """Where the state is known from, each named once."""
        return tuple(dict.fromkeys(reason.source for reason in self.reasons)) or ("calendar",)

    @property
    def sentence(self) -> str:
        """The reasons as one line, each with where it is from."""
        return "; ".join(f"{reason.text} ({reason.source})" for reason in self.reasons)


def season_state(
    species: Species,
    place: Place,
    day: date,
    outlook: Outlook = CALENDAR_ALONE,
    dormant_work: str = "swelling",
) -> Season:
    """The season of a tree on a day.

    Parameters
    ----------
    outlook : what is known beside the calendar. dormant_work : the practice's answer; "swelling"
    does not begin before the buds swell, so that there is no edge before the window.
    """
    spans = [
        span
        for year in range(day.year - 1, day.year + 3)
        for span in spans_of(species, place, year, outlook)
    ]
    inside = next((span for span in spans if span.start <= day <= span.end), None)
    # The last that is over, and the first still to come.
    before = [span for span in spans if span.end < day]
    ahead = [span for span in spans if span.start > day]
    over = _leaves_say_over(species, place, day, outlook)
    if inside is not None and not inside.cold and not over:
        cold = _too_cold(species, day, outlook)
        if cold is not None:
            return _season("too early", inside, (*inside.reasons, cold))
        state: State = "closing" if (inside.end - day).days <= CLOSING_DAYS else "open"
        return _season(state, inside, inside.reasons or (_by_calendar(species, place),))
    if inside is not None and inside.cold:
        return _season("shut", inside, inside.reasons)
    coming = ahead[0] if ahead else spans[-1]
    if over is not None:
        return _season("shut", coming, (over,))
    return _outside(species, place, day, before, coming, dormant_work)


def _outside(
    species: Species,
    place: Place,
    day: date,
    before: list[Span],
    coming: Span,
    dormant_work: str,
) -> Season:
    """The state of a day in no window: at the edge of one, before the next, or shut."""
    table = rules().season
    calendar = _by_calendar(species, place)
    until = (coming.start - day).days
    if until <= table.edge_days and not coming.cold:
        if species.group in table.worked_dormant and dormant_work == "swelling":
            why = Reason("your practice does not begin before the buds swell", "practice")
            return _season("too early", coming, (*coming.reasons, calendar, why))
        text = f"{until} days before the window: possible at a smaller budget, kept free of frost"
        return _season("edge", coming, (*coming.reasons, Reason(text, "calendar")))
    past = (day - before[-1].end).days if before else None
    if past is not None and past <= table.edge_days and not before[-1].cold:
        text = f"{past} days after the window's end: possible at a smaller budget"
        return _season("edge", coming, (Reason(text, "calendar"),))
    # Half a year ahead is waiting; right after a window it is over.
    near = before and (day - before[-1].end).days < (coming.start - day).days
    state: State = "shut" if near else "too early"
    return _season(state, coming, (*coming.reasons, calendar))


def _season(state: State, span: Span, reasons: tuple[Reason, ...]) -> Season:
    return Season(state, span.start, span.end, span.best, tuple(dict.fromkeys(reasons)))


def _by_calendar(species: Species, place: Place) -> Reason:
    """Where a window is from that nothing else speaks of."""
    month, day = (int(part) for part in place.last_frost.split("-"))
    frost = date(2001, month, min(day, 28) if month == 2 else day)
    said = "spring" if place.frost_free else f"the usual last frost about {frost.day} {frost:%B}"
    return Reason(f"the window of {species.name} counts from {said}", "calendar")


def _leaves_say_over(species: Species, place: Place, day: date, outlook: Outlook) -> Reason | None:
    """Leaves out, hardened or falling shut a deciduous window however the calendar stands."""
    seen = outlook.seen_on
    if outlook.buds not in OVER or seen is None or seen > day:
        return None
    if species.group not in rules().phenology or not buds_concern(species, place, day, seen):
        return None
    return Reason(f"{outlook.buds} on {seen.day} {seen:%B}: this window is over", "buds seen")


def _too_cold(species: Species, day: date, outlook: Outlook) -> Reason | None:
    """Whether nights about a day are known to lie below what a tender tree needs."""
    table = rules()
    if species.night_floor_c < table.care.tender_from_c or outlook.under_glass:
        return None
    near = [
        night
        for night in outlook.nights
        if abs((night.day - day).days) <= table.season.nights_near_days
    ]
    if not near:
        return None
    lowest = min(near, key=lambda night: night.low_c)
    if lowest.low_c >= species.night_floor_c:
        return None
    return Reason(
        f"nights down to {degrees(lowest.low_c)} °C, and it wants {species.night_floor_c:g} °C",
        outlook.nights_source,
    )
