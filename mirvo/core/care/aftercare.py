"""Aftercare: what follows a root session and when."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

SHADE_DAYS = {"strong": 14, "fair": 14, "weak": 28}
FIRST_FEED_DAYS = 30
BUD_CHECK_DAYS = 28
FOLLOW_UP_WEEKS = (2, 4, 6, 8)


@dataclass(frozen=True)
class CareTask:
    """One thing to do for a tree after its session."""

    due: date
    code: str
    text: str


def aftercare(done_on: date, strength: str) -> list[CareTask]:
    """Tasks after a session, by date: shade, feed, bud check, follow-up photos."""
    shade = SHADE_DAYS[strength]
    tasks = [
        CareTask(done_on + timedelta(days=shade), "shade", f"Out of the shade after {shade} days"),
        CareTask(done_on + timedelta(days=FIRST_FEED_DAYS), "feed", "First feed may start"),
        CareTask(done_on + timedelta(days=BUD_CHECK_DAYS), "buds", "Buds should be moving: look"),
    ]
    tasks += [
        CareTask(done_on + timedelta(weeks=week), "photo", f"Follow-up photo, week {week}")
        for week in FOLLOW_UP_WEEKS
    ]
    return sorted(tasks, key=lambda task: task.due)
