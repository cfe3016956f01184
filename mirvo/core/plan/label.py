"""A label: one way for the tree to stand at the end of a year, and how it grows into the next."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from mirvo.core.plan.ground import NOT_CUT, Ages, Cut, Ground

UNGRAFTED = -1


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


def arrived(ground: Ground, label: Label) -> bool:
    if label.ages and ground.back(label.ages):
        return False
    gap = ground.largest_gap(label.halves, graft_counts(ground, label.graft_age))
    return ground.arrived(label.container, label.halves, ground.ratio(label.grown), gap)


def graft_counts(ground: Ground, age: int) -> bool:
    """A graft made in year y counts from the end of y + 2."""
    return age >= ground.rules.graft_years


def trail(label: Label) -> Iterator[Label]:
    if label.before is not None:
        yield from trail(label.before)
        yield label


def worst_strain(label: Label) -> float:
    return max((x.cut.strain for x in trail(label) if x.cut is not None), default=0.0)
