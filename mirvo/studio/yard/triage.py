"""Is it time? How a tree stands put beside what is seen of it today."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date

from mirvo.core.standing.verdict import SIGNS, Looked, Verdict, verdict
from mirvo.records.database import DbSession
from mirvo.studio.records.aftercare import rhythm_of
from mirvo.studio.yard.standing import TreeStanding, standing_of

SEEN_TODAY = tuple(SIGNS)


def is_it_time(
    db: DbSession,
    today: date,
    tree_id: int,
    seen: Mapping[str, bool],
    days_between: float | None = None,
) -> tuple[TreeStanding, Looked, Verdict]:
    """How a tree stands, what is seen of it, and the verdict on both.

    Parameters
    ----------
    seen : which of `SEEN_TODAY` hold. days_between : between waterings now, when it was given.
    """
    stands, rhythm = standing_of(db, tree_id, today), rhythm_of(db, tree_id)
    signs = [name for name in SEEN_TODAY if seen.get(name)]
    looked = stands.looked(signs, days_between, rhythm.days_between)
    return stands, looked, verdict(stands.standing, looked)
