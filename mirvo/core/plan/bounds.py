"""Bounds of the search: ways that cannot arrive in time any more.

Cuts multiply, so what must still go, in logarithms, has to fit the sessions left; and growth,
at its fastest and less what cuts cost in vigour, has to make up what the ratio lacks.
"""

from __future__ import annotations

from functools import cache
from math import ceil, exp, log, log1p

from mirvo.core.plan.problem import BOARD, CLOSE, FINAL, PlanningProblem
from mirvo.core.plan.tree_state import UNGRAFTED, TreeState

# Strain against load is convex up to half a root system; beyond it this bound would not hold.
CONVEX_TO = 0.5


class Bounds:
    """What a way must still do by a year, against the most it can do: none that can arrive
    is cut off.

    most_share : of the feeding root that one session may take.
    """

    def __init__(self, problem: PlanningProblem, year: int, most_share: float) -> None:
        self.problem, self.year, self.most_share = problem, year, most_share
        # Logarithms: shares multiply, so their loads add up. 0.999 keeps the logarithm finite.
        self.load = -log1p(-min(most_share + CLOSE, 0.999))
        self.fastest = max(problem.containers[name].growth for name in problem.offered_or_now)
        # Until the underside is flat no board is open, so growth is bounded lower.
        self.fastest_off_board = max(
            problem.containers[name].growth for name in problem.offered_or_now if name != BOARD
        )
        self.slowest = problem.containers[FINAL].growth
        # Sessions fall on whole years, so the interval is rounded up.
        self.step = int(-(-problem.case.interval // 1))
        # Asked some hundred thousand times for a few hundred different states.
        self.must = cache(self._must)
        self.least_loss = cache(self._least_loss)

    def may_arrive(self, tree: TreeState) -> bool:
        """False when the tree can surely not arrive by the year."""
        problem, left = self.problem, self.year - tree.year
        # The cheapest test first: most ways fail at one of the first two.
        if _graft_counts_too_late(problem, tree, left):
            return False
        must, wait = self.must(tree.halves, tree.ball), self._wait(tree)
        if tree.container != FINAL and not self._potted_in_time(tree, wait):
            return False
        sessions = self._sessions_left(left, wait)
        if tree.container != FINAL and sessions == 0:
            return False
        if must > sessions * self.load + CLOSE:
            return False
        return not problem.ratio_rises or self._grows_in_time(tree, left, wait, must)

    def least_strain(self, tree: TreeState) -> float:
        """Lower bound of the strain still to come: the load spread evenly, where convex."""
        must = self.must(tree.halves, tree.ball)
        sessions = self._sessions_left(self.year - tree.year, self._wait(tree))
        if must <= 0 or sessions == 0 or self.most_share > CONVEX_TO:
            return 0.0
        # By Jensen's inequality equal shares strain least in sum.
        share = 1.0 - exp(-must / sessions)
        return sessions * 100.0 * (share / self.problem.budget) ** 2

    def _sessions_left(self, left: int, wait: int) -> int:
        return int((left - wait) // self.step) + 1 if left >= wait else 0

    def _potted_in_time(self, tree: TreeState, wait: int) -> bool:
        """Whether the ball can still be brought to need by the year fixed for the pot."""
        if self.problem.potted_from is None:
            return True
        left = self.problem.potted_from - tree.year
        sessions = self._sessions_left(left, wait)
        slices = self.must(self.problem.all_halves, tree.ball)
        return sessions > 0 and slices <= sessions * self.load + CLOSE

    def _must(self, halves: int, ball: float) -> float:
        """What must still be cut, as a sum of logarithms that sessions multiply to."""
        need = self.problem.case.need_mm
        slices = log(ball / need) if ball > need else 0.0
        return self.problem.fault_share(halves, self.problem.all_halves) + slices

    def _wait(self, tree: TreeState) -> int:
        """Years until the next session may be: 1 is next year."""
        return 1 if tree.last is None else max(1, tree.last + self.step - tree.year)

    def _grows_in_time(self, tree: TreeState, left: int, wait: int, must: float) -> bool:
        """Whether growth can still suffice: as now until the next session, then the fastest
        that may be, the last year in the final pot, less the least that cuts cost in vigour."""
        lacking = self.problem.growth_needed - tree.grown - CLOSE
        if lacking <= 0:
            return True
        now = self.problem.containers[tree.container].growth
        if tree.container == FINAL and left * now >= lacking:
            return True
        before = min(wait - 1, left)
        moved, off_board = before * now, 0
        if left > before:
            off_board = min(left - before - 1, self._years_off_board(tree, left))
            fast = left - before - 1 - off_board
            moved += off_board * self.fastest_off_board + fast * self.fastest + self.slowest
        return moved - self.least_loss(must, off_board > 0) >= lacking

    def _years_off_board(self, tree: TreeState, left: int) -> int:
        """Years after the next session in which the underside is surely not flat yet."""
        flat = self.problem.trunk_mm(tree.grown + left * self.fastest)
        if tree.woody <= flat + CLOSE or not self.problem.board_offered:
            return 0
        # No session takes more than `load`, so at least so many are needed to flatten it.
        sessions = ceil(log(tree.ball / flat) / self.load - CLOSE) if self.load > 0 else left
        return max(0, sessions - 1) * self.step

    def _least_loss(self, must: float, off_board: bool) -> float:
        """Least growth that the cuts still to come cost, against the fastest there may be.

        The last session's cost it in the final pot, the others' at least where growth is
        slowest among the fastest; a share is least of its load when it is largest.
        """
        if self.load <= 0:
            return 0.0
        last = min(must, self.load)
        others = self.fastest_off_board if off_board else self.fastest
        lost = last * self.slowest + (must - last) * min(others, self.fastest)
        return float(self.problem.rules.session_growth_loss * lost * self.most_share / self.load)


def _graft_counts_too_late(problem: PlanningProblem, tree: TreeState, left: int) -> bool:
    """Whether grafts the target depends on cannot count any more by then."""
    if not problem.needs_grafts:
        return False
    if tree.graft_age == UNGRAFTED:
        # The year of grafting itself does not count, so one more is needed.
        return left < problem.rules.graft_years + 1
    return tree.graft_age + left < problem.rules.graft_years
