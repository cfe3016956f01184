"""What the practice profile comes to for one tree: the figures and instructions it changes."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from mirvo.core.almanac import rules
from mirvo.core.almanac.practice import Practice, clears_by
from mirvo.core.care import aftercare
from mirvo.core.rootwork.budget import session_budget
from mirvo.core.season import year_window
from mirvo.core.season.season_state import OPEN, season_state
from mirvo.records.models import Tree, Yard
from mirvo.studio.almanac.practice import practice_for
from mirvo.studio.almanac.species import species_of


@dataclass(frozen=True)
class PracticeEffects:
    """Figures of one tree under a practice.

    budget : in its window. matched : with the crown reduced to match. early : two weeks before
    the window, buds not noted. shade_days : after a session. clears : wash or core.
    """

    budget: float
    matched: float
    early: float
    shade_days: int
    clears: str


def effects_on(
    yard: Yard, tree: Tree, today: date, practice: Practice | None = None
) -> PracticeEffects:
    """The figures of a tree under its practice, or under another one tried on it."""
    held = practice or practice_for(yard, tree)
    species = species_of(yard, tree.species_key)
    start, _, best = year_window(species, yard.last_frost, today.year + 1)
    early_day = date.fromordinal(start.toordinal() - 14)
    early = season_state(species, yard.last_frost, early_day, "", tree.under_glass, held["dormant"])
    tasks = aftercare(best, "routine", tree.strength, held, yard.last_frost)
    shade = next(task for task in tasks if task.code == "shade")
    full = rules().top_reduction.full_at_percent
    return PracticeEffects(
        budget=session_budget(tree, species, held, OPEN, best),
        matched=session_budget(tree, species, held, OPEN, best, full),
        early=session_budget(tree, species, held, early, early_day),
        shade_days=(shade.due - best).days,
        clears=clears_by(held, species, tree.age_class),
    )
