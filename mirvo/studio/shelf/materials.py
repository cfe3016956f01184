"""Materials: what each planned session uses up, and the season's list."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from mirvo.core.plan.case import FINAL
from mirvo.core.plan.records import PlannedStep
from mirvo.core.pot import Item, Use, materials, pot_for, summed
from mirvo.records.database import DbSession
from mirvo.records.models import RootSession, Target, Tree, Yard
from mirvo.studio.almanac.practice import practice_for
from mirvo.studio.path.plans import step_of
from mirvo.studio.yard.bench import due_rows
from mirvo.studio.yard.settings import yard_of
from mirvo.studio.yard.tree_list import TreeRow

WIDTH_SHARE = 0.7
USUAL_TRUNKS_LONG = 5.0
USUAL_DEPTH_MM = 60.0
BALL_IN_POT = 0.6


@dataclass(frozen=True)
class SeasonTree:
    """One tree of the season with what its session uses up; `step` is None when none is planned."""

    row: TreeRow
    step: PlannedStep | None
    items: list[Item]


@dataclass(frozen=True)
class SeasonList:
    """The season's trees and all they use up together."""

    trees: list[SeasonTree]
    together: list[Item]


def step_materials(
    yard: Yard,
    tree: Tree,
    trunk_mm: float,
    last: RootSession | None,
    target: Target,
    step: PlannedStep,
) -> list[Item]:
    """What one planned step uses up, in the pot it stands in or one worked out for it."""
    now, ball_mm = _pot_now(last, trunk_mm), step.ball_after_mm
    stays = last is not None and step.container == last.container_after
    stays = stays and step.container != FINAL
    size = pot_for(step.container, now, trunk_mm, ball_mm, target.pot_depth_mm, stays)
    long, wide = _ball_now(last, now)
    return materials(
        Use(
            step.container,
            size,
            (long, wide, ball_mm),
            trunk_mm,
            tree.height_mm,
            sum(1 for part in step.fault_parts.values() if part >= 1),
            len(step.grafts),
            step.layer == "make",
            practice_for(yard, tree),
        )
    )


def _ball_now(last: RootSession | None, pot: tuple[float, float, float]) -> tuple[float, float]:
    """Length and width of the ball as last measured, else as the pot lets it be, mm."""
    length = last.ball_length_after if last is not None else None
    width = last.ball_width_after if last is not None else None
    return (length or BALL_IN_POT * pot[0], width or BALL_IN_POT * pot[1])


def _pot_now(last: RootSession | None, trunk_mm: float) -> tuple[float, float, float]:
    """Inner size of the pot it stands in, as far as it was written down, mm."""
    length = last.pot_length_mm if last is not None else None
    depth = last.pot_depth_mm if last is not None else None
    length = length or USUAL_TRUNKS_LONG * trunk_mm
    return (length, WIDTH_SHARE * length, depth or USUAL_DEPTH_MM)


def season_list(db: DbSession, today: date) -> SeasonList:
    """What the trees due now and soon use up, by the newest plan of each."""
    yard, found = yard_of(db), []
    for row in due_rows(db, today):
        plan, target = row.stands.plan, row.target
        step = None if plan is None else step_of(plan, yard.school, row.window.year)
        if step is None or target is None or row.measured is None:
            found.append(SeasonTree(row, None, []))
            continue
        trunk = row.measured.trunk_diameter_mm.value
        items = step_materials(
            yard, row.tree, trunk, next(iter(row.stands.sessions), None), target, step
        )
        found.append(SeasonTree(row, step, items))
    return SeasonList(found, summed(needs.items for needs in found))
