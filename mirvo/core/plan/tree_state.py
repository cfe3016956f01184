"""A tree: one way for the tree to stand at the end of a year, and how it grows into the next."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from mirvo.core.plan.problem import NOT_CUT, Ages, Cut, PlanningProblem

# Below every age, so that an ungrafted tree is never taken for the better one.
UNGRAFTED = -1


class TreeState(NamedTuple):
    """The tree at the end of a year, and how it came there; cost is (strain, sessions).

    ages : years since each fault that grows back was last cut.
    """

    year: int
    halves: int
    ball: float
    woody: float
    container: str
    last: int | None
    graft_age: int
    grown: float
    cost: tuple[float, int]
    cut: Cut | None
    before: TreeState | None
    ages: Ages = ()


def start_state(problem: PlanningProblem) -> TreeState:
    """Where the plan starts."""
    state = problem.case.state
    return TreeState(
        year=problem.case.today.year,
        halves=0,
        ball=state.ball_depth_mm,
        woody=state.woody_depth_mm,
        container=state.container,
        last=state.last_session_year,
        graft_age=UNGRAFTED,
        grown=0.0,
        cost=(0.0, 0),
        cut=None,
        before=None,
        ages=(NOT_CUT,) * len(problem.returning),
    )


def grow(
    problem: PlanningProblem, tree: TreeState, container: str, cut: Cut | None, age: int
) -> TreeState:
    """The tree at the end of the next year, after this cut (or none) and growth."""
    year = tree.year + 1
    ages = problem.years_on(tree.ages) if tree.ages else ()
    if cut is None:
        return TreeState(
            year,
            tree.halves,
            problem.ball_after_year(tree.ball, container),
            tree.woody,
            container,
            tree.last,
            age,
            tree.grown + problem.growth_of_year(container, 0.0),
            tree.cost,
            None,
            tree,
            ages,
        )
    return TreeState(
        year,
        cut.halves,
        problem.ball_after_year(cut.ball_mm, container),
        # The woody part shrinks with the ball and does not grow back below.
        min(tree.woody, cut.ball_mm),
        container,
        year,
        age,
        tree.grown + problem.growth_of_year(container, cut.share),
        # Rounded, so that equal costs compare as equal whatever the order of their sums.
        (round(tree.cost[0] + cut.strain, 9), tree.cost[1] + 1),
        cut,
        tree,
        problem.cut_now(ages, cut.halves) if ages else (),
    )


def arrived(problem: PlanningProblem, tree: TreeState) -> bool:
    # A root that stands again spoils the flare it was cut for.
    if tree.ages and problem.back(tree.ages):
        return False
    gap = problem.largest_gap(tree.halves, graft_counts(problem, tree.graft_age))
    return problem.arrived(tree.container, tree.halves, problem.ratio(tree.grown), gap)


def graft_counts(problem: PlanningProblem, age: int) -> bool:
    """A graft made in year y counts from the end of y + 2."""
    return age >= problem.rules.graft_years


def trail(tree: TreeState) -> Iterator[TreeState]:
    if tree.before is not None:
        yield from trail(tree.before)
        yield tree


def worst_strain(tree: TreeState) -> float:
    return max((x.cut.strain for x in trail(tree) if x.cut is not None), default=0.0)
