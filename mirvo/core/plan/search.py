"""The search: exact dynamic programming over years with dominance pruning.

A label is one way to stand at the end of a year. Two labels with the same faults left,
container, wait, graft age and ball depth are compared on growth A, woody depth and cost;
the worse of both can never do better later, so it is dropped. The order of wishes is
kept exact by passes: the earliest year that can be reached, then the least cap on one
session's strain that still reaches it, then the least total strain and fewest sessions
under that cap. Labels that cannot arrive in time any more are dropped by a bound: cuts
multiply, so what must still go, in logarithms, has to fit the sessions left.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache
from math import ceil, exp, inf, log, log1p
from typing import NamedTuple

from mirvo.core.plan.ground import BOARD, CLOSE, FINAL, NOT_CUT, Ages, Cut, Ground

UNGRAFTED = -1
MOST_TRIED = 600_000
CONVEX_TO = 0.5
FREE = (0.0, 0)
Merits = tuple[int, float, int, float, float, tuple[float, int]]


class Label(NamedTuple):
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
    before: Label | None
    ages: Ages = ()


@dataclass(frozen=True)
class Route:
    """The best way: labels from the first planned year to the year of arrival."""

    reached: int
    labels: list[Label]
    worst: float
    total: float
    sessions: int


def start_label(ground: Ground) -> Label:
    """Where the plan starts."""
    state = ground.case.state
    return Label(
        year=ground.case.today.year,
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
        ages=(NOT_CUT,) * len(ground.returning),
    )


def find_route(ground: Ground) -> Route | None:
    """Best route of one school, or None when none arrives within the horizon.

    Order: earliest year, least worst strain, least total strain, fewest sessions; among
    equals the one with most growth in hand, then the one that acts sooner.
    """
    year = earliest_year(ground)
    if year is None:
        return None
    if year == ground.case.today.year:
        return Route(year, [], 0.0, 0.0, 0)
    cap = _least_cap(ground, year)
    arrivals = _Pass(ground, year, cap, by_cost=True).run()
    best = min(arrivals, key=lambda label: (label.cost, -label.grown))
    return Route(year, list(_trail(best)), cap, best.cost[0], best.cost[1])


class Unsettled(Exception):
    """A search was given up before it could tell: out of patience, or too many ways to try."""


def earliest_year(ground: Ground, by: int | None = None, patience: int | None = None) -> int | None:
    """First year at whose end the target can be met; today's year when it is met already.

    Parameters
    ----------
    by : last year looked at, the horizon if None. patience : labels looked at in one pass
    before giving up; None never does.

    Raises
    ------
    Unsettled : patience ran out before it could tell.
    """

    def possible(year: int) -> bool:
        return _Pass(ground, year).first(patience) is not None

    if arrived(ground, start_label(ground)):
        return ground.case.today.year
    if ground.never:
        return None
    today = ground.case.today.year
    end = by or today + ground.case.horizon_years
    if end <= today:
        return None
    if not ground.ratio_rises:
        found = _Pass(ground, end).run(stop_at_first=True)
        return found[0].year if found else None
    # Who has arrived stays arrived while the ratio rises, so the year is found by halving;
    # a pass that aims at too early a year is cut short by its bounds.
    # A session owed too soon after, or a root that grows back, can break that; without them
    # it is never later.
    if ground.may_lapse:
        soonest = earliest_year(ground.without_lapses(), by, patience)
        if soonest is None:
            return None
        return next((y for y in range(soonest, end + 1) if possible(y)), None)
    if by is not None and not possible(end):
        return None
    low, high = today, end + 1 if by is None else end
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (low, middle) if possible(middle) else (middle, high)
    return high if high <= end else None


def reachable_at_horizon(ground: Ground) -> bool:
    """Whether the target can be met at the end of the horizon."""
    if ground.never:
        return False
    if ground.may_lapse:
        return earliest_year(ground) is not None
    year = ground.case.today.year + ground.case.horizon_years
    return _Pass(ground, year).first() is not None


def arrived(ground: Ground, label: Label) -> bool:
    if label.ages and ground.back(label.ages):
        return False
    gap = ground.largest_gap(label.halves, graft_counts(ground, label.graft_age))
    return ground.arrived(label.container, label.halves, ground.ratio(label.grown), gap)


def graft_counts(ground: Ground, age: int) -> bool:
    """A graft made in year y counts from the end of y + 2."""
    return age >= ground.rules.graft_years


def _least_cap(ground: Ground, year: int) -> float:
    """Least worst strain with which the year can still be met.

    By halving over the strains of cuts looked at so far; where none is left between, a last
    pass under a cap just below what was found proves that nothing lies beneath it.
    """
    found = _Pass(ground, year).first()
    if found is None:
        raise ValueError("the year is one that can be met")
    high, low = _worst(found), -1.0
    while high > CLOSE:
        tries = sorted(s for s in ground.strains_seen() if low < s < high - CLOSE)
        middle = tries[len(tries) // 2] if tries else high - 2 * CLOSE
        found = _Pass(ground, year, middle).first()
        if found is not None:
            high = _worst(found)
        elif tries:
            low = middle
        else:
            return high
    return high


def _worst(label: Label) -> float:
    return max((x.cut.strain for x in _trail(label) if x.cut is not None), default=0.0)


class _Pass:
    """One sweep over the years up to a fixed year of arrival, under a cap on strain."""

    def __init__(
        self, ground: Ground, year: int, cap: float | None = None, by_cost: bool = False
    ) -> None:
        self.ground, self.year, self.cap, self.by_cost = ground, year, cap, by_cost
        self.most_share = ground.budget if cap is None else ground.budget * (cap / 100.0) ** 0.5
        self.load = -log1p(-min(self.most_share + CLOSE, 0.999))
        self.needed = ground.growth_needed
        self.growth_worth = inf if by_cost else self.needed
        self.fastest = max(ground.containers[name].growth for name in ground.offered_or_now)
        self.fastest_off_board = max(
            ground.containers[name].growth for name in ground.offered_or_now if name != BOARD
        )
        self.slowest = ground.containers[FINAL].growth
        self.step = int(-(-ground.case.interval // 1))
        self.must = cache(self._must)
        self.least_loss = cache(self._least_loss)
        self.best_cost: tuple[float, int] = (inf, 0)

    def run(self, stop_at_first: bool = False) -> list[Label]:
        """Undominated labels that have arrived at the end of the year, or of the first
        year in which any has."""
        start = start_label(self.ground)
        layer = [start] if self._in_time(start) else []
        while layer and layer[0].year < self.year:
            kept: dict[tuple[object, ...], list[tuple[Merits, Label]]] = {}
            for label in layer:
                for after in self._next(label):
                    if self._in_time(after):
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
        waiting = [start] if self._in_time(start) else []
        while waiting:
            label = waiting.pop()
            looked += 1
            if patience is not None and looked > patience:
                raise Unsettled
            if label.year == self.year:
                if arrived(self.ground, label):
                    return label
                continue
            after = [one for one in self._next(label) if self._in_time(one)]
            after = [
                one
                for one in after
                if self._keep(kept.setdefault((one.year, *self._key(one)), []), one)
            ]
            waiting += sorted(after, key=self._promise)
        return None

    def _promise(self, label: Label) -> float:
        """How near a label is to arriving: what need not be cut any more, and growth."""
        must = self.must(label.halves, label.ball) / max(self.load, CLOSE)
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
        room = (left // self.step) * self.load + CLOSE
        ages = ground.years_on(label.ages) if label.ages else ()
        again = ground.share_back(ages) if ages else 0.0
        owed = owed or bool(ages and ground.back(ages))
        for cut in ground.cuts(label.halves, label.ball, again):
            if self.cap is not None and cut.strain > self.cap + CLOSE:
                continue
            if self.must(cut.halves, cut.ball_mm) > room:
                continue  # the sessions left after this one could not take the rest
            idle = cut.share == 0 and cut.halves == label.halves and not (grafts or owed)
            board = ground.board_gate_open(min(label.woody, cut.ball_mm), label.grown)
            for container in ground.choices(board, cut.ball_mm):
                if container != FINAL and (left < self.step or ground.must_be_potted(year)):
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

    def _in_time(self, label: Label) -> bool:
        """False when the label can surely not arrive by the year, or only at a worse cost."""
        ground, left = self.ground, self.year - label.year
        ground.tried += 1
        if ground.tried > MOST_TRIED:
            raise Unsettled
        if graft_counts_too_late(ground, label, left):
            return False
        must = self.must(label.halves, label.ball)
        wait = self._wait(label)
        if label.container != FINAL and not self._potted_in_time(label, wait):
            return False
        sessions = int((left - wait) // self.step) + 1 if left >= wait else 0
        if label.container != FINAL and sessions == 0:
            return False
        if must > sessions * self.load + CLOSE:
            return False
        if ground.ratio_rises and not self._grows_in_time(label, left, wait, must):
            return False
        if not self.by_cost:
            return True
        if left == 0 and arrived(ground, label):
            self.best_cost = min(self.best_cost, label.cost)
        return label.cost[0] + self._least_strain(must, sessions) <= self.best_cost[0] + CLOSE

    def _potted_in_time(self, label: Label, wait: int) -> bool:
        """Whether the ball can still be brought to need by the year fixed for the pot."""
        if self.ground.potted_from is None:
            return True
        left = self.ground.potted_from - label.year
        sessions = int((left - wait) // self.step) + 1 if left >= wait else 0
        slices = self.must(self.ground.all_halves, label.ball)
        return sessions > 0 and slices <= sessions * self.load + CLOSE

    def _must(self, halves: int, ball: float) -> float:
        """What must still be cut, as a sum of logarithms that sessions multiply to."""
        need = self.ground.case.need_mm
        slices = log(ball / need) if ball > need else 0.0
        return self.ground.fault_share(halves, self.ground.all_halves) + slices

    def _wait(self, label: Label) -> int:
        """Years until the next session may be: 1 is next year."""
        return 1 if label.last is None else max(1, label.last + self.step - label.year)

    def _grows_in_time(self, label: Label, left: int, wait: int, must: float) -> bool:
        """Whether growth can still suffice: as now until the next session, then the fastest
        that may be, the last year in the final pot, less the least that cuts cost in vigour."""
        lacking = self.needed - label.grown - CLOSE
        if lacking <= 0:
            return True
        now = self.ground.containers[label.container].growth
        if label.container == FINAL and left * now >= lacking:
            return True
        before = min(wait - 1, left)
        moved, off_board = before * now, 0
        if left > before:
            off_board = min(left - before - 1, self._years_off_board(label, left))
            fast = left - before - 1 - off_board
            moved += off_board * self.fastest_off_board + fast * self.fastest + self.slowest
        return moved - self.least_loss(must, off_board > 0) >= lacking

    def _years_off_board(self, label: Label, left: int) -> int:
        """Years after the next session in which the underside is surely not flat yet."""
        flat = self.ground.trunk_mm(label.grown + left * self.fastest)
        if label.woody <= flat + CLOSE or not self.ground.board_offered:
            return 0
        sessions = ceil(log(label.ball / flat) / self.load - CLOSE) if self.load > 0 else left
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
        return float(self.ground.rules.session_growth_loss * lost * self.most_share / self.load)

    def _least_strain(self, must: float, sessions: int) -> float:
        """Lower bound of the strain still to come: the load spread evenly, where convex."""
        if must <= 0 or sessions == 0 or self.most_share > CONVEX_TO:
            return 0.0
        share = 1.0 - exp(-must / sessions)
        return sessions * 100.0 * (share / self.ground.budget) ** 2


def graft_counts_too_late(ground: Ground, label: Label, left: int) -> bool:
    """Whether grafts the target depends on cannot count any more by then."""
    if not ground.needs_grafts:
        return False
    if label.graft_age == UNGRAFTED:
        return left < ground.rules.graft_years + 1
    return label.graft_age + left < ground.rules.graft_years


def grow(ground: Ground, label: Label, container: str, cut: Cut | None, age: int) -> Label:
    """The label at the end of the next year, after this cut (or none) and growth."""
    year = label.year + 1
    ages = ground.years_on(label.ages) if label.ages else ()
    if cut is None:
        return Label(
            year,
            label.halves,
            ground.ball_after_year(label.ball, container),
            label.woody,
            container,
            label.last,
            age,
            label.grown + ground.growth_of_year(container, 0.0),
            label.cost,
            None,
            label,
            ages,
        )
    return Label(
        year,
        cut.halves,
        ground.ball_after_year(cut.ball_mm, container),
        min(label.woody, cut.ball_mm),
        container,
        year,
        age,
        label.grown + ground.growth_of_year(container, cut.share),
        (round(label.cost[0] + cut.strain, 9), label.cost[1] + 1),
        cut,
        label,
        ground.cut_now(ages, cut.halves) if ages else (),
    )


def _trail(label: Label) -> Iterator[Label]:
    if label.before is not None:
        yield from _trail(label.before)
        yield label
