"""How a tree stands at the end of a year of a plan."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from mirvo.core.plan.problem import NOT_CUT, Ages, PlanningProblem
from mirvo.core.plan.session_options import NOTHING_CUT, FaultCut, Progress


@dataclass(frozen=True)
class Cut:
    """One planned session: what goes of the faults, depth of the ball left in mm, share taken."""

    faults: FaultCut
    ball_mm: float
    share: float


@dataclass(frozen=True)
class TreeState:
    """A tree at the end of a year, and the session made in it, if any; depths in mm.

    ball_before, woody_before, container_before, ages_before : as it stood before the year's
    session. ages : years since each fault that grows back was last cut. grown : A, the sum of
    container factor times vigour since today.
    """

    year: int
    progress: Progress
    ball: float
    woody: float
    container: str
    last: int | None
    grown: float
    ages: Ages
    cut: Cut | None
    ball_before: float
    woody_before: float
    container_before: str
    ages_before: Ages

    @property
    def gone(self) -> int:
        """How many faults are cut altogether."""
        return self.progress[0]


def start_state(problem: PlanningProblem) -> TreeState:
    """Where the plan starts: the tree as it stands today."""
    state = problem.case.state
    ages = (NOT_CUT,) * len(problem.returning)
    woody = min(state.woody_depth_mm, state.ball_depth_mm)
    return TreeState(
        year=problem.today,
        progress=NOTHING_CUT,
        ball=state.ball_depth_mm,
        woody=woody,
        container=state.container,
        last=state.last_session_year,
        grown=0.0,
        ages=ages,
        cut=None,
        ball_before=state.ball_depth_mm,
        woody_before=woody,
        container_before=state.container,
        ages_before=ages,
    )


def left_alone(problem: PlanningProblem, tree: TreeState) -> TreeState:
    """The tree a year later, nothing done to it."""
    year, worked = tree.year + 1, tree.last != problem.case.state.last_session_year
    ball = problem.ball_after(np.array([tree.ball]), tree.container, worked)
    vigour = problem.vigour(0.0, problem.overdue(year, tree.last))
    return replace(
        tree,
        year=year,
        ball=float(ball[0]),
        grown=tree.grown + problem.growth_of(tree.container) * vigour,
        ages=problem.years_on(tree.ages),
        cut=None,
        ball_before=tree.ball,
        woody_before=tree.woody,
        container_before=tree.container,
        ages_before=tree.ages,
    )
