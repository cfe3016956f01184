"""The record of a session as it is shown: what was on the base, what went, what was left."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date

from sqlalchemy import select

from mirvo.core.clock import clock_list
from mirvo.core.measure.records import TopRecord
from mirvo.core.plan.plan_vs_actual import against_plan
from mirvo.core.rootwork.cuts import HALF
from mirvo.records.database import DbSession
from mirvo.records.models import Measurement, RootSession, Tree
from mirvo.studio.path.plans import actual_session
from mirvo.studio.standing.kept_plans import grafts_set
from mirvo.studio.standing.tree_queries import CutOfRoot, cuts_of

KEEP = "keep"


@dataclass(frozen=True)
class Base:
    """A measured base, and when it was measured."""

    record: TopRecord
    measured_on: date


@dataclass(frozen=True)
class Pair:
    """One thing of a session as it was planned and as it was done: in words, or a length in mm.

    otherwise : it differs by more than a ruler and an eye can tell, as the path says of it too.
    """

    name: str
    planned: str | float
    done: str | float
    otherwise: bool


@dataclass(frozen=True)
class Record:
    """A session with the base it was worked on. base : None where none had been measured.

    cut : part of each root's length that went. pairs : planned against done.
    """

    session: RootSession
    tree: Tree
    base: Base | None
    cuts: tuple[CutOfRoot, ...]
    cut: dict[str, float]
    pairs: tuple[Pair, ...]

    @property
    def trunk_mm(self) -> float | None:
        return self.base.record.trunk_diameter_mm.value if self.base else self.tree.trunk_mm


def record_of(db: DbSession, session: RootSession, tree: Tree) -> Record:
    """A session with what is needed to draw it."""
    cuts = cuts_of(db, tree.id).get(session.id, ())
    base = _base_before(db, session, cuts)
    cut = {one.label: _part(one) for one in cuts if one.cut.done_action != KEEP}
    return Record(session, tree, base, cuts, cut, tuple(_pairs(session, cuts)))


def _base_before(db: DbSession, session: RootSession, cuts: tuple[CutOfRoot, ...]) -> Base | None:
    """The base on which the letters were read, else the last one measured before the session."""
    query = select(Measurement).where(
        Measurement.tree_id == session.tree_id, Measurement.view == "top", Measurement.kept()
    )
    read_on = next((one.cut.measurement_id for one in cuts if one.cut.measurement_id), None)
    if read_on is not None:
        query = query.where(Measurement.id == read_on)
    else:
        query = query.where(Measurement.measured_on <= session.done_on)
    newest = query.order_by(Measurement.measured_on.desc(), Measurement.id.desc())
    for measured in db.scalars(newest.limit(3)):
        if measured.top is not None:
            return Base(measured.top, measured.measured_on)
    return None


def _part(one: CutOfRoot) -> float:
    """How much of a root's length went."""
    if one.cut.done_action == "remove":
        return 1.0
    part = one.cut.decided_part if one.cut.decided_part is not None else one.cut.done_part
    return HALF if part is None else part


def _pairs(session: RootSession, cuts: tuple[CutOfRoot, ...]) -> Iterator[Pair]:
    planned = session.planned
    if planned is None:
        return
    noted = {one.code for one in against_plan(planned, actual_session(session, cuts))}
    cut = [one.label for one in cuts if one.cut.done_action != KEEP]
    rows = (
        ("Year", str(planned.year), str(session.done_on.year), {"year"}),
        ("Roots cut", _listed(planned.faults), _listed(cut), {"spared", "less", "extra"}),
        (
            "Grafts set at",
            clock_list(work.azimuth_deg for work in planned.grafts) or "none",
            clock_list(grafts_set(session)) or "none",
            {"graft"},
        ),
        ("Off the underside", planned.slice_mm, session.slice_mm, {"slice"}),
        ("Into", planned.container, session.container_after, {"container"}),
        (
            "Of the fine roots",
            _percent(planned.share),
            _percent(session.share),
            {"share"},
        ),
    )
    for name, intended, done, codes in rows:
        # A session with no graft planned and none set says nothing of grafts.
        if codes != {"graft"} or (intended, done) != ("none", "none"):
            yield Pair(name, intended, done, bool(noted & codes))


def _percent(share: float) -> str:
    return f"{100 * share:.0f}%"


def _listed(labels: list[str] | tuple[str, ...]) -> str:
    return ", ".join(sorted(labels)) or "none"
