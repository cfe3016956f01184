"""What a tree's own weighings say of the share that is computed."""

from __future__ import annotations

from mirvo.core.rootwork import weighing_correction
from mirvo.core.rootwork.share_estimate import Feeding
from mirvo.records.database import DbSession
from mirvo.studio.standing.tree_queries import sessions_of


def correction_of(db: DbSession, tree_id: int, but_for: int | None = None) -> float:
    """This tree's ratio of weighed to computed share over all sessions weighed.

    but_for : number of the session that is being put right; its own weighing says nothing yet.
    """
    weighed = [
        (session.share_weighed, session.share_uncorrected)
        for session in sessions_of(db, tree_id)
        # Only sessions with both say how far the reckoning was off.
        if session.id != but_for and session.share_weighed and session.share_uncorrected
    ]
    return weighing_correction([(a, b) for a, b in weighed if a is not None and b is not None])


def feeding_of(
    db: DbSession, tree_id: int, fine_roots: str | None, but_for: int | None = None
) -> Feeding:
    """Where fine roots are, and what this tree's own weighings say of the model."""
    correction = correction_of(db, tree_id, but_for)
    return Feeding(fine_roots or "even", bool(fine_roots), correction, correction != 1.0)
