"""How trees stand: the records gathered that `core.standing` judges by, one tree or all at once."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from datetime import date, datetime, timedelta
from math import ceil
from typing import Any

from mirvo.core.almanac import Species, rules
from mirvo.core.almanac.practice import Practice
from mirvo.core.rootwork import (
    BudgetedTree,
    SessionLimits,
    kind_by_key,
    only_delays,
    opens_ball,
    session_limits,
)
from mirvo.core.season import (
    Outlook,
    Place,
    Window,
    due_from,
    next_window,
    season_state,
    window_of_year,
)
from mirvo.core.season.growth import growing_from, layering_window
from mirvo.core.standing.answer import Answer, bearing_factor
from mirvo.core.standing.ball import LeftBall, ball_depth
from mirvo.core.standing.recovery import Recovery, recovery_of
from mirvo.core.standing.signs import Observation
from mirvo.core.standing.sourced import Sourced
from mirvo.core.standing.standing import DAYS_A_MONTH, Interval, Standing
from mirvo.core.standing.verdict import Verdict, verdict
from mirvo.records.database import DbSession
from mirvo.records.models import (
    Plan,
    RootSession,
    Tree,
    Yard,
)
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.ground.state_cache import kept_by_tree
from mirvo.studio.standing.evidence import (
    answers_of_tree,
    may_work_twice,
    root_work,
    signs_on,
    soil_of,
    strength_of_tree,
)
from mirvo.studio.standing.pot_of_tree import pot_of_tree
from mirvo.studio.standing.practice import practice_for
from mirvo.studio.standing.species import species_of_tree
from mirvo.studio.standing.tree_queries import TreeRecords, tree_records
from mirvo.studio.standing.weather import nights_near, outlook_for, place_of

NO_ENTRIES: Mapping[str, Any] = {}


@dataclass(frozen=True)
class TreeStanding:
    """One tree with its standing, and what it rests on.

    place, outlook : what its windows follow from.
    sessions : newest first. answers : of each session by its number, as far as it is known.
    plan : the newest, only while nothing it rests on has changed.
    """

    tree: Tree
    species: Species
    practice: Practice
    standing: Standing
    budgeted: BudgetedTree
    place: Place
    outlook: Outlook
    sessions: tuple[RootSession, ...] = ()
    answers: dict[int, Answer] = field(default_factory=dict)
    plan: Plan | None = None

    def limits(self, kind: str = "routine", top_reduced: float = 0.0) -> SessionLimits:
        """What a session of a kind on this day is held against."""
        found = session_limits(
            self.budgeted,
            self.species,
            self.practice,
            self.standing.season.budget,
            self.standing.day,
            top_reduced,
            kind,
        )
        if kind_by_key(kind).own_budget is not None:
            return found
        return _while_recovering(found, self.standing.recovery, self.standing.day)

    def window_in(self, year: int) -> Window | None:
        """Its window of one year; None once the buds say it is over."""
        return window_of_year(self.species, self.place, year, self.outlook)

    @property
    def layering(self) -> tuple[date, date]:
        """First and last day of the season in which a layer is set on it, running or next."""
        return layering_window(self.species, self.place, self.standing.day, self.outlook)

    @property
    def usual_verdict(self) -> Verdict:
        """The verdict on what is on record, with the signs seen before."""
        return verdict(self.standing, self.observation(self.standing.signs))

    def observation(
        self,
        signs: Iterable[str] = (),
        days_between: float | None = None,
        days_usual: float | None = None,
    ) -> Observation:
        """What is seen today, with the practice's answers."""
        return Observation(
            frozenset(signs),
            days_between,
            days_usual,
            self.practice["when"],
            self.practice["newcomer"],
        )


@kept_by_tree
def standing_of(db: DbSession, tree_id: int, day: date) -> TreeStanding:
    """How one tree stands on a day. Raises NotFound."""
    return standing_from(db, tree_records(db, tree_id), day)


def standing_while_worked(
    db: DbSession, tree: Tree, day: date, entered: Mapping[str, Any]
) -> TreeStanding:
    """How a tree stands while it lies on the bench: what was just found counts at once."""
    return standing_from(db, tree_records(db, tree.id), day, entered)


def standing_before(
    db: DbSession,
    tree: Tree,
    day: date,
    entered: Mapping[str, Any],
    but_for: int | None = None,
) -> TreeStanding:
    """How a tree stood when a session of a day was made.

    entered : what was found in it. but_for : that session's own number, once it is recorded.
    """
    found = tree_records(db, tree.id)
    earlier = tuple(
        session for session in found.sessions if session.id != but_for and session.done_on <= day
    )
    return standing_from(db, replace(found, sessions=earlier), day, entered)


def standing_from(
    db: DbSession,
    records: TreeRecords,
    day: date,
    entered: Mapping[str, Any] = NO_ENTRIES,
) -> TreeStanding:
    """How a tree stands by its records. entered : what was found at the bench so far."""
    tree, sessions, yard = records.tree, records.sessions, yard_of(db)
    species, practice = species_of_tree(yard, tree), practice_for(yard, tree)
    place = place_of(yard)

    def grows(on: date) -> date:
        return growing_from(species, place, on)

    answers = answers_of_tree(sessions, tree, grows)
    strength = strength_of_tree(tree, sessions, answers, entered, day)
    budgeted = BudgetedTree(
        strength.value,
        tree.age_class,
        tree.origin,
        tree.rooted_on,
        tree.worth,
        bearing_factor(answers[session.id] for session in sessions[::-1] if session.id in answers),
    )
    buds = entered.get("bud_stage")
    outlook = outlook_for(
        yard, tree, species, day, nights_near(db, day), (buds, day) if buds else None
    )
    season = season_state(species, place, day, outlook, practice["dormant"])
    plan = _fresh(records.plan, records.changed, tree)
    planned = _planned_year(plan, species, yard, outlook, day)
    interval = _interval(tree, species, sessions, day, planned)
    worked = root_work(sessions, answers, grows)
    recovery = recovery_of(worked, tree.rooted_on, tree.origin, day)
    not_before = max(day, interval.due_from or day)
    ahead = None if planned is None else window_of_year(species, place, planned, outlook)
    if ahead is not None:
        # The path has weighed the years; what it plans is when the tree is due.
        not_before = max(day, ahead.best)
    if recovery is not None and recovery.holds(day):
        not_before = max(not_before, recovery.until)
    window = next_window(species, place, day, not_before, outlook)

    def limits(season_said: str, on: date) -> SessionLimits:
        return session_limits(budgeted, species, practice, season_said, on)

    full = [session for session in sessions if opens_ball(session.kind)]
    since = sessions[: sessions.index(full[0])] if full else sessions
    standing = Standing(
        day=day,
        age=tree.age_class,
        stage=tree.stage,
        strength=strength,
        season=season,
        interval=interval,
        next_window=window,
        limits=_while_recovering(limits(season.budget, day), recovery, day),
        window_limits=limits("open", window.best),
        ball=_ball(tree, sessions, records.trunk_mm, day),
        soil=soil_of(tree, sessions),
        recovery=recovery,
        newcomer=_newcomer(tree, full, day),
        keeps_soil=tree.keeps_soil,
        water_dish=tree.water_dish,
        delays=sum(only_delays(session.kind) for session in since),
        dead_on=tree.died_on,
        in_ground=tree.in_ground,
        held_bare=tree.held_bare,
        second_session=may_work_twice(
            species, strength.value, season, full[0] if full else None, answers, recovery, day
        ),
        signs=signs_on(tree, sessions, day),
    )
    return TreeStanding(
        tree, species, practice, standing, budgeted, place, outlook, sessions, answers, plan
    )


def _while_recovering(limits: SessionLimits, recovery: Recovery | None, day: date) -> SessionLimits:
    """Of a tree that recovers nothing more may go, whatever its season says."""
    if recovery is None or not recovery.holds(day):
        return limits
    return replace(limits, budget=0.0)


def _fresh(plan: Plan | None, changed: datetime | None, tree: Tree) -> Plan | None:
    """The plan while nothing it rests on was recorded after it was made."""
    if plan is None or plan.result is None or tree.died_on is not None:
        return None
    return None if changed is not None and changed > plan.made_at else plan


def _planned_year(
    plan: Plan | None, species: Species, yard: Yard, outlook: Outlook, day: date
) -> int | None:
    """The year of the next session on the studio's own path; None where its window was missed."""
    if plan is None or plan.result is None or missed(plan, species, yard, outlook, day):
        return None
    steps = plan.result.path_of(yard.school).steps
    return next((step.year for step in steps), None)


def missed(plan: Plan, species: Species, yard: Yard, outlook: Outlook, day: date) -> bool:
    """Whether the window of a plan's next session has passed, so that it holds no longer."""
    steps = () if plan.result is None else plan.result.path_of(yard.school).steps
    if not steps:
        return False
    window = window_of_year(species, place_of(yard), steps[0].year, outlook)
    return window is None or window.end < day


def _interval(
    tree: Tree, species: Species, sessions: tuple[RootSession, ...], day: date, planned: int | None
) -> Interval:
    years = species.interval_for(tree.age_class)
    table = rules().plan
    longest = max(ceil(table.longest_of_intervals * max(1.0, years)), max(1.0, years) + 1)
    # Grafts and layers leave the ball as it is; they are no session to count from.
    full = next((s for s in sessions if opens_ball(s.kind)), None)
    last_on = tree.last_repotted_on if full is None else full.done_on
    if last_on is None:
        return Interval(years, longest, None, None, None, planned)
    months = (day - last_on).days / DAYS_A_MONTH
    return Interval(years, longest, last_on, due_from(last_on, years), months, planned)


def _newcomer(tree: Tree, full: list[RootSession], day: date) -> bool:
    came = None if tree.in_ground else tree.acquired_on
    days = rules().standing.newcomer_days
    return not full and came is not None and day - came <= timedelta(days=days)


def _ball(
    tree: Tree, sessions: tuple[RootSession, ...], trunk_mm: float | None, day: date
) -> Sourced | None:
    noted = next((s for s in sessions if s.ball_depth_after is not None), None)
    inner, left = pot_of_tree(tree, sessions).depth, None
    if noted is not None and noted.ball_depth_after is not None:
        container = noted.container_after
        known = container if container in rules().containers else tree.container
        # The pot it was put into then, which is the one it stands in if nothing was said since.
        room = inner if noted is sessions[0] else noted.pot_depth_mm
        left = LeftBall(noted.ball_depth_after, noted.done_on, known, room)
    return ball_depth(left, tree.container, inner, trunk_mm, day)
