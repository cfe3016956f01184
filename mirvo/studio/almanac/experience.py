"""What the studio's own trees of a species came to, to stand beside the general guidance."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from statistics import median

from sqlalchemy import and_, case, func, select

from mirvo.core.rootwork import opens_ball
from mirvo.core.season import frost_day
from mirvo.core.standing.answer import Experience, experience_of
from mirvo.records.database import DbSession
from mirvo.records.models import Measurement
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.standing.tree_list import list_trees
from mirvo.studio.standing.tree_queries import FROM_ABOVE

DAYS_A_YEAR = 365.25
TRUNK_AT = "$.body.trunk_diameter_mm.value"
# Of a measurement from above, mm, without reading its whole document; figures nobody can read have
# none.
TRUNK_MM = case(
    (
        and_(
            func.json_valid(Measurement.top) == 1,
            func.json_type(Measurement.top, TRUNK_AT).in_(("real", "integer")),
        ),
        func.json_extract(Measurement.top, TRUNK_AT),
    )
)
# So near to each other, two dates say nothing of growth.
LEAST_YEARS = 0.9


@dataclass(frozen=True)
class OwnExperience:
    """Sessions on the trees of one species and what they came to; None where nothing is known.

    interval_years : between full sessions of a tree, median. weeks : of sessions from the usual
    last frost, the earliest, median and latest. trunk : mm a year for every mm of trunk, median
    over trees measured at least about a year apart.
    """

    trees: int
    sessions: Experience
    interval_years: float | None
    weeks: tuple[float, float, float] | None
    trunk: float | None


def own_experience(db: DbSession, key: str, today: date) -> OwnExperience:
    """The studio's own experience with a species, dead trees included."""
    frost = yard_of(db).last_frost
    rows = [row for row in list_trees(db, today) if row.tree.species_key == key]
    shares, apart, weeks = [], list[float](), list[float]()
    for row in rows:
        full = [one for one in row.stands.sessions if opens_ball(one.kind)]
        days = [one.done_on for one in full]
        apart += [
            (later - earlier).days / DAYS_A_YEAR
            for later, earlier in zip(days, days[1:], strict=False)
        ]
        for session in full:
            shares.append((session.share, row.stands.answers.get(session.id)))
            weeks.append(_weeks_from_frost(session.done_on, frost))
    return OwnExperience(
        len(rows),
        experience_of(shares),
        median(apart) if apart else None,
        (min(weeks), median(weeks), max(weeks)) if weeks else None,
        _trunk_growth(db, [row.tree.id for row in rows]),
    )


def _weeks_from_frost(day: date, last_frost: str) -> float:
    years = (day.year - 1, day.year, day.year + 1)
    return min(((day - frost_day(last_frost, year)).days / 7 for year in years), key=abs)


def _trunk_growth(db: DbSession, trees: list[int]) -> float | None:
    rates = []
    for first, last in _first_and_last(db, trees).values():
        years = (last[0] - first[0]).days / DAYS_A_YEAR
        if years >= LEAST_YEARS:
            rates.append((last[1] - first[1]) / years / ((first[1] + last[1]) / 2))
    return median(rates) if rates else None


def _first_and_last(
    db: DbSession, trees: list[int]
) -> dict[int, tuple[tuple[date, float], tuple[date, float]]]:
    """Day and trunk of the first and last measurement from above, by tree."""
    query = (
        select(Measurement.tree_id, Measurement.measured_on, TRUNK_MM)
        .where(Measurement.tree_id.in_(trees), FROM_ABOVE, Measurement.kept())
        .order_by(Measurement.measured_on, Measurement.id)
    )
    found: dict[int, tuple[tuple[date, float], tuple[date, float]]] = {}
    for tree_id, day, value in db.execute(query):
        if value:
            dated = (day, float(value))
            found[tree_id] = (found.get(tree_id, (dated, dated))[0], dated)
    return found
