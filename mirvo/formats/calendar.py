"""The calendar file (iCalendar, RFC 5545): windows and tasks as whole days."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from functools import lru_cache

MAKER = "-//Mirvo//Root sessions//EN"
END = b"END:VCALENDAR"
# More entries than any yard has.
KEPT = 20_000


@dataclass(frozen=True)
class Entry:
    """One entry of whole days, `first` to `last` inclusive. key : the same for ever."""

    key: str
    first: date
    last: date
    title: str
    note: str = ""


def calendar_file(name: str, entries: Iterable[Entry], stamp: datetime) -> bytes:
    """An iCalendar file that other programs read or subscribe to.

    Parameters
    ----------
    name : of the calendar as shown. stamp : when it is made, UTC.
    """
    import icalendar  # only where a calendar is asked for

    made = icalendar.Calendar()
    made.add("prodid", MAKER)
    made.add("version", "2.0")
    made.add("method", "PUBLISH")
    made.add("x-wr-calname", name)
    head, end, tail = bytes(made.to_ical()).rpartition(END)
    # Stamped by the day: what is the same is not worked out anew each time a phone asks.
    return b"".join([head, *(_event(entry, stamp.date()) for entry in entries), end, tail])


@lru_cache(maxsize=KEPT)
def _event(entry: Entry, made_on: date) -> bytes:
    import icalendar

    event = icalendar.Event()
    event.add("uid", f"{entry.key}@mirvo")
    event.add("dtstamp", datetime.combine(made_on, time(), UTC))
    event.add("dtstart", entry.first)
    # The standard's end is the first day that is not in it.
    event.add("dtend", entry.last + timedelta(days=1))
    event.add("summary", entry.title)
    # A window of weeks must not show its owner as busy.
    event.add("transp", "TRANSPARENT")
    if entry.note:
        event.add("description", entry.note)
    return bytes(event.to_ical())
