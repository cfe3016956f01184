"""A tree as it stands on one day: everything verdict, session, path and pages go by."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date

from mirvo.core.rootwork.budget import SessionLimits
from mirvo.core.season import Season, Window
from mirvo.core.standing.recovery import Recovery
from mirvo.core.standing.sourced import Sourced
from mirvo.core.standing.strength import Strength

MONTHS_A_YEAR = 12
DAYS_A_MONTH = 30.44


@dataclass(frozen=True)
class Interval:
    """Time since the last full session against what is usual and what is the most.

    last_on : None before the first. due_from : first day it is due again; None where it counts as
    due now. planned_year : the year the tree's path gives the next session, if it has one.
    """

    years: float
    longest_years: float
    last_on: date | None
    due_from: date | None
    months_since: float | None
    planned_year: int | None = None

    @property
    def over(self) -> bool:
        """Whether the usual interval is over."""
        months = self.months_since
        return months is None or months >= self.years * MONTHS_A_YEAR - 2

    @property
    def beyond_longest(self) -> bool:
        """Whether it was left longer than a tree should be."""
        months = self.months_since
        return months is not None and months >= self.longest_years * MONTHS_A_YEAR


@dataclass(frozen=True)
class Soil:
    """The soil a tree stands in. mix : as noted, since : when; foreign : it came with it."""

    mix: str
    since: date | None
    foreign: bool


@dataclass(frozen=True)
class Standing:
    """A tree as it stands on `day`.

    age, stage : as kept of it. next_window : the one in which it is due. limits : of a routine
    session on that day. dead : it has died. newcomer : it came within a year and was never worked.
    keeps_soil : the artist leaves it in the soil it thrives in. delays : lesser steps in a row.
    in_ground : it still grows where it will be dug. held_bare : its roots are bare, and it waits to
    be potted. second_session : it grows so strongly that it may be worked once more this season.
    signs : seen before and not cleared since, each
    with its day.
    """

    day: date
    age: str
    stage: str
    strength: Strength
    season: Season
    interval: Interval
    next_window: Window
    limits: SessionLimits
    window_limits: SessionLimits
    ball: Sourced | None
    soil: Soil
    recovery: Recovery | None
    newcomer: bool = False
    keeps_soil: bool = False
    water_dish: bool = False
    delays: int = 0
    dead_on: date | None = None
    in_ground: bool = False
    held_bare: bool = False
    second_session: bool = False
    signs: Mapping[str, date] = field(default_factory=dict)

    @property
    def due_in_this_window(self) -> bool:
        """Whether it is due in the window that is open or comes next, by interval and path."""
        return self.next_window.start <= self.season.end

    @property
    def recovering(self) -> bool:
        """Whether it still recovers from its last root work, or from having come."""
        return self.recovery is not None and self.recovery.holds(self.day)
