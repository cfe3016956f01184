"""Sessions at the interval: how a tree is kept where it stands, its faults taken as they fit."""

from __future__ import annotations

import numpy as np

from mirvo.core.plan.places import Place
from mirvo.core.plan.problem import PlanningProblem
from mirvo.core.plan.session_options import SessionOptions, takes
from mirvo.core.plan.tree_state import Cut, TreeState, left_alone, worked_on


def keeping(problem: PlanningProblem, tree: TreeState) -> list[TreeState]:
    """The years after a state up to the horizon, with a session at each interval: it takes the
    faults that fit, combs the edge, and puts the tree back where it stood."""
    options, states = SessionOptions(problem), []
    while tree.year < problem.case.last_year:
        tree = _worked(problem, options, tree) or left_alone(problem, tree)
        states.append(tree)
    return states


def _worked(problem: PlanningProblem, options: SessionOptions, tree: TreeState) -> TreeState | None:
    year = tree.year + 1
    due = tree.last is None or year - tree.last >= problem.step or year in problem.fixed
    if not (due and problem.may_work(year, tree.last, tree.rest)):
        return None
    ages = problem.years_on(tree.ages)
    again = problem.share_back(ages) if ages else 0.0
    grafting = bool(problem.open_gaps) and not tree.worked
    if again > problem.room(year, grafting) or problem.limit(year) <= problem.edge(year):
        return None
    faults = options.faults(tree.progress, year, again, grafting)
    share = 1.0 - (1.0 - problem.edge(year)) * (1.0 - faults.share)
    return worked_on(problem, tree, Cut(faults, tree.ball, tree.off, share), _back(problem, tree))


def _back(problem: PlanningProblem, tree: TreeState) -> Place:
    """Where the tree goes after the session: where it stood, or into the like of it."""
    ball, off = np.array([tree.ball]), np.array([tree.off])
    like = [
        place
        for place in problem.places[1:]
        if place.kind == tree.place.kind and place.pot == tree.place.pot
    ]
    # A tree in its last pot stays in it, whatever its ball.
    fits = [place for place in like if takes(place, ball, off)[0] and place.last == tree.place.last]
    return fits[0] if fits else tree.place
