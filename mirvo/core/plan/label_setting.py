"""One sweep over the years: every way that may arrive by a year, the dominated dropped.

Labels in the same container with the same ball depth are compared on faults taken, years
since the last session, graft age, growth A, woody depth and cost; the worse in all can never
do better later, so it is dropped.
"""

from __future__ import annotations

from collections.abc import Iterator
from math import inf

from mirvo.core.plan.bounds import Bounds
from mirvo.core.plan.problem import CLOSE, FINAL, PlanningProblem
from mirvo.core.plan.tree_state import UNGRAFTED, TreeState, arrived, grow, start_state

# Beyond this a case is answered with what is known; it takes some seconds to get there.
MAX_TRIED = 600_000
# While only the year matters, all ways cost the same, so that more of them dominate.
FREE = (0.0, 0)
Merits = tuple[int, float, int, float, float, tuple[float, int]]


class Unsettled(Exception):
    """A search was given up before it could tell: out of patience, or too many ways to try."""


class LabelSetting:
    """One sweep over the years up to a fixed year of arrival, under a cap on strain."""

    def __init__(
        self, problem: PlanningProblem, year: int, cap: float | None = None, by_cost: bool = False
    ) -> None:
        self.problem, self.year, self.cap, self.by_cost = problem, year, cap, by_cost
        # Strain is 100 (q/b)², so a cap on it is a cap on the share.
        most_share = problem.budget if cap is None else problem.budget * (cap / 100.0) ** 0.5
        self.bounds = Bounds(problem, year, most_share)
        self.needed = problem.growth_needed
        # For the cost of a way growth beyond need is slack that may save a session later.
        self.growth_worth = inf if by_cost else self.needed
        self.best_cost: tuple[float, int] = (inf, 0)

    def run(self, stop_at_first: bool = False) -> list[TreeState]:
        """Undominated states that have arrived at the end of the year, or of the first
        year in which any has."""
        start = start_state(self.problem)
        layer = [start] if self.in_time(start) else []
        while layer and layer[0].year < self.year:
            kept: dict[tuple[object, ...], list[tuple[Merits, TreeState]]] = {}
            for tree in layer:
                for after in self._next(tree):
                    if self.in_time(after):
                        self._keep(kept.setdefault(self._key(after), []), after)
            # Only ways that none beats go into the next year; without this they multiply each
            # year.
            layer = [tree for states in kept.values() for _, tree in states]
            there = [tree for tree in layer if arrived(self.problem, tree)]
            if there and stop_at_first:
                return there
        return [tree for tree in layer if arrived(self.problem, tree)]

    def first(self, patience: int | None = None) -> TreeState | None:
        """Any tree that has arrived at the end of the year; None when surely none can.

        Depth first, the most promising next, so that what is possible is found early.
        Raises Unsettled after looking at `patience` states in vain.
        """
        looked = 0
        start = start_state(self.problem)
        kept: dict[tuple[object, ...], list[tuple[Merits, TreeState]]] = {}
        waiting = [start] if self.in_time(start) else []
        while waiting:
            # The most promising lies on top, so one that arrives is met after few tries.
            tree = waiting.pop()
            looked += 1
            # A lever only wants to know whether it helps; it is not worth minutes.
            if patience is not None and looked > patience:
                raise Unsettled
            if tree.year == self.year:
                if arrived(self.problem, tree):
                    return tree
                continue
            after = [successor for successor in self._next(tree) if self.in_time(successor)]
            after = [
                successor
                for successor in after
                if self._keep(
                    kept.setdefault((successor.year, *self._key(successor)), []), successor
                )
            ]
            waiting += sorted(after, key=self._promise)
        return None

    def _promise(self, tree: TreeState) -> float:
        """How near a tree is to arriving: what need not be cut any more, and growth."""
        # Both parts run from 0 to 1, so that cutting and growing weigh alike.
        must = self.bounds.must(tree.halves, tree.ball) / max(self.bounds.load, CLOSE)
        growth = min(1.0, tree.grown / self.needed) if 0 < self.needed < inf else 1.0
        return growth - must

    def _next(self, tree: TreeState) -> Iterator[TreeState]:
        """Every way to spend the next year: session first, growth after."""
        problem, year = self.problem, tree.year + 1
        age = tree.graft_age
        # A graft that counts does not count more with age; capping it lets more ways be equal.
        age = age if age == UNGRAFTED else min(age + 1, problem.rules.graft_years)
        if problem.session_allowed(year, tree.last):  # first, so that equals act sooner
            yield from self._sessions(tree, age)
        # A year that owes a session, or the final pot, cannot be left idle.
        if year in problem.fixed or (tree.container != FINAL and problem.must_be_potted(year)):
            return
        yield grow(problem, tree, tree.container, None, age)

    def _sessions(self, tree: TreeState, age: int) -> Iterator[TreeState]:
        problem = self.problem
        grafts = tree.graft_age == UNGRAFTED and bool(problem.open_gaps)
        year = tree.year + 1
        left = self.year - year
        owed = year in problem.fixed
        # What the sessions left could take at most, in logarithms, since shares multiply.
        room = (left // self.bounds.step) * self.bounds.load + CLOSE
        ages = problem.years_on(tree.ages) if tree.ages else ()
        again = problem.share_back(ages) if ages else 0.0
        owed = owed or bool(ages and problem.back(ages))
        for cut in problem.cuts(tree.halves, tree.ball, again):
            if self.cap is not None and cut.strain > self.cap + CLOSE:
                continue
            if self.bounds.must(cut.halves, cut.ball_mm) > room:
                continue  # the sessions left after this one could not take the rest
            # A session that takes nothing and moves nothing is a year without one.
            idle = cut.share == 0 and cut.halves == tree.halves and not (grafts or owed)
            board = problem.board_gate_open(min(tree.woody, cut.ball_mm), tree.grown)
            for container in problem.choices(board, cut.ball_mm):
                if container != FINAL and (left < self.bounds.step or problem.must_be_potted(year)):
                    continue  # there is no session left to pot it up
                if not (idle and container == tree.container):
                    yield grow(problem, tree, container, cut, 0 if grafts else age)

    def _key(self, tree: TreeState) -> tuple[object, ...]:
        """What states must have in common to be compared."""
        # Where more growth is not better, ways with different growth are not comparable.
        exact = None
        if not self.problem.ratio_rises and not self.problem.board_gate_open(tree.woody, 0.0):
            exact = round(tree.grown, 9)
        # With roots that grow back, having cut less can be better later.
        halves = tree.halves if tree.ages else 0
        return (tree.ball, tree.container, exact, halves, tree.ages)

    def _keep(self, front: list[tuple[Merits, TreeState]], new: TreeState) -> bool:
        """Put a tree among those of its key, unless one there is as good; whether it was put."""
        mine = self._merits(new)
        halves, wait, graft, growth, woody, cost = mine
        # Growth first: it differs most often, so the comparison ends soonest.
        for (a, b, c, d, e, f), _ in front:
            if (
                d <= growth
                and a <= halves
                and b <= wait
                and c <= graft
                and e <= woody
                and f <= cost
            ):
                return False
        # The new one may beat some that stood before it.
        front[:] = [
            old
            for old in front
            if growth > (m := old[0])[3]
            or halves > m[0]
            or wait > m[1]
            or graft > m[2]
            or woody > m[4]
            or cost > m[5]
        ]
        front.append((mine, new))
        return True

    def _merits(self, tree: TreeState) -> Merits:
        """What states are compared on, less is better: faults taken, years since the last
        session and the grafts (as negatives), growth, woody depth, cost.

        Growth beyond need is worth nothing.
        """
        interval = self.problem.case.interval
        # Waiting longer than the interval brings nothing more.
        wait = 99.0 if tree.last is None else min(float(tree.year - tree.last), interval)
        done = (-tree.halves, -wait, -tree.graft_age)
        problem, cost = self.problem, tree.cost if self.by_cost else FREE
        if problem.board_gate_open(tree.woody, tree.grown):
            growth = -min(tree.grown, self.growth_worth) if problem.ratio_rises else tree.grown
            return (*done, round(growth, 9), 0.0, cost)
        growth = -tree.grown if problem.ratio_rises else tree.grown
        return (*done, round(growth, 9), tree.woody, cost)

    def in_time(self, tree: TreeState) -> bool:
        """False when the tree can surely not arrive by the year, or only at a worse cost."""
        # Counted for the whole case, over all passes: the limit is one of patience.
        self.problem.tried += 1
        if self.problem.tried > MAX_TRIED:
            raise Unsettled
        if not self.bounds.may_arrive(tree):
            return False
        if not self.by_cost:
            return True
        if tree.year == self.year and arrived(self.problem, tree):
            self.best_cost = min(self.best_cost, tree.cost)
        return tree.cost[0] + self.bounds.least_strain(tree) <= self.best_cost[0] + CLOSE
