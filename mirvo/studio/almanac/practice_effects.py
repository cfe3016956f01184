"""What the practice profile comes to for one tree: the figures and instructions it changes."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta

from mirvo.core.almanac import rules
from mirvo.core.almanac.practice import clears_by
from mirvo.core.care import Worked, shade_days
from mirvo.core.rootwork import session_limits
from mirvo.core.season import season_state
from mirvo.core.season.season_state import OPEN
from mirvo.records.models import Yard
from mirvo.studio.standing.standing import TreeStanding
from mirvo.studio.standing.weather import outlook_for, place_of

EARLY = timedelta(days=14)


@dataclass(frozen=True)
class PracticeEffects:
    """Figures of one tree under its practice, of the window it is due in next.

    budget : in that window, as its sheet says. matched : with the crown reduced to match. early :
    two weeks before the window, buds not noted. shade_days : after a session. clears : wash or
    core.
    """

    budget: float
    matched: float
    early: float
    shade_days: int
    clears: str


def effects_of(yard: Yard, stands: TreeStanding) -> PracticeEffects:
    """The figures of a tree as it stands, under its own practice."""
    tree, species, practice = stands.tree, stands.species, stands.practice
    window = stands.standing.next_window
    early_day = window.start - EARLY
    # Buds that are noted today say nothing of a day before the window.
    outlook = outlook_for(yard, tree, species, early_day, buds=("", early_day))
    early = season_state(species, place_of(yard), early_day, outlook, practice["dormant"]).budget
    strength = stands.standing.strength.value

    def limit(season: str, top_reduced: float = 0.0) -> float:
        day = window.best if season == OPEN else early_day
        found = session_limits(stands.budgeted, species, practice, season, day, top_reduced)
        return found.budget

    return PracticeEffects(
        budget=stands.standing.window_limits.budget,
        matched=limit(OPEN, rules().top_reduction.full_at_percent),
        early=limit(early),
        shade_days=shade_days(Worked(window.best, "routine", strength), practice),
        clears=clears_by(practice, species, tree.age_class),
    )
