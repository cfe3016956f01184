"""Until when a tree recovers from its last root work, or from having come."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

from mirvo.core.almanac import rules
from mirvo.core.coded import Coded, coded
from mirvo.core.rootwork import treated_as_cutting
from mirvo.core.standing.answer import Answer


@dataclass(frozen=True)
class RootWork:
    """The last session that opened the ball. share : taken, bearing : what the tree could bear.

    growing_from : the day its buds should move, where it was dormant. Roots heal in growth alone,
    so it recovers for the shortest time at least from that day on.
    """

    kind: str
    done_on: date
    share: float | None
    bearing: float | None
    answer: Answer | None = None
    shoots_on: date | None = None
    growing_from: date | None = None

    def until(self, days: int, least: int) -> date:
        """The last day of a recovery of so many days, of which `least` lie in growth."""
        grown = (self.growing_from or self.done_on) + timedelta(days=least)
        return max(self.done_on + timedelta(days=days), grown)


@dataclass(frozen=True)
class Recovery:
    """until : last day of it; why : what it recovers from.

    of_session : whether a session is the cause, and not that the tree came with few roots.
    """

    until: date
    why: Coded
    of_session: bool = True

    def holds(self, day: date) -> bool:
        """Whether the tree still recovers on a day."""
        return day <= self.until


LONG_KINDS = ("collection", "exposed-root")


def recovery_of(
    work: RootWork | None, came_on: date | None, origin: str, today: date
) -> Recovery | None:
    """The recovery a tree is in or was in last; None where nothing was ever done to it.

    Trees that were dug, came bare of soil or seeded themselves recover from having come.
    """
    table = rules().standing
    if work is None:
        if came_on is None or origin not in rules().budget.collected_origins:
            return None
        until = came_on + timedelta(days=table.newcomer_recovery_days)
        return Recovery(until, coded("few_roots", came_on=came_on), of_session=False)
    return Recovery(*_after(work))


def _after(work: RootWork) -> tuple[date, Coded]:
    table = rules().standing
    short, long = table.recovery_days
    part = 1.0
    if work.share is not None and work.bearing:
        part = min(1.0, work.share / work.bearing)
    days = round(short + (long - short) * part)
    if work.kind == "emergency":
        days = table.emergency_recovery_days
    if work.kind in LONG_KINDS:
        days = long
    if treated_as_cutting(work.kind, work.share, work.bearing):
        # More than it could bear: it is rooted anew like a cutting, and rests one spring more.
        days = table.cutting_recovery_days
    why, until = "worked", work.until(days, short)
    if work.answer == "poor":
        # A tree that answered badly gets half as long again.
        until = work.until(round(1.5 * days), short)
        why = "worked_poorly"
    elif work.answer == "good" and work.shoots_on is not None:
        # New shoots are the only proof, and they end it.
        until = min(until, max(work.shoots_on, work.done_on + timedelta(days=short)))
        why = "worked_well"
    return until, coded(why, done_on=work.done_on, share=work.share)
