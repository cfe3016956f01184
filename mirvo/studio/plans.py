"""Plans that were made: the newest, those kept under a name, and planned against done."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, time
from typing import Any

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session as Unit

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.plan.case import read_case
from mirvo.core.plan.done import Difference, Done, against_plan
from mirvo.core.plan.paths import forward
from mirvo.records.database import once_a_page, reading, writing
from mirvo.records.models import Plan, Session, Target
from mirvo.studio.context import Studio
from mirvo.studio.histories import sessions_of

PLANS_SHOWN = 12
MOST_NAME = 80


def path_of_school(result: dict[str, Any], school: str) -> dict[str, Any]:
    """One of the three paths of a plan."""
    return next(path for path in result["paths"] if path["school"] == school)


def keep_plan(
    studio: Studio, tree_id: int, case: dict[str, Any], result: dict[str, Any], digest: str
) -> None:
    """Keep a new plan; of those a day brings, the last dozen without a name stay."""
    today = datetime.combine(studio.today, time())
    with writing(studio.engine) as unit:
        same_day = select(Plan.id).where(
            Plan.tree_id == tree_id, Plan.name == "", Plan.made_at >= today
        )
        too_many = same_day.order_by(Plan.id.desc()).offset(PLANS_SHOWN - 1)
        unit.execute(delete(Plan).where(Plan.id.in_(list(unit.scalars(too_many)))))
        unit.add(
            Plan(
                tree_id=tree_id,
                made_at=studio.now,
                case=case,
                result=result,
                case_digest=digest,
            )
        )


@once_a_page
def newest_plan(unit: Unit, tree_id: int) -> Plan | None:
    query = select(Plan).where(Plan.tree_id == tree_id).order_by(Plan.id.desc()).limit(1)
    return unit.scalar(query)


def newest_plans(unit: Unit) -> dict[int, Plan]:
    """The newest plan of every tree that has one, by tree."""
    newest = select(func.max(Plan.id)).group_by(Plan.tree_id)
    return {plan.tree_id: plan for plan in unit.scalars(select(Plan).where(Plan.id.in_(newest)))}


def newest_step(studio: Studio, tree_id: int, year: int) -> dict[str, Any] | None:
    """What the newest plan has for a year on the studio's own path; None when nothing."""
    with reading(studio.engine) as unit:
        plan = newest_plan(unit, tree_id)
    return None if plan is None else step_of(plan, studio.yard().school, year)


def step_of(plan: Plan, school: str, year: int) -> dict[str, Any] | None:
    steps = path_of_school(plan.result, school)["steps"]
    return next((dict(step) for step in steps if step["year"] == year), None)


def plans_of(studio: Studio, tree_id: int) -> list[Plan]:
    """The newest plan, those with a name, and the last others; newest first."""
    query = select(Plan).where(Plan.tree_id == tree_id).order_by(Plan.id.desc())
    with reading(studio.engine) as unit:
        others = list(unit.scalars(query.where(Plan.name == "").limit(PLANS_SHOWN)))
        named = list(unit.scalars(query.where(Plan.name != "")))
    return sorted([*others, *named], key=lambda plan: -plan.id)


def name_plan(studio: Studio, plan_id: int, name: str) -> Plan:
    """Keep a plan under a name; an empty name lets it go again.

    Raises
    ------
    NotFound : there is no such plan. BadInput : another plan of the tree has that name.
    """
    said = name.strip()[:MOST_NAME]
    with writing(studio.engine) as unit:
        plan = _load(unit, plan_id)
        same = select(Plan.id).where(
            Plan.tree_id == plan.tree_id, Plan.name == said, Plan.id != plan_id
        )
        if said and unit.scalar(same.limit(1)) is not None:
            raise BadInput("name", f"another plan of this tree is called {said} already")
        plan.name = said
    return plan


def tree_of_plan(studio: Studio, plan_id: int) -> int:
    """The tree a plan was made for. Raises NotFound."""
    with reading(studio.engine) as unit:
        return _load(unit, plan_id).tree_id


def take_up(studio: Studio, plan_id: int) -> Plan:
    """Make a plan's target, years, containers and gap methods those of the tree again.

    Raises
    ------
    NotFound : there is no such plan. BadInput : the tree has no target to change.
    """
    with writing(studio.engine) as unit:
        plan = _load(unit, plan_id)
        target = unit.get(Target, plan.tree_id)
        if target is None:
            raise BadInput("target", "set a target first")
        case = plan.case
        wished = case["target"]
        target.spread_ratio = wished["spread_ratio"]
        target.largest_gap_deg = wished["largest_gap_deg"]
        target.pot_depth_mm = wished["pot_depth_mm"]
        target.year = wished.get("year")
        if target.year is not None and target.year < studio.today.year:
            target.year = None
        target.basis = case["state"].get("spread_basis", "flare")
        target.containers = case.get("containers") or []
        why = {(one["year"], one.get("allow", "none")): one["why"] for one in target.holds}
        target.holds = [
            {**one, "why": why.get((one["year"], one["allow"]), "")}
            for one in case.get("holds", [])
        ]
        methods = {gap["between"]: gap["method"] for gap in case["gaps"] if "between" in gap}
        target.gap_methods = {**target.gap_methods, **methods}
        target.returns = {
            fault["label"]: fault["returns_years"]
            for fault in case["faults"]
            if fault.get("returns_years")
        }
        target.updated_at = studio.now
    return plan


def _load(unit: Unit, plan_id: int) -> Plan:
    plan = unit.get(Plan, plan_id)
    if plan is None:
        raise NotFound("plan", "there is no such plan")
    return plan


def levers_of(studio: Studio, tree_id: int, school: str) -> list[dict[str, Any]]:
    """What would bring the newest plan's path forward; worked out once and kept with it."""
    with reading(studio.engine) as unit:
        plan = newest_plan(unit, tree_id)
    if plan is None:
        return []
    known: dict[str, Any] = plan.result.get("forward", {})
    if school not in known:
        reached = path_of_school(plan.result, school)["reached_year"]
        known = {**known, school: forward(read_case(plan.case), school, reached)}
        with writing(studio.engine) as unit:
            kept = _load(unit, plan.id)
            kept.result = {**kept.result, "forward": known}
    return list(known[school])


@dataclass(frozen=True)
class PlannedAndDone:
    """A session beside the plan that stood before it, and what it did to the year.

    reached_before, reached_after : year of the studio's path in the plan before the session
    and in the first one after it; None when out of reach or not planned.
    """

    session: Session
    step: dict[str, Any] | None
    differences: list[Difference]
    reached_before: int | None
    reached_after: int | None


def planned_and_done(studio: Studio, tree_id: int) -> list[PlannedAndDone]:
    """Every session that had a plan before it, newest first."""
    school = studio.yard().school
    with reading(studio.engine) as unit:
        sessions = sessions_of(unit, tree_id)
        made = unit.execute(
            select(Plan.id, Plan.made_at).where(Plan.tree_id == tree_id).order_by(Plan.id)
        ).all()
        beside = [(session, *_beside(session, [(a, b) for a, b in made])) for session in sessions]
        needed = {plan_id for _, *ids in beside for plan_id in ids if plan_id is not None}
        found = unit.scalars(select(Plan).where(Plan.id.in_(needed))) if needed else ()
        plans = {one.id: one for one in found}
    compared = []
    for session, before, after in beside:
        if before is None:
            continue
        step = step_of(plans[before], school, session.done_on.year)
        compared.append(
            PlannedAndDone(
                session,
                step,
                against_plan(step, _done(session)),
                _reached(plans[before], school),
                None if after is None else _reached(plans[after], school),
            )
        )
    return compared


def _beside(session: Session, made: list[tuple[int, datetime]]) -> tuple[int | None, int | None]:
    """The last plan before a session and the first one after it was recorded, by id."""
    before = [
        plan_id
        for plan_id, made_at in made
        if made_at < session.created_at and made_at.date() <= session.done_on
    ]
    after = (plan_id for plan_id, made_at in made if made_at > session.created_at)
    return (before[-1] if before else None, next(after, None))


def _reached(plan: Plan, school: str) -> int | None:
    year = path_of_school(plan.result, school)["reached_year"]
    return None if year is None else int(year)


def _done(session: Session) -> Done:
    roots = {
        root["label"]: 1.0 if root["action"] == "remove" else float(root["part"])
        for root in session.roots
    }
    return Done(
        session.done_on.year,
        roots,
        session.slice_mm,
        session.share_computed,
        session.container_after,
    )
