"""The tree page: everything about one tree that the sheet draws."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date

from mirvo.core.almanac import Species
from mirvo.core.measure.records import CountedSpread, TopRecord
from mirvo.core.plan.records import PlannedPath
from mirvo.core.rootwork import opens_ball
from mirvo.core.season import Window
from mirvo.core.standing.standing import Standing
from mirvo.core.standing.verdict import Verdict
from mirvo.records.database import DbSession
from mirvo.records.models import (
    BenchSession,
    HandMeasurement,
    Measurement,
    RootSession,
    Target,
    Tree,
)
from mirvo.studio.bench_session.session import running_session
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.measuring.by_hand import by_hand
from mirvo.studio.measuring.same_tree import doubts_of
from mirvo.studio.path.planned_against_done import PlannedAgainstDone, planned_against_done
from mirvo.studio.standing.species import species_of_tree
from mirvo.studio.standing.standing import TreeStanding, missed, standing_of
from mirvo.studio.standing.tree_queries import (
    CutOfRoot,
    MeasuredBase,
    cuts_of,
    load_tree,
    measured_base,
    measurements_of,
    newest_plan,
    sessions_of,
    target_of,
)
from mirvo.studio.standing.weather import expected_bud_swell, frost_after, frost_by_week


@dataclass(frozen=True)
class Sheet:
    """One tree, measured, recorded and planned; `dated` are its measurements from above, oldest
    first, `by_hand` those of a day with tape and calliper."""

    tree: Tree
    species: Species
    base: MeasuredBase | None
    sessions: tuple[RootSession, ...]
    cuts: Mapping[int, tuple[CutOfRoot, ...]]
    dated: tuple[Measurement, ...]
    by_hand: tuple[HandMeasurement, ...]
    target: Target | None
    path: PlannedPath | None
    path_outdated: bool
    compared: PlannedAgainstDone
    stands: TreeStanding
    verdict: Verdict
    today: date
    running: BenchSession | None
    bud_swell: date | None
    frost_nights: int | None
    frosty: list[float]
    doubts: list[Measurement]

    @property
    def last_worked(self) -> RootSession | None:
        """The newest session that opened the ball, which the tree answers."""
        return next((one for one in self.sessions if opens_ball(one.kind)), None)

    @property
    def history(self) -> list[tuple[date, TopRecord]]:
        """Day and record of every measurement from above, oldest first."""
        return [(row.measured_on, row.top) for row in self.dated if row.top is not None]

    @property
    def spread(self) -> CountedSpread | None:
        """Its spread as it counts toward the target; None before the first measurement."""
        if self.base is None:
            return None
        return self.base.record.spread.counted(self.target.basis if self.target else None)

    @property
    def basis(self) -> str:
        """The one basis on which its spread is said, today and over the years."""
        if self.spread is not None:
            return self.spread.basis
        return self.target.basis if self.target else "flare"

    @property
    def standing(self) -> Standing:
        return self.stands.standing

    @property
    def window(self) -> Window:
        """The window the advice is about."""
        return self.verdict.window


def sheet_of(db: DbSession, tree_id: int, today: date) -> Sheet:
    """All the tree page needs in a constant number of queries."""
    yard, tree = yard_of(db), load_tree(db, tree_id)
    species = species_of_tree(yard, tree)
    base, sessions = measured_base(db, tree_id), sessions_of(db, tree_id)
    target, plan = target_of(db, tree_id), newest_plan(db, tree_id)
    # Newest first, so the first is the one the interval counts from.
    stands = standing_of(db, tree_id, today)
    window = stands.usual_verdict.window
    result = None if plan is None else plan.result
    return Sheet(
        tree=tree,
        species=species,
        base=base,
        sessions=sessions,
        cuts=cuts_of(db, tree_id),
        dated=measurements_of(db, tree_id),
        by_hand=by_hand(db, tree_id),
        target=target,
        path=result.path_of(yard.school) if result and target else None,
        path_outdated=plan is not None
        and (stands.plan is None or missed(plan, species, yard, stands.outlook, today)),
        compared=planned_against_done(db, tree_id),
        stands=stands,
        verdict=stands.usual_verdict,
        today=today,
        running=running_session(db, tree_id),
        bud_swell=expected_bud_swell(yard, species, window.year, today),
        frost_nights=frost_after(yard, stands.species, window.best),
        frosty=frost_by_week(yard),
        doubts=doubts_of(db, tree_id),
    )
