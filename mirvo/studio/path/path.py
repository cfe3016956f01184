"""The path of a tree: its newest plan, whether it still holds, and planning anew."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import date

from sqlalchemy import select

from mirvo.core.errors import BadInput
from mirvo.core.plan.case import Case
from mirvo.core.plan.default_target import DefaultTarget, default_target, within_reach
from mirvo.core.plan.paths import plan, plan_way
from mirvo.core.plan.records import PlannedPath, PlanResult
from mirvo.core.rootwork.cut_order import RootToCut
from mirvo.records.database import DbSession
from mirvo.records.models import Plan, Target, Tree
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.path.growth_rates import GrowthRates
from mirvo.studio.path.planning_case import MEASURE_FIRST, planning_case
from mirvo.studio.path.plans import keep_plan
from mirvo.studio.standing.kept_plans import newest_plans
from mirvo.studio.standing.species import species_of_tree
from mirvo.studio.standing.standing import missed, standing_of
from mirvo.studio.standing.tree_queries import (
    load_tree,
    measured_base,
    newest_plan,
    plan_with_case,
    target_of,
)
from mirvo.studio.standing.weather import outlook_for


@dataclass(frozen=True)
class PathView:
    """What the path page shows.

    missing : what must be recorded before planning, and of what. guessed : where the plan rests on
    a guess. stale : the records have changed since the newest plan was made, or there is none yet.
    wanted : part of each root that goes in all.
    """

    tree: Tree
    target: Target | None
    case: Case | None = None
    result: PlanResult | None = None
    growth: GrowthRates | None = None
    cuts: tuple[RootToCut, ...] = ()
    missing: BadInput | None = None
    stale: bool = False
    guessed: str = ""
    wanted: Mapping[str, float] = field(default_factory=dict)


def path_view(db: DbSession, tree_id: int, today: date) -> PathView:
    """Target, case and newest plan of a tree. Raises NotFound."""
    tree, target = load_tree(db, tree_id), target_of(db, tree_id)
    if target is None:
        measured = measured_base(db, tree_id)
        missing = None if measured else BadInput("measurement", MEASURE_FIRST)
        return PathView(tree, None, missing=missing)
    try:
        made = planning_case(db, tree, target, today)
    except BadInput as error:
        return PathView(tree, target, missing=error)
    kept = newest_plan(db, tree_id)
    holds = kept is not None and _still_holds(db, tree, target, kept, today)
    return PathView(
        tree,
        target,
        made.case,
        None if kept is None else kept.result,
        made.growth,
        tuple(made.cuts),
        guessed=made.guessed,
        stale=not holds,
        wanted=made.wanted,
    )


def first_target(db: DbSession, tree: Tree, today: date) -> DefaultTarget:
    """The target a tree without one is offered: one it can reach, as far as that can be told."""
    base = measured_base(db, tree.id)
    offered = default_target(None if base is None else base.record, tree.design)
    # Never added to the database: a target only to work out the case by.
    target = Target(
        tree_id=tree.id,
        spread_ratio=offered.spread_ratio,
        basis=offered.basis,
        largest_gap_deg=offered.largest_gap_deg,
        pot_depth_mm=offered.pot_depth_mm,
        containers=(),
        container_depths={},
        only_shelf=False,
    )
    try:
        case = planning_case(db, tree, target, today).case
    except BadInput:
        return offered
    return within_reach(offered, case, yard_of(db).school)


def way_arriving(db: DbSession, tree_id: int, school: str, year: str) -> PlannedPath | None:
    """The least way that arrives in another year than the newest plan recommends.

    year : as it was asked for. None where there is no plan, or the year is not one of those worth
    choosing.
    """
    kept = plan_with_case(db, tree_id)
    if kept is None or kept.result is None or kept.case is None:
        return None
    path = kept.result.path_of(school)
    others = (one.year for one in path.tradeoff if one.year != path.reached_year)
    wanted = next((other for other in others if str(other) == year), None)
    return None if wanted is None else plan_way(kept.case, school, wanted)


def _still_holds(db: DbSession, tree: Tree, target: Target, kept: Plan, today: date) -> bool:
    """Whether a plan made earlier is the plan today, so that no day alone changes it.

    The records must be those it was made from, and its next session must still lie ahead.
    """
    stands = standing_of(db, tree.id, today)
    if stands.plan is None or missed(kept, stands.species, yard_of(db), stands.outlook, today):
        return False
    # On the day it was made today's records would have given the same case.
    then = planning_case(db, tree, target, kept.made_at.date())
    return kept.case_digest == digest_of(then.case)


def plan_path(
    studio: Studio, tree_id: int, ready: Callable[[PlannedPath], None] | None = None
) -> None:
    """Plan a tree anew where its records have changed since the newest plan, and keep it.

    ready : hears each school's path as soon as it is there, the studio's own first.
    """
    # One after the other: asked for twice at once, the second finds a plan that holds.
    with studio.planning:
        with studio.reading() as db:
            view, school = path_view(db, tree_id, studio.today), yard_of(db).school
        if view.case is None or not view.stale:
            return
        result = plan(view.case, school, ready).of_roots(view.wanted)
        keep_plan(studio, tree_id, view.case, result, digest_of(view.case))


def trees_that_missed(studio: Studio) -> list[int]:
    """Trees whose next planned session did not come about in its window."""
    with studio.reading() as db:
        yard, plans = yard_of(db), newest_plans(db)
        trees = db.scalars(select(Tree).where(Tree.id.in_(plans), Tree.kept()))
        today, found = studio.today, []
        for tree in trees:
            species = species_of_tree(yard, tree)
            outlook = outlook_for(yard, tree, species, today)
            if missed(plans[tree.id], species, yard, outlook, today):
                found.append(tree.id)
        return found


def trees_with_target(studio: Studio) -> list[int]:
    """All trees that a path can be planned for."""
    with studio.reading() as db:
        query = select(Tree.id).join(Target, Target.tree_id == Tree.id)
        return list(db.scalars(query.where(Tree.kept(), Tree.died_on.is_(None)).order_by(Tree.id)))


def digest_of(case: Case) -> str:
    """The case without its day: a plan stays good within the year."""
    given = case.model_dump(mode="json", exclude_unset=True)
    # Else every plan would be out of date the next morning.
    stable = {**given, "today": f"{case.today.year}"}
    return hashlib.sha256(json.dumps(stable, sort_keys=True).encode()).hexdigest()
