"""The share a tree's session takes, from its records: bench and record both ask here."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from mirvo.core.almanac.practice import Practice
from mirvo.core.limits.sessions import SessionFields
from mirvo.core.rootwork import collection_loss, weighing_correction
from mirvo.core.rootwork.cuts import RootFinding
from mirvo.core.rootwork.share_estimate import Feeding, ShareEstimate, estimate_share
from mirvo.records.database import DbSession
from mirvo.records.models import Tree
from mirvo.studio.context import Studio
from mirvo.studio.measuring.after_cuts import measured_with
from mirvo.studio.tree_queries import MeasuredBase, sessions_of
from mirvo.studio.yard.standing import standing_before

# How much of the root zone a ball holds is known this well, as a 95 % half-width.
COLLECTION_ERROR = 0.25


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


def share_of_form(
    db: DbSession,
    studio: Studio,
    tree: Tree,
    form: SessionFields,
    base: MeasuredBase | None,
    practice: Practice,
    findings: Mapping[str, RootFinding],
    notes: Mapping[str, Any] | None = None,
    but_for: int | None = None,
) -> ShareEstimate:
    """Share and budget of a session as entered.

    Parameters
    ----------
    base : the roots that stood before it. findings : what was found of them at the bench, notes :
    what else. but_for : number of the session, when it is being put right.

    Raises
    ------
    BadInput : at the field that cannot be.
    """
    entered = {**(notes or {}), **({"bud_stage": form.bud_stage} if form.bud_stage else {})}
    stood = standing_before(db, tree, form.done_on, entered, but_for)
    limits = replace(stood, practice=practice).limits(form.kind, form.top_reduced or 0.0)
    roots = () if base is None else base.roots
    # Measured again with what was found, as at the bench, so that both say one figure.
    if base is not None and findings:
        gone = dict.fromkeys(base.gone, 1.0)
        roots = measured_with(db, studio, base.measurement, findings, gone).roots
    feeding = feeding_of(db, tree.id, form.fine_roots, but_for)
    found = estimate_share(roots, feeding, form.costs, form.ball_work(practice), limits)
    if form.kind == "collection":
        return collected(found, form.ball_length_after or form.ball_length_before, tree.trunk_mm)
    return found


def collected(found: ShareEstimate, ball_mm: float | None, trunk_mm: float | None) -> ShareEstimate:
    """The share of a tree that was dug: what stays in the ground, by the size of its ball."""
    loss = collection_loss(ball_mm, trunk_mm)
    if loss is None:
        return found
    share = 1.0 - (1.0 - loss) * (1.0 - found.share)
    return replace(found, share=share, uncorrected=share, plus_minus=COLLECTION_ERROR)
