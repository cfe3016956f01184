"""What was recorded of one tree over the years; a page that needs a thing twice asks once."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from contextlib import suppress
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import func, select
from sqlalchemy.orm import defer, joinedload

from mirvo.core.errors import NotFound
from mirvo.core.measure.records import RootRecord, TopRecord
from mirvo.core.rootwork.design import FLARE, as_designed
from mirvo.records.database import DbSession, find_kept
from mirvo.records.models import (
    CutRecord,
    FindingRecord,
    Measurement,
    Plan,
    Root,
    RootSession,
    Target,
    Tree,
)
from mirvo.studio.ground.state_cache import kept_by_tree, snapshot_of

# A photo that was marked but gave no figures says nothing of the base.
MEASURED_FROM_ABOVE = (Measurement.view == "top") & Measurement.top.is_not(None)
# As `Measurement.counts`: of another tree, or doubted and not answered for yet, it teaches nothing.
COUNTS = func.coalesce(Measurement.same_tree, func.coalesce(Measurement.doubt, "") == "")
FROM_ABOVE = MEASURED_FROM_ABOVE & COUNTS


@dataclass(frozen=True)
class MeasuredBase:
    """A measurement from above and the base as it stands.

    record : as it stands, worked out again without what went since. roots : those removed since
    left out. measured : as it was measured.
    """

    measurement: Measurement
    record: TopRecord
    roots: tuple[RootRecord, ...]
    measured: TopRecord

    @property
    def gone(self) -> frozenset[str]:
        """Letters of the roots removed since."""
        return frozenset(self.measured.labels) - {root.label for root in self.roots}

    @property
    def worked_since(self) -> bool:
        """Whether roots were cut since it was measured, so that it wants measuring again."""
        return self.record is not self.measured


@dataclass(frozen=True)
class TreeRecords:
    """A tree with the records its state follows from.

    sessions : newest first, each with what was seen after it. plan : the newest, its case left
    unread. measured : the newest base from above that counts, as it stands; measurement_id,
    measured_at : which that is, and when its marks were last kept. changed : when anything a plan
    rests on was last recorded; None where nothing was.
    """

    tree: Tree
    sessions: tuple[RootSession, ...] = ()
    target: Target | None = None
    plan: Plan | None = None
    measured: TopRecord | None = None
    measurement_id: int | None = None
    measured_at: datetime | None = None
    changed: datetime | None = None

    @property
    def trunk_mm(self) -> float | None:
        """Trunk diameter as measured last, else as typed."""
        if self.measured is None:
            return self.tree.trunk_mm
        return self.measured.trunk_diameter_mm.value


@dataclass(frozen=True)
class CutOfRoot:
    """What a session did to one root, by the letter the root bears now."""

    label: str
    cut: CutRecord


@kept_by_tree
def load_tree(db: DbSession, tree_id: int) -> Tree:
    """One tree. Raises NotFound."""
    if snapshot_of(db) is not None:
        # A page of a tree asks for its state too, which is read together with it.
        return tree_records(db, tree_id).tree
    # A tree in the heap is none to work on, so it is not found either.
    tree = find_kept(db, Tree, tree_id)
    if tree is None:
        raise NotFound("tree", "there is no such tree")
    return tree


@kept_by_tree
def tree_records(db: DbSession, tree_id: int) -> TreeRecords:
    """The records one tree's state follows from. Raises NotFound."""
    found = load_records(db, [tree_id])
    if tree_id not in found:
        raise NotFound("tree", "there is no such tree")
    return found[tree_id]


def load_records(db: DbSession, tree_ids: Collection[int]) -> dict[int, TreeRecords]:
    """The same of any number of trees, in two queries; those on the heap are left out."""
    sessions = _sessions(db, tree_ids)
    measured = (
        select(Measurement.id)
        .where(Measurement.tree_id == Tree.id, FROM_ABOVE, Measurement.kept())
        .order_by(Measurement.measured_on.desc(), Measurement.id.desc())
        .limit(1)
        .correlate(Tree)
        .scalar_subquery()
    )
    marked_at = (
        select(func.max(Measurement.updated_at))
        .where(Measurement.tree_id == Tree.id, MEASURED_FROM_ABOVE, Measurement.kept())
        .correlate(Tree)
        .scalar_subquery()
    )
    planned = (
        select(func.max(Plan.id)).where(Plan.tree_id == Tree.id).correlate(Tree).scalar_subquery()
    )
    query = (
        select(
            Tree,
            Target,
            Plan,
            Measurement.stands,
            Measurement.top,
            Measurement.id,
            Measurement.updated_at,
            marked_at,
        )
        # A plan's case is large, and no state asks for it.
        .options(defer(Plan.case, raiseload=True))
        .outerjoin(Target, Target.tree_id == Tree.id)
        .outerjoin(Plan, Plan.id == planned)
        .outerjoin(Measurement, Measurement.id == measured)
        .where(Tree.id.in_(tree_ids), Tree.kept())
    )
    found = {}
    for tree, target, plan, stands, top, measurement_id, measured_at, marked in db.execute(query):
        of_tree = sessions.get(tree.id, ())
        moments = [session.created_at for session in of_tree]
        moments += [] if target is None else [target.updated_at]
        moments += [] if marked is None else [marked]
        found[tree.id] = TreeRecords(
            tree,
            of_tree,
            target,
            plan,
            stands or top,
            measurement_id,
            measured_at,
            max(moments, default=None),
        )
    return found


def _sessions(db: DbSession, tree_ids: Collection[int]) -> dict[int, tuple[RootSession, ...]]:
    query = (
        select(RootSession)
        .options(joinedload(RootSession.seen_after))
        .where(RootSession.tree_id.in_(tree_ids), RootSession.kept())
        .order_by(RootSession.done_on.desc(), RootSession.id.desc())
    )
    found: dict[int, list[RootSession]] = {}
    for session in db.scalars(query).unique():
        found.setdefault(session.tree_id, []).append(session)
    return {tree_id: tuple(of_tree) for tree_id, of_tree in found.items()}


@kept_by_tree
def sessions_of(db: DbSession, tree_id: int) -> tuple[RootSession, ...]:
    """Sessions of a tree, newest first, each with what was seen after it."""
    if snapshot_of(db) is not None:
        # The tree's state is asked for on every page that asks for its sessions.
        with suppress(NotFound):
            return tree_records(db, tree_id).sessions
    return _sessions(db, [tree_id]).get(tree_id, ())


@kept_by_tree
def cuts_of(db: DbSession, tree_id: int) -> Mapping[int, tuple[CutOfRoot, ...]]:
    """What each session of a tree decided and did, root by root, by the session's number."""
    query = (
        select(Root.label, CutRecord)
        .join(Root, Root.id == CutRecord.root_id)
        .join(RootSession, RootSession.id == CutRecord.session_id)
        .where(RootSession.tree_id == tree_id, RootSession.kept())
        .order_by(CutRecord.id)
    )
    found: dict[int, tuple[CutOfRoot, ...]] = {}
    for label, cut in db.execute(query):
        found[cut.session_id] = (*found.get(cut.session_id, ()), CutOfRoot(label, cut))
    return found


def findings_of(db: DbSession, session_id: int) -> dict[str, FindingRecord]:
    """What a session found on single roots, by letter."""
    query = (
        select(Root.label, FindingRecord)
        .join(Root, Root.id == FindingRecord.root_id)
        .where(FindingRecord.session_id == session_id)
    )
    return dict(db.execute(query).all())


def target_of(db: DbSession, tree_id: int) -> Target | None:
    """What the tree is worked toward, None where nothing is set."""
    if snapshot_of(db) is None:
        return db.get(Target, tree_id)
    return tree_records(db, tree_id).target


def newest_plan(db: DbSession, tree_id: int) -> Plan | None:
    """The plan that counts, its case left unread; None before one was made."""
    if snapshot_of(db) is None:
        return plan_with_case(db, tree_id)
    return tree_records(db, tree_id).plan


@kept_by_tree
def plan_with_case(db: DbSession, tree_id: int) -> Plan | None:
    """The same with its case, which is large."""
    newest = select(func.max(Plan.id)).where(Plan.tree_id == tree_id).scalar_subquery()
    return db.scalar(select(Plan).where(Plan.id == newest))


@kept_by_tree
def measurements_of(db: DbSession, tree_id: int) -> tuple[Measurement, ...]:
    """Measurements of a tree from above that gave figures and count, oldest first."""
    return tuple(row for row in all_measurements_of(db, tree_id) if row.counts)


@kept_by_tree
def all_measurements_of(db: DbSession, tree_id: int) -> tuple[Measurement, ...]:
    """The same, with those in doubt and those that show another tree."""
    query = (
        select(Measurement)
        .where(Measurement.tree_id == tree_id, MEASURED_FROM_ABOVE, Measurement.kept())
        .order_by(Measurement.measured_on, Measurement.id)
    )
    return tuple(row for row in db.scalars(query) if row.top is not None)


@kept_by_tree
def measured_base(db: DbSession, tree_id: int, until: date | None = None) -> MeasuredBase | None:
    """The latest measurement with figures, on or before a day, and the roots that stand of it."""
    # A page that shows the base also shows the years, so they are read once for both.
    rows = [
        row for row in measurements_of(db, tree_id) if until is None or row.measured_on <= until
    ]
    return base_of(db, rows[-1]) if rows else None


def base_of(db: DbSession, measurement: Measurement) -> MeasuredBase | None:
    """What stands of one measurement, None where it gave no figures."""
    gone = _removed(db, measurement, set(cuts_of(db, measurement.tree_id)))
    design = design_of(db, measurement.tree_id)
    return _standing(measurement, design, gone, measurement.stands)


def base_before(
    db: DbSession, measurement: Measurement, day: date, session: RootSession | None = None
) -> MeasuredBase | None:
    """What stood of a measurement before a session of a day was done.

    session : its own record, once there is one; what it removed still stood then.
    """
    own = None if session is None else session.id
    earlier = {
        session.id
        for session in sessions_of(db, measurement.tree_id)
        if session.id != own
        and (
            # Two sessions of a day happened in the order they were written down.
            session.done_on < day or (session.done_on == day and (own is None or session.id < own))
        )
    }
    design = design_of(db, measurement.tree_id)
    return _standing(measurement, design, _removed(db, measurement, earlier))


def _removed(db: DbSession, measurement: Measurement, sessions: set[int]) -> set[str]:
    """Letters of the roots that some sessions removed, as they were named on a measurement."""
    return {
        done.label
        for session_id, cuts in cuts_of(db, measurement.tree_id).items()
        for done in cuts
        if session_id in sessions
        # Only cuts named on this measurement: an older letter may be another root's.
        and done.cut.done_action == "remove"
        and done.cut.measurement_id == measurement.id
    }


def design_of(db: DbSession, tree_id: int) -> str:
    """What a tree's base is to look like, one of `core.rootwork.design.DESIGNS`."""
    try:
        return load_tree(db, tree_id).design
    except NotFound:
        # A tree in the heap is measured as any other.
        return FLARE


def _standing(
    measurement: Measurement, design: str, gone: set[str], stands: TopRecord | None = None
) -> MeasuredBase | None:
    if measurement.top is None:
        return None
    # Faults count as the tree's design has them; the record keeps them all.
    measured = as_designed(measurement.top, design)
    record = measured if stands is None else as_designed(stands, design)
    standing = tuple(root for root in record.roots if root.label not in gone)
    return MeasuredBase(measurement, record, standing, measured)
