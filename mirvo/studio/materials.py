"""Materials: what each planned session uses up, and the season's list."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select

from mirvo.core.plan.ground import FINAL
from mirvo.core.pot import Item, Use, materials, pot_for, summed
from mirvo.records.database import reading
from mirvo.records.models import Plan, Session, Target, Tree, Yard
from mirvo.studio.bench import due_rows
from mirvo.studio.context import Studio
from mirvo.studio.plans import step_of
from mirvo.studio.practice import practice_for
from mirvo.studio.trees import TreeRow

WIDTH_SHARE = 0.7
USUAL_TRUNKS_LONG = 5.0
USUAL_DEPTH_MM = 60.0


@dataclass(frozen=True)
class SeasonTree:
    """One tree of the season with what its session uses up; `step` is None when none is planned."""

    row: TreeRow
    step: dict[str, Any] | None
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
    last: Session | None,
    target: Target,
    step: dict[str, Any],
) -> list[Item]:
    """What one planned step uses up, in the pot it stands in or one reckoned for it."""
    now = _pot_now(last, trunk_mm)
    ball_mm = float(step["ball_depth_mm"][1])
    stays = last is not None and step["container"] == last.container_after
    stays = stays and step["container"] != FINAL
    size = pot_for(step["container"], now, trunk_mm, ball_mm, target.pot_depth_mm, stays)
    ball = last.ball_after if last is not None else {}
    long = float(ball.get("length_mm") or 0.6 * now[0])
    wide = float(ball.get("width_mm") or 0.6 * now[1])
    flush = sum(1 for part in step["fault_parts"].values() if part >= 1)
    return materials(
        Use(
            step["container"],
            size,
            (long, wide, ball_mm),
            trunk_mm,
            tree.height_mm,
            flush,
            len(step["grafts"]),
            step.get("layer") == "make",
            practice_for(yard, tree),
        )
    )


def _pot_now(last: Session | None, trunk_mm: float) -> tuple[float, float, float]:
    """Inner size of the pot it stands in, as far as it was written down, mm."""
    size = last.pot_after_size if last is not None else {}
    length = float(size.get("length_mm") or USUAL_TRUNKS_LONG * trunk_mm)
    width = float(size.get("width_mm") or WIDTH_SHARE * length)
    return (length, width, float(size.get("depth_mm") or USUAL_DEPTH_MM))


def season_list(studio: Studio) -> SeasonList:
    """What the trees due now and soon use up, by the newest plan of each."""
    yard, rows = studio.yard(), due_rows(studio)
    ids = [row.tree.id for row in rows]
    newest = select(func.max(Plan.id)).where(Plan.tree_id.in_(ids)).group_by(Plan.tree_id)
    sessions = select(Session).where(Session.tree_id.in_(ids))
    with reading(studio.engine) as unit:
        plans = {one.tree_id: one for one in unit.scalars(select(Plan).where(Plan.id.in_(newest)))}
        targets = {
            one.tree_id: one for one in unit.scalars(select(Target).where(Target.tree_id.in_(ids)))
        }
        in_order = unit.scalars(sessions.order_by(Session.done_on, Session.id))
        last = {one.tree_id: one for one in in_order}
    found = []
    for row in rows:
        plan, target = plans.get(row.tree.id), targets.get(row.tree.id)
        step = None if plan is None else step_of(plan, yard.school, row.window.year)
        if step is None or target is None or row.figures is None:
            found.append(SeasonTree(row, None, []))
            continue
        trunk = row.figures["trunk_diameter_mm"]["value"]
        items = step_materials(yard, row.tree, trunk, last.get(row.tree.id), target, step)
        found.append(SeasonTree(row, step, items))
    return SeasonList(found, summed(one.items for one in found))
