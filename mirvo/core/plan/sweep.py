"""One sweep over the years: every way that may arrive by a year, the dominated dropped.

Labels in the same container with the same ball depth are compared on faults taken, years
since the last session, graft age, growth A, woody depth and cost; the worse in all can never
do better later, so it is dropped.
"""

from __future__ import annotations

from collections.abc import Iterator
from math import inf

from mirvo.core.plan.bounds import Bounds
from mirvo.core.plan.ground import CLOSE, FINAL, Ground
from mirvo.core.plan.label import UNGRAFTED, Label, arrived, grow, start_label

MOST_TRIED = 600_000
FREE = (0.0, 0)
Merits = tuple[int, float, int, float, float, tuple[float, int]]


class Unsettled(Exception):
    """A search was given up before it could tell: out of patience, or too many ways to try."""


class Sweep:
    """One sweep over the years up to a fixed year of arrival, under a cap on strain."""

    def __init__(
        self, ground: Ground, year: int, cap: float | None = None, by_cost: bool = False
    ) -> None:
        self.ground, self.year, self.cap, self.by_cost = ground, year, cap, by_cost
        most_share = ground.budget if cap is None else ground.budget * (cap / 100.0) ** 0.5
        self.bounds = Bounds(ground, year, most_share)
        self.needed = ground.growth_needed
        self.growth_worth = inf if by_cost else self.needed
        self.best_cost: tuple[float, int] = (inf, 0)

    def run(self, stop_at_first: bool = False) -> list[Label]:
        """Undominated labels that have arrived at the end of the year, or of the first
        year in which any has."""
        start = start_label(self.ground)
        layer = [start] if self.in_time(start) else []
        while layer and layer[0].year < self.year:
            kept: dict[tuple[object, ...], list[tuple[Merits, Label]]] = {}
            for label in layer:
                for after in self._next(label):
                    if self.in_time(after):
                        self._keep(kept.setdefault(self._key(after), []), after)
            layer = [label for labels in kept.values() for _, label in labels]
            there = [label for label in layer if arrived(self.ground, label)]
            if there and stop_at_first:
                return there
        return [label for label in layer if arrived(self.ground, label)]

    def first(self, patience: int | None = None) -> Label | None:
        """Any label that has arrived at the end of the year; None when surely none can.

        Depth first, the most promising next, so that what is possible is found early.
        Raises Unsettled after looking at `patience` labels in vain.
        """
        looked = 0
        start = start_label(self.ground)
        kept: dict[tuple[object, ...], list[tuple[Merits, Label]]] = {}
        waiting = [start] if self.in_time(start) else []
        while waiting:
            label = waiting.pop()
            looked += 1
            if patience is not None and looked > patience:
                raise Unsettled
            if label.year == self.year:
                if arrived(self.ground, label):
                    return label
                continue
            after = [one for one in self._next(label) if self.in_time(one)]
            after = [
                one
                for one in after
                if self._keep(kept.setdefault((one.year, *self._key(one)), []), one)
            ]
            waiting += sorted(after, key=self._promise)
        return None

    def _promise(self, label: Label) -> float:
        """How near a label is to arriving: what need not be cut any more, and growth."""
        must = self.bounds.must(label.halves, label.ball) / max(self.bounds.load, CLOSE)
        growth = min(1.0, label.grown / self.needed) if 0 < self.needed < inf else 1.0
        return growth - must

    def _next(self, label: Label) -> Iterator[Label]:
        """Every way to spend the next year: session first, growth after."""
        ground, year = self.ground, label.year + 1
        age = label.graft_age
        age = age if age == UNGRAFTED else min(age + 1, ground.rules.graft_years)
        if ground.session_allowed(year, label.last):  # first, so that equals act sooner
            yield from self._sessions(label, age)
        if year in ground.fixed or (label.container != FINAL and ground.must_be_potted(year)):
            return
        yield grow(ground, label, label.container, None, age)

    def _sessions(self, label: Label, age: int) -> Iterator[Label]:
        ground = self.ground
        grafts = label.graft_age == UNGRAFTED and bool(ground.open_gaps)
        year = label.year + 1
        left = self.year - year
        owed = year in ground.fixed
        room = (left // self.bounds.step) * self.bounds.load + CLOSE
        ages = ground.years_on(label.ages) if label.ages else ()
        again = ground.share_back(ages) if ages else 0.0
        owed = owed or bool(ages and ground.back(ages))
        for cut in ground.cuts(label.halves, label.ball, again):
            if self.cap is not None and cut.strain > self.cap + CLOSE:
                continue
            if self.bounds.must(cut.halves, cut.ball_mm) > room:
                continue  # the sessions left after this one could not take the rest
            idle = cut.share == 0 and cut.halves == label.halves and not (grafts or owed)
            board = ground.board_gate_open(min(label.woody, cut.ball_mm), label.grown)
            for container in ground.choices(board, cut.ball_mm):
                if container != FINAL and (left < self.bounds.step or ground.must_be_potted(year)):
                    continue  # there is no session left to pot it up
                if not (idle and container == label.container):
                    yield grow(ground, label, container, cut, 0 if grafts else age)

    def _key(self, label: Label) -> tuple[object, ...]:
        """What labels must have in common to be compared."""
        exact = None
        if not self.ground.ratio_rises and not self.ground.board_gate_open(label.woody, 0.0):
            exact = round(label.grown, 9)
        halves = label.halves if label.ages else 0
        return (label.ball, label.container, exact, halves, label.ages)

    def _keep(self, front: list[tuple[Merits, Label]], new: Label) -> bool:
        """Put a label among those of its key, unless one there is as good; whether it was put."""
        mine = self._merits(new)
        halves, wait, graft, growth, woody, cost = mine
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

    def _merits(self, label: Label) -> Merits:
        """What labels are compared on, less is better: faults taken, years since the last
        session and the grafts (as negatives), growth, woody depth, cost.

        Growth beyond need is worth nothing.
        """
        interval = self.ground.case.interval
        wait = 99.0 if label.last is None else min(float(label.year - label.last), interval)
        done = (-label.halves, -wait, -label.graft_age)
        ground, cost = self.ground, label.cost if self.by_cost else FREE
        if ground.board_gate_open(label.woody, label.grown):
            growth = -min(label.grown, self.growth_worth) if ground.ratio_rises else label.grown
            return (*done, round(growth, 9), 0.0, cost)
        growth = -label.grown if ground.ratio_rises else label.grown
        return (*done, round(growth, 9), label.woody, cost)

    def in_time(self, label: Label) -> bool:
        """False when the label can surely not arrive by the year, or only at a worse cost."""
        self.ground.tried += 1
        if self.ground.tried > MOST_TRIED:
            raise Unsettled
        if not self.bounds.may_arrive(label):
            return False
        if not self.by_cost:
            return True
        if label.year == self.year and arrived(self.ground, label):
            self.best_cost = min(self.best_cost, label.cost)
        return label.cost[0] + self.bounds.least_strain(label) <= self.best_cost[0] + CLOSE
