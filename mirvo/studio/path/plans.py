"""Plans that were made: the newest, those kept under a name, and planned against done."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, time

from sqlalchemy import and_, delete, func, select, union

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.plan.case import Case
from mirvo.core.plan.paths import forward
from mirvo.core.plan.plan_vs_actual import ActualSession, Difference, against_plan
from mirvo.core.plan.records import Lever, PlannedStep, PlanResult
from mirvo.core.rootwork import opens_ball
from mirvo.records.database import DbSession
from mirvo.records.models import Plan, RootSession, Target
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.ground.state_cache import kept_by_tree
from mirvo.studio.path.target import put_gap_methods, put_regrowth, replace_holds
from mirvo.studio.standing.kept_plans import grafts_set, step_of
from mirvo.studio.standing.tree_queries import CutOfRoot, cuts_of, plan_with_case, sessions_of

PLANS_SHOWN = 12
MAX_NAME = 80


def keep_plan(studio: Studio, tree_id: int, case: Case, result: PlanResult, digest: str) -> None:
    """Keep a new plan; of those a day brings, the last dozen without a name stay."""
    today = datetime.combine(studio.today, time())
    with studio.writing() as db:
        same_day = select(Plan.id).where(
            Plan.tree_id == tree_id, Plan.name == "", Plan.made_at >= today
        )
        # Dragging the target makes a plan at every stop; a dozen a day are enough.
        too_many = same_day.order_by(Plan.id.desc()).offset(PLANS_SHOWN - 1)
        db.execute(delete(Plan).where(Plan.id.in_(list(db.scalars(too_many)))))
        db.add(
            Plan(
                tree_id=tree_id,
                made_at=studio.now,
                case=case,
                result=result,
                case_digest=digest,
            )
        )


def plans_of(db: DbSession, tree_id: int) -> list[Plan]:
    """The newest plan, those with a name, and the last others; newest first."""
    query = select(Plan).where(Plan.tree_id == tree_id).order_by(Plan.id.desc())
    others = list(db.scalars(query.where(Plan.name == "").limit(PLANS_SHOWN)))
    named = list(db.scalars(query.where(Plan.name != "")))
    return sorted([*others, *named], key=lambda plan: -plan.id)


def name_plan(studio: Studio, plan_id: int, name: str) -> Plan:
    """Keep a plan under a name; an empty name lets it go again.

    Raises
    ------
    NotFound : there is no such plan. BadInput : another plan of the tree has that name.
    """
    called = name.strip()[:MAX_NAME]
    with studio.writing() as db:
        plan = load_plan(db, plan_id)
        same = select(Plan.id).where(
            Plan.tree_id == plan.tree_id, Plan.name == called, Plan.id != plan_id
        )
        if called and db.scalar(same.limit(1)) is not None:
            raise BadInput("name", f"another plan of this tree is called {called} already")
        plan.name = called
    return plan


def take_up(studio: Studio, plan_id: int) -> Plan:
    """Make a plan's target, years, containers and gap methods those of the tree again.

    Raises
    ------
    NotFound : there is no such plan. BadInput : the tree has no target to change, or the
    plan's case cannot be read any more.
    """
    with studio.writing() as db:
        plan = load_plan(db, plan_id)
        target = db.get(Target, plan.tree_id)
        if target is None:
            raise BadInput("target", "set a target first")
        case = plan.case
        if case is None:
            raise BadInput("plan", "this plan cannot be read any more; make a new one")
        target.spread_ratio = case.target.spread_ratio
        target.largest_gap_deg = case.target.largest_gap_deg
        target.pot_depth_mm = case.target.pot_depth_mm
        target.pot_length_mm = case.target.pot_length_mm
        target.pot_width_mm = case.target.pot_width_mm
        # A year that has passed since would refuse the whole target.
        passed = case.target.year is not None and case.target.year < studio.today.year
        target.year = None if passed else case.target.year
        target.basis = case.state.spread_basis
        target.containers = case.containers or ()
        replace_holds(db, plan.tree_id, case.holds)
        put_gap_methods(
            db, plan.tree_id, {gap.sides: gap.method for gap in case.gaps if gap.sides is not None}
        )
        put_regrowth(db, plan.tree_id, {fault.label: fault.returns_years for fault in case.faults})
        target.updated_at = studio.now
    return plan


def load_plan(db: DbSession, plan_id: int) -> Plan:
    """One plan. Raises NotFound."""
    plan = db.get(Plan, plan_id)
    if plan is None:
        raise NotFound("plan", "there is no such plan")
    return plan


def work_out_levers(studio: Studio, tree_id: int, school: str) -> tuple[Lever, ...]:
    """What would bring the newest plan's path forward; worked out once and kept with it."""
    with studio.reading() as db:
        plan = plan_with_case(db, tree_id)
    if plan is None or plan.result is None or plan.case is None:
        return ()
    path = plan.result.path_of(school)
    if path.forward is not None:
        return path.forward
    # Worked out between two transactions: it takes seconds, and others want to write.
    levers = forward(plan.case, school, path.likely_year)
    with studio.writing() as db:
        kept = load_plan(db, plan.id)
        if kept.result is not None:
            kept.result = kept.result.with_levers(school, levers)
    return levers


@dataclass(frozen=True)
class PlannedAndDone:
    """A session beside the plan that stood before it, and what it did to the year.

    reached_before, reached_after : year of the studio's path in the plan before the session
    and in the first one after it; None when out of reach or not planned.
    """

    session: RootSession
    step: PlannedStep | None
    differences: list[Difference]
    reached_before: int | None
    reached_after: int | None


@kept_by_tree
def planned_and_done(db: DbSession, tree_id: int) -> list[PlannedAndDone]:
    """Every session that had a plan before it, newest first."""
    school, cuts = yard_of(db).school, cuts_of(db, tree_id)
    plans = _beside_sessions(db, tree_id)
    compared = []
    for session in sessions_of(db, tree_id):
        before = [
            plan
            for plan in plans
            if plan.made_at < session.created_at and plan.made_at.date() <= session.done_on
        ]
        # A graft or a layer is no session a path plans.
        if not before or not opens_ball(session.kind):
            continue
        after = next((plan for plan in plans if plan.made_at > session.created_at), None)
        step = step_of(before[-1], school, session.done_on.year)
        done = actual_session(session, cuts.get(session.id, ()))
        compared.append(
            PlannedAndDone(
                session,
                step,
                against_plan(step, done),
                _reached(before[-1], school),
                None if after is None else _reached(after, school),
            )
        )
    return compared


def _beside_sessions(db: DbSession, tree_id: int) -> list[Plan]:
    """The last plan before each session of a tree and the first one after it was recorded, oldest
    first. No others are read: a plan is a large document."""
    stood = and_(
        Plan.made_at < RootSession.created_at, func.date(Plan.made_at) <= RootSession.done_on
    )
    wanted = [
        select(chosen(Plan.id))
        .join(RootSession, RootSession.tree_id == Plan.tree_id)
        .where(Plan.tree_id == tree_id, RootSession.kept(), when)
        .group_by(RootSession.id)
        for chosen, when in ((func.max, stood), (func.min, Plan.made_at > RootSession.created_at))
    ]
    query = select(Plan).where(Plan.id.in_(union(*wanted)))
    return list(db.scalars(query.order_by(Plan.id)))


def _reached(plan: Plan, school: str) -> int | None:
    return None if plan.result is None else plan.result.path_of(school).reached_year


def actual_session(session: RootSession, cuts: tuple[CutOfRoot, ...]) -> ActualSession:
    """A recorded session as it is laid beside its plan."""
    return ActualSession(
        session.done_on.year,
        {done.label: done.cut.cost for done in cuts if done.cut.done_action != "keep"},
        session.slice_mm,
        session.share,
        session.container_after,
        tuple(grafts_set(session)),
    )
