"""The share a tree's session takes, from its records: bench and record both ask here."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from mirvo.core.almanac.practice import Practice
from mirvo.core.limits.sessions import SessionFields
from mirvo.core.rootwork import collection_loss
from mirvo.core.rootwork.cuts import RootFinding
from mirvo.core.rootwork.share_estimate import ShareEstimate, estimate_share
from mirvo.records.database import DbSession
from mirvo.records.models import Tree
from mirvo.studio.ground.context import Studio
from mirvo.studio.measuring.after_cuts import measured_with
from mirvo.studio.standing.feeding import feeding_of
from mirvo.studio.standing.standing import standing_before
from mirvo.studio.standing.tree_queries import MeasuredBase

# How much of the root zone a ball holds is known this well, as a 95 % half-width.
COLLECTION_ERROR = 0.25


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
