"""What the plans made of trees say of them: the newest plan, its next step, its forecast."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import date

from sqlalchemy import func, select
from sqlalchemy.orm import defer

from mirvo.core.clock import DEG_PER_HOUR, clock_azimuths
from mirvo.core.plan.growth import grown_year
from mirvo.core.plan.records import PlannedStep, YearForecast
from mirvo.records.database import DbSession
from mirvo.records.models import Plan, RootSession
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.standing.tree_queries import newest_plan


def newest_plans(db: DbSession, tree_ids: Sequence[int] | None = None) -> dict[int, Plan]:
    """The newest plan of every tree (or of some) that has one, by tree."""
    newest = select(func.max(Plan.id)).group_by(Plan.tree_id)
    if tree_ids is not None:
        newest = newest.where(Plan.tree_id.in_(tree_ids))
    # Its case is large, and no list asks for it.
    query = select(Plan).options(defer(Plan.case, raiseload=True)).where(Plan.id.in_(newest))
    return {plan.tree_id: plan for plan in db.scalars(query)}


def planned_step(db: DbSession, tree_id: int, day: date) -> PlannedStep | None:
    """The step of the studio's own path that a session of a day is held against; None: no plan."""
    plan = newest_plan(db, tree_id)
    # A record entered later is not held against what was planned after it.
    if plan is None or plan.made_at.date() > day:
        return None
    return step_of(plan, yard_of(db).school, day.year)


def step_of(plan: Plan, school: str, year: int) -> PlannedStep | None:
    """A plan's step of a year, else its next one: a session may come early or late."""
    if plan.result is None:
        return None
    path = plan.result.path_of(school)
    return path.step_in(year) or next(iter(path.steps), None)


def grafts_on(sessions: Iterable[RootSession]) -> tuple[float, ...]:
    """Where grafts were set in any of some sessions, azimuth in degrees."""
    return tuple(place for session in sessions for place in grafts_set(session))


def grafts_set(session: RootSession) -> list[float]:
    """Where grafts were set in a session, azimuth in degrees."""
    hours = (session.notes or {}).get("graft_hours")
    if isinstance(hours, list):
        # Former versions kept whole hours.
        return [hour % 12 * DEG_PER_HOUR for hour in hours]
    return clock_azimuths(hours) if isinstance(hours, str) else []


def forecast_on(db: DbSession, tree_id: int, day: date) -> YearForecast | None:
    """What the studio's own path forecast for a day; None where no plan was made before it."""
    plan = newest_plan(db, tree_id)
    if plan is None or plan.result is None or plan.made_at.date() > day:
        return None
    path = plan.result.path_of(yard_of(db).school)
    return next((forecast for forecast in path.forecast if forecast.year == grown_year(day)), None)
