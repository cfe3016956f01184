"""The load of the weeks: which tree is worked in which week of its window."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta


@dataclass(frozen=True)
class DueTree:
    """A tree to be worked within a window; `moved_to` is a day the artist chose, if any."""

    key: int
    start: date
    end: date
    best: date
    moved_to: date | None = None


@dataclass(frozen=True)
class Week:
    """One week, from its Monday, with the trees to be worked in it, by key."""

    monday: date
    trees: list[int]
    room: int

    @property
    def over(self) -> int:
        """How many trees are more than the week holds."""
        return max(0, len(self.trees) - self.room)


def monday_of(day: date) -> date:
    """The Monday of a day's week."""
    return day - timedelta(days=day.weekday())


def weeks_of(due: DueTree, today: date) -> list[date]:
    """Mondays of the weeks a tree may be worked in, none of them over already."""
    # From this week on: a week that is over cannot be worked in.
    first, last = monday_of(max(due.start, today)), monday_of(due.end)
    return [first + timedelta(weeks=n) for n in range((last - first).days // 7 + 1)]


def plan_weeks(due: Sequence[DueTree], room: int, today: date) -> list[Week]:
    """Give each tree a week: the one chosen, else the nearest to its best that has room.

    Parameters
    ----------
    room : trees a week holds, at least 1. What does not fit is put into the least loaded
    week of its window, nearest to the best; trees whose window closes first are placed first.
    """
    placed: defaultdict[date, list[int]] = defaultdict(list)
    # What was chosen by hand is placed first, then what closes soonest.
    ordered = sorted(due, key=lambda tree: (tree.moved_to is None, tree.end, tree.best, tree.key))
    for tree in ordered:
        weeks = weeks_of(tree, today)
        # Its window is over; another place tells the artist so.
        if not weeks:
            continue
        chosen = None if tree.moved_to is None else monday_of(tree.moved_to)
        # A chosen day outside the window is no choice any more.
        if chosen not in weeks:
            best = monday_of(tree.best)
            chosen = min(
                weeks, key=lambda week: _worth(week, best, len(placed.get(week, ())), room)
            )
        placed[chosen].append(tree.key)
    return [Week(monday, placed[monday], room) for monday in sorted(placed)]


def _worth(week: date, best: date, taken: int, room: int) -> tuple[int, int, date]:
    """Less is better: trees too many there, then weeks away from the best, then sooner."""
    return (max(0, taken + 1 - room), abs((week - best).days) // 7, week)
