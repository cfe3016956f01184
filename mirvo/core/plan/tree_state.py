"""How a tree stands at the end of a year of a plan."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from mirvo.core.plan.places import Place
from mirvo.core.plan.problem import NOT_CUT, Ages, PlanningProblem, Progress
from mirvo.core.plan.session_options import FaultCut


@dataclass(frozen=True)
class Cut:
    """One planned session: what goes of the faults, the ball it leaves (depth in mm, and mm off
    each side since today), and the share it takes."""

    faults: FaultCut
    ball_mm: float
    off_mm: int
    share: float


@dataclass(frozen=True)
class TreeState:
    """A tree at the end of a year, and the session made in it, if any; depths in mm.

    off : mm off each side of the ball since today. rest : years of rest its last session asks for
    beyond the interval. ages : years since each fault that grows back was last cut. grown : A, the
    sum of container factor times vigour since today. before : the tree a year sooner.
    """

    year: int
    progress: Progress
    ball: float
    off: int
    woody: float
    place: Place
    last: int | None
    rest: int
    worked: bool
    matted: bool
    grown: float
    ages: Ages
    cut: Cut | None = None
    before: TreeState | None = None

    @property
    def session(self) -> tuple[Cut, TreeState]:
        """The session made in its year, and the tree before it. Raises ValueError without one."""
        if self.cut is None or self.before is None:
            raise ValueError(f"no session in {self.year}")
        return self.cut, self.before

    @property
    def all_gone(self) -> bool:
        """Whether no fault is left."""
        return not any(self.progress)


def start_state(problem: PlanningProblem) -> TreeState:
    """Where the plan starts: the tree as it stands today."""
    state = problem.case.state
    return TreeState(
        year=problem.today,
        progress=problem.untouched,
        ball=state.ball_depth_mm,
        off=0,
        woody=min(state.woody_depth_mm, state.ball_depth_mm),
        place=problem.places[0],
        last=state.last_session_year,
        rest=problem.rest_today,
        worked=False,
        matted=state.matted,
        grown=0.0,
        ages=(NOT_CUT,) * len(problem.returning),
    )


def left_alone(problem: PlanningProblem, tree: TreeState) -> TreeState:
    """The tree a year later, nothing done to it."""
    year = tree.year + 1
    vigour = problem.vigour(0.0, problem.overdue(year, tree.last, tree.rest))
    return replace(
        tree,
        year=year,
        ball=float(tree.place.ball_after(np.array([tree.ball]))[0]),
        off=int(tree.place.off_after(np.array([tree.off]), False)[0]),
        grown=tree.grown + tree.place.growth * vigour,
        ages=problem.years_on(tree.ages),
        cut=None,
        before=tree,
    )


def worked_on(problem: PlanningProblem, tree: TreeState, cut: Cut, place: Place) -> TreeState:
    """The tree a year later, with a session in that year and into a place."""
    year = tree.year + 1
    ages = problem.years_on(tree.ages)
    return replace(
        tree,
        year=year,
        progress=cut.faults.progress,
        ball=float(place.ball_after(np.array([cut.ball_mm]))[0]),
        off=int(place.off_after(np.array([cut.off_mm]), True)[0]),
        woody=min(tree.woody, cut.ball_mm),
        place=place,
        last=year,
        rest=problem.rest_after(problem.strain(year, cut.share)),
        worked=True,
        matted=tree.matted and cut.ball_mm >= tree.ball,
        grown=tree.grown + place.growth * problem.vigour(cut.share),
        ages=problem.cut_now(ages, cut.faults.progress),
        cut=cut,
        before=tree,
    )
