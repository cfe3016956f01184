"""The share a tree's session takes, from its records: bench and record both ask here."""

from __future__ import annotations

from collections.abc import Mapping

from mirvo.core.almanac.practice import Practice
from mirvo.core.rootwork import weighing_correction
from mirvo.core.rootwork.budget import session_budget
from mirvo.core.rootwork.cuts import RootFinding
from mirvo.core.rootwork.share_estimate import ShareEstimate, estimate_share
from mirvo.core.season.season_state import season_state
from mirvo.records.database import DbSession
from mirvo.records.models import Tree
from mirvo.studio.almanac.species import species_of
from mirvo.studio.bench_session.after_cuts import measured_with
from mirvo.studio.context import Studio
from mirvo.studio.records.session_form import SessionForm
from mirvo.studio.tree_queries import MeasuredBase, sessions_of
from mirvo.studio.yard.settings import yard_of


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


def share_of_form(
    db: DbSession,
    studio: Studio,
    tree: Tree,
    form: SessionForm,
    base: MeasuredBase | None,
    practice: Practice,
    findings: Mapping[str, RootFinding],
    but_for: int | None = None,
) -> ShareEstimate:
    """Share and budget of a session as entered.

    Parameters
    ----------
    base : the roots that stood before it. findings : what was found of them at the bench.
    but_for : number of the session, when it is being put right.

    Raises
    ------
    BadInput : at the field that cannot be.
    """
    yard = yard_of(db)
    species = species_of(yard, tree.species_key)
    season = season_state(
        species,
        yard.last_frost,
        form.done_on,
        form.bud_stage,
        tree.under_glass,
        practice["dormant"],
    )
    roots = () if base is None else base.roots
    # Measured again with what was found, as at the bench, so that both say one figure.
    if base is not None and findings:
        gone = dict.fromkeys(base.gone, 1.0)
        roots = measured_with(db, studio, base.measurement, findings, gone).roots
    return estimate_share(
        roots,
        form.fine_roots,
        form.costs,
        form.ball_work,
        correction_of(db, tree.id, but_for),
        session_budget(
            tree,
            species,
            practice,
            season,
            form.done_on,
            form.top_reduced or 0.0,
            form.kind,
        ),
        season,
    )
