"""What the practice profile comes to for one tree: the figures and instructions it changes."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from mirvo.core.almanac import rules
from mirvo.core.almanac.practice import Practice, clears_by
from mirvo.core.care import aftercare
from mirvo.core.rootwork import BudgetedTree, session_limits
from mirvo.core.season import Outlook, Place, season_state, year_window
from mirvo.core.season.season_state import OPEN
from mirvo.records.models import Tree, Yard
from mirvo.studio.almanac.practice import practice_for
from mirvo.studio.almanac.species import species_of_tree


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
    species = species_of_tree(yard, tree)
    start, _, best = year_window(species, yard.last_frost, today.year + 1)
    early_day = date.fromordinal(start.toordinal() - 14)
    place, outlook = Place(yard.last_frost, yard.frost_free), Outlook(under_glass=tree.under_glass)
    early = season_state(species, place, early_day, outlook, held["dormant"]).budget
    budgeted = BudgetedTree(
        tree.strength, tree.age_class, tree.origin, tree.acquired_on, tree.worth
    )
    tasks = aftercare(best, "routine", tree.strength, held, yard.last_frost)
    shade = next(task for task in tasks if task.code == "shade")
    full = rules().top_reduction.full_at_percent
    return PracticeEffects(
        budget=session_limits(budgeted, species, held, OPEN, best).budget,
        matched=session_limits(budgeted, species, held, OPEN, best, full).budget,
        early=session_limits(budgeted, species, held, early, early_day).budget,
        shade_days=(shade.due - best).days,
        clears=clears_by(held, species, tree.age_class),
    )
