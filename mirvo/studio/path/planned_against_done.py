"""What was planned of a tree against what came, and what was learnt from it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from mirvo.core.measure.figure import Figure
from mirvo.core.plan.records import YearForecast
from mirvo.records.database import DbSession
from mirvo.records.models import RootSession
from mirvo.studio.standing.feeding import correction_of
from mirvo.studio.standing.tree_queries import measurements_of, sessions_of, target_of


@dataclass(frozen=True)
class ForecastAndMeasured:
    """Spread ratio of one measurement beside the one that was forecast for it."""

    measured_on: date
    forecast: YearForecast
    measured: Figure

    @property
    def within(self) -> bool:
        """Whether what was measured lies in the band of four in five drawn outcomes."""
        low, high = self.forecast.low, self.forecast.high
        error = self.measured.plus_minus
        return low - error <= self.measured.value <= high + error


@dataclass(frozen=True)
class PlannedAgainstDone:
    """Sessions that had a plan or were weighed, measurements that had a forecast, newest first.

    correction : this tree's ratio of weighed to computed share, 1 while nothing was weighed.
    """

    sessions: tuple[RootSession, ...]
    measured: tuple[ForecastAndMeasured, ...]
    correction: float

    def __bool__(self) -> bool:
        return bool(self.sessions or self.measured)


def planned_against_done(db: DbSession, tree_id: int) -> PlannedAgainstDone:
    """Planned against done of one tree, from what its pages read anyway."""
    target = target_of(db, tree_id)
    found = []
    for row in measurements_of(db, tree_id):
        spread = None if row.top is None or target is None else row.top.spread.on(target.basis)
        if row.forecast is not None and spread is not None:
            found.append(ForecastAndMeasured(row.measured_on, row.forecast, spread.ratio))
    return PlannedAgainstDone(
        tuple(
            session
            for session in sessions_of(db, tree_id)
            if session.planned is not None or session.share_weighed is not None
        ),
        tuple(found[::-1]),
        correction_of(db, tree_id),
    )
