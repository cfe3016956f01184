"""Deciding at the bench: advice for each root, the base after the cuts, share against budget."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from mirvo.core.errors import BadInput
from mirvo.core.measure.records import RootPlane, TopRecord
from mirvo.core.rootwork.budget import session_budget
from mirvo.core.rootwork.cut_adviser import advise
from mirvo.core.rootwork.cuts import (
    CutAdvice,
    CutConstraints,
    CutDecision,
    CutReview,
    RootCase,
    cases_of,
)
from mirvo.core.rootwork.share_estimate import BallWork
from mirvo.core.season.season_state import season_state
from mirvo.records.database import DbSession
from mirvo.records.models import Target
from mirvo.studio.almanac.species import species_of
from mirvo.studio.bench_session.after_cuts import measured_with
from mirvo.studio.bench_session.session import BenchState
from mirvo.studio.context import Studio
from mirvo.studio.measuring.side_views import newest_root_plane
from mirvo.studio.records.share import correction_of
from mirvo.studio.tree_queries import MeasuredBase, measured_base, target_of
from mirvo.studio.yard.settings import yard_of

# Before a target is set, quarters are what most artists look for.
USUAL_GAP_DEG = 90.0
WANTS_SOMETHING = ("remove", "shorten", "halve", "bend")
DEPTH_UNKNOWN = "Give the ball's depth at the inspection; what the slice takes follows from it."


@dataclass(frozen=True)
class BenchReview:
    """What the deciding step shows: the base before and after the cuts, and the advice.

    cases and decided go by the root's letter. problem : a sentence, when the share cannot be
    worked out yet.
    """

    season: str
    decided: dict[str, CutDecision]
    target: Target | None
    problem: str | None
    base: MeasuredBase | None = None
    before: TopRecord | None = None
    after: TopRecord | None = None
    review: CutReview | None = None
    cases: Mapping[str, RootCase] = field(default_factory=dict)
    plane_before: RootPlane | None = None
    plane_after: RootPlane | None = None

    @property
    def stems(self) -> list[str]:
        """Names of the stems and branches that roots are said to feed."""
        return sorted({stem for case in self.cases.values() for stem in case.feeds})

    @property
    def advice(self) -> dict[str, CutAdvice]:
        return (
            {} if self.review is None else {advice.label: advice for advice in self.review.advice}
        )

    @property
    def undecided(self) -> list[str]:
        """Roots whose advice wants something and that are not decided yet."""
        return [
            label
            for label, advice in self.advice.items()
            if label not in self.decided and advice.action in WANTS_SOMETHING
        ]


def ball_work_of(answers: Mapping[str, Any]) -> BallWork:
    """What today's answers say goes from the ball besides single roots."""
    return BallWork(
        slice_mm=float(answers.get("slice_mm") or 0.0),
        matted=bool(answers.get("matted")),
        length_before=answers.get("ball_length_before"),
        width_before=answers.get("ball_width_before"),
        depth_before=answers.get("ball_depth_before"),
        length_after=answers.get("ball_length_after"),
    )


def cut_review(db: DbSession, studio: Studio, state: BenchState) -> BenchReview:
    """The deciding step, worked out anew from everything entered so far."""
    yard, tree, answers = yard_of(db), state.tree, state.answers
    base, target = measured_base(db, tree.id), target_of(db, tree.id)
    species = species_of(yard, tree.species_key)
    season = season_state(
        species,
        yard.last_frost,
        state.day,
        answers.get("bud_stage") or "",
        tree.under_glass,
        state.practice["dormant"],
    )
    ball_parts, problem = _taken_from_ball(answers)
    empty = BenchReview(season, state.decisions, target, problem, base)
    # The limits come first: they hold even where nothing was measured yet.
    limits = CutConstraints(
        budget=session_budget(
            tree,
            species,
            state.practice,
            season,
            state.day,
            answers.get("top_reduced") or 0.0,
            state.bench.kind,
        ),
        target_gap_deg=target.largest_gap_deg if target else USUAL_GAP_DEG,
        fine_roots=answers.get("fine_roots") or "even",
        ball_parts=ball_parts,
        fuses=state.practice["fusing"] == "fuse",
        waits_on=state.waits_on,
        correction=correction_of(db, tree.id),
    )
    return empty if base is None else _measured(db, studio, state, empty, base, limits)


def _taken_from_ball(answers: Mapping[str, Any]) -> tuple[tuple[float, ...], str | None]:
    """Parts that slice and trim take, or the sentence why they cannot be worked out yet."""
    try:
        return ball_work_of(answers).parts(), None
    # A missing depth is no mistake while the ball is still in its pot, so it is said kindly.
    except BadInput as error:
        return (), DEPTH_UNKNOWN if error.field == "ball_depth_before" else error.message


def _measured(
    db: DbSession,
    studio: Studio,
    state: BenchState,
    found: BenchReview,
    base: MeasuredBase,
    limits: CutConstraints,
) -> BenchReview:
    row, findings = base.measurement, state.findings
    # Roots cut in earlier sessions are still marked on the photo.
    gone = dict.fromkeys(base.gone, 1.0)
    before = measured_with(db, studio, row, findings, gone)
    cases = cases_of(before)
    by_label = {case.label: case for case in cases}
    # A root decided and then marked away leaves no decision behind.
    decided = {label: decision for label, decision in found.decided.items() if label in by_label}
    review = advise(cases, before.trunk_diameter_mm.value, limits, decided)
    cuts = {label: decision.cost for label, decision in decided.items() if decision.cost > 0}
    after = measured_with(db, studio, row, findings, {**gone, **cuts}) if cuts else before
    plane = newest_root_plane(db, studio, state.tree.id, frozenset(gone))
    left = plane
    # Without cuts the plane is the same; working it out twice would only cost time.
    if plane and cuts:
        removed = frozenset({*gone, *(label for label, part in cuts.items() if part >= 1.0)})
        left = newest_root_plane(db, studio, state.tree.id, removed)
    return replace(
        found,
        before=before,
        after=after,
        review=review,
        cases=by_label,
        decided=decided,
        plane_before=plane,
        plane_after=left,
    )
