"""Is it time? How a tree stands put beside the signs seen on it, which are kept with their day."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date

from mirvo.core.errors import BadInput
from mirvo.core.limits.base import checked
from mirvo.core.limits.trees import WateringFields
from mirvo.core.standing.signs import SIGNS, Observation
from mirvo.core.standing.verdict import Verdict, verdict
from mirvo.records.database import DbSession
from mirvo.records.documents import SignSeen
from mirvo.studio.ground.context import Studio
from mirvo.studio.records.watering import rhythm_of
from mirvo.studio.standing.evidence import signs_on
from mirvo.studio.standing.standing import TreeStanding, standing_of
from mirvo.studio.standing.tree_queries import load_tree, sessions_of

SEEN_TODAY = SIGNS
# More were never seen on one tree; the oldest go first.
MAX_SIGNS = 200


def is_it_time(
    db: DbSession,
    today: date,
    tree_id: int,
    seen: Iterable[str] = (),
    days_between: float | None = None,
) -> tuple[TreeStanding, Observation, Verdict]:
    """How a tree stands, what is seen of it, and the verdict on both.

    Parameters
    ----------
    seen : signs seen beside those that are kept. days_between : between waterings now, when it was
    given.
    """
    stands, rhythm = standing_of(db, tree_id, today), rhythm_of(db, tree_id)
    signs = {*stands.standing.signs, *(name for name in seen if name in SIGNS)}
    looked = stands.observation(signs, days_between, rhythm.days_between)
    return stands, looked, verdict(stands.standing, looked)


def keep_signs(studio: Studio, tree_id: int, seen: Iterable[str]) -> None:
    """Keep the signs seen on a tree today; one that was seen before and is not any more ends.

    Raises
    ------
    NotFound : there is no such tree. BadInput : a sign Mirvo does not know.
    """
    ticked, today = set(seen), studio.today
    unknown = ticked - set(SIGNS)
    if unknown:
        raise BadInput("signs", f"“{min(unknown)[:40]}” is no sign Mirvo knows")
    with studio.writing() as db:
        tree = load_tree(db, tree_id)
        kept = signs_on(tree, sessions_of(db, tree_id), today)
        rows = [row for row in tree.signs_seen or () if not _seen_by_mistake(row, ticked, today)]
        ended = [
            row.model_copy(update={"until": today})
            if row.until is None and row.sign not in ticked
            else row
            for row in rows
        ]
        new = [SignSeen(sign=sign, seen_on=today) for sign in SIGNS if sign in ticked - set(kept)]
        tree.signs_seen = (*ended, *new)[-MAX_SIGNS:]


def _seen_by_mistake(row: SignSeen, ticked: set[str], today: date) -> bool:
    """Ticked and let go again on one day: it was never there."""
    return row.seen_on == today and row.until is None and row.sign not in ticked


def say_usual_watering(studio: Studio, tree_id: int, days: float | None) -> None:
    """Keep how many days usually lie between waterings of a tree. Raises NotFound, BadInput."""
    checked(WateringFields, {"usual_watering_days": days}, studio.today)
    with studio.writing() as db:
        load_tree(db, tree_id).usual_watering_days = days
