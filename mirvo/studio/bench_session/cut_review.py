"""Deciding at the bench: advice for each root, the base after the cuts, share against budget."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from mirvo.core.almanac import rules
from mirvo.core.almanac.practice import Practice
from mirvo.core.clock import clock_azimuths
from mirvo.core.errors import BadInput
from mirvo.core.measure.records import RootPlane, TopRecord
from mirvo.core.rootwork import SessionLimits, kind_by_key, treated_as_cutting
from mirvo.core.rootwork.cut_adviser import advise
from mirvo.core.rootwork.cuts import (
    CutAdvice,
    CutConstraints,
    CutDecision,
    CutReview,
    FeedingRoot,
    RootCase,
    cases_of,
)
from mirvo.core.rootwork.design import FLARE, as_designed
from mirvo.core.rootwork.share_estimate import BallWork, Feeding, ShareEstimate, estimate_share
from mirvo.core.season import Season
from mirvo.core.sentences import first_upper
from mirvo.records.database import DbSession
from mirvo.records.models import Target, Tree
from mirvo.studio.bench_session.session import BenchState
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.measuring.after_cuts import cuts_since, measured_with
from mirvo.studio.measuring.root_plane import newest_root_plane
from mirvo.studio.records.share import collected
from mirvo.studio.standing.feeding import feeding_of
from mirvo.studio.standing.kept_plans import grafts_on
from mirvo.studio.standing.standing import TreeStanding, standing_while_worked
from mirvo.studio.standing.tree_queries import (
    MeasuredBase,
    measured_base,
    plan_with_case,
    sessions_of,
    target_of,
)

# Before a target is set, quarters are what most artists look for.
USUAL_GAP_DEG = 90.0
WANTS_SOMETHING = ("remove", "shorten", "halve", "bend")
DEPTH_UNKNOWN = "Give the ball's depth at the inspection; what the slice takes follows from it."


@dataclass(frozen=True)
class BenchReview:
    """What the deciding step shows: the base before and after the cuts, and the advice.

    stands : the tree with what was found so far. cases and decided go by the root's letter.
    problem : a sentence, when the share cannot be worked out in full yet. estimate : of what is
    decided, also without a measured base.
    """

    stands: TreeStanding
    limits: SessionLimits
    kind: str
    decided: dict[str, CutDecision]
    target: Target | None
    problem: str | None
    base: MeasuredBase | None
    estimate: ShareEstimate
    before: TopRecord | None = None
    after: TopRecord | None = None
    review: CutReview | None = None
    cases: Mapping[str, RootCase] = field(default_factory=dict)
    plane_before: RootPlane | None = None
    plane_after: RootPlane | None = None

    @property
    def season(self) -> Season:
        """The season of the tree on this day."""
        return self.stands.standing.season

    @property
    def as_cutting(self) -> bool:
        """Whether more goes than the tree can bear: then it is treated as a cutting is."""
        return treated_as_cutting(self.kind, self.estimate.share, self.estimate.bearing)

    @property
    def emergency(self) -> str:
        """Why what was found asks for an emergency session, "" where it does not."""
        against = [
            sign for sign in self.stands.standing.strength.against if sign.strength == "weak"
        ]
        today = [sign.text for sign in against if sign.on == self.stands.standing.day]
        return f"{first_upper('; '.join(today))}." if today else ""

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


def ball_work_of(answers: Mapping[str, Any], practice: Practice) -> BallWork:
    """What today's answers say goes from the ball besides single roots."""
    return BallWork(
        slice_mm=float(answers.get("slice_mm") or 0.0),
        matted=bool(answers.get("matted")),
        length_before=answers.get("ball_length_before"),
        width_before=answers.get("ball_width_before"),
        depth_before=answers.get("ball_depth_before"),
        length_after=answers.get("ball_length_after"),
        picked=practice.get("bottom") == "pick",
    )


def cut_review(db: DbSession, studio: Studio, state: BenchState) -> BenchReview:
    """The deciding step, worked out anew from everything entered so far."""
    tree, answers = state.tree, state.answers
    base, target = measured_base(db, tree.id), target_of(db, tree.id)
    stands = standing_while_worked(db, tree, state.day, answers)
    limits = stands.limits(state.bench.kind, answers.get("top_reduced") or 0.0)
    feeding = feeding_of(db, tree.id, answers.get("fine_roots"))
    work, problem = _work(answers, state.practice, limits)
    empty = BenchReview(
        stands,
        limits,
        state.bench.kind,
        state.decisions,
        target,
        problem,
        base,
        _estimate((), feeding, {}, work, limits, tree, answers, state.bench.kind),
    )
    taken = work.taken(limits.usual_edge)
    bounds = CutConstraints(
        budget=_most(limits, stands, state.bench.kind),
        target_gap_deg=target.largest_gap_deg if target else USUAL_GAP_DEG,
        fine_roots=feeding.where,
        sliced=taken.sliced,
        edge=taken.edge,
        fuses=state.practice["fusing"] == "fuse",
        waits_on=state.waits_on,
        correction=feeding.correction,
        put_off=put_off(db, tree.id),
        planned=planned_parts(db, stands),
        flare=state.tree.design == FLARE,
        grafts_deg=(*grafts_on(stands.sessions), *clock_azimuths(answers.get("graft_hours") or "")),
    )
    if base is None:
        return empty
    return _measured(db, studio, state, empty, base, bounds, feeding, work)


def _most(limits: SessionLimits, stands: TreeStanding, kind: str) -> float:
    """The most the advice takes: the budget, the tree's bearing, and the cap on strain."""
    if kind_by_key(kind).own_budget is not None:
        return limits.budget
    most = min(limits.budget, limits.bearing)
    if stands.standing.strength.value == "fair" or stands.standing.age == "old":
        most = min(most, limits.bearing * (rules().plan.strain_limit / 100.0) ** 0.5)
    return most


def planned_parts(db: DbSession, stands: TreeStanding) -> dict[str, float] | None:
    """What the path takes of each root it knows in its next session; None without a path."""
    plan = plan_with_case(db, stands.tree.id)
    if stands.plan is None or plan is None or plan.case is None or plan.result is None:
        return None
    school = yard_of(db).school
    step = next(iter(plan.result.path_of(school).steps), None)
    parts = {} if step is None else step.fault_parts
    return {fault.label: parts.get(fault.label, 0.0) for fault in plan.case.faults}


def put_off(db: DbSession, tree_id: int) -> dict[str, int]:
    """In how many sessions on end a root was spared for want of budget, by letter."""
    counts: dict[str, int] = {}
    ended: set[str] = set()
    for session in sessions_of(db, tree_id):
        spared = {
            work.root for work in session.unfinished or () if work.code == "spared" and work.root
        }
        for label in spared - ended:
            counts[label] = counts.get(label, 0) + 1
        ended |= {label for label in counts if label not in spared}
    return counts


def _work(
    answers: Mapping[str, Any], practice: Practice, limits: SessionLimits
) -> tuple[BallWork, str | None]:
    """The ball's work, or as far as it can be worked out with the sentence why not further."""
    work = ball_work_of(answers, practice)
    try:
        work.taken(limits.usual_edge)
    except BadInput as error:
        # A missing depth is no mistake while the ball is still in its pot, so it is said kindly.
        said = DEPTH_UNKNOWN if error.field == "ball_depth_before" else error.message
        return replace(work, slice_mm=0.0, length_after=None), said
    return work, None


def _estimate(
    roots: Sequence[FeedingRoot],
    feeding: Feeding,
    costs: Mapping[str, float],
    work: BallWork,
    limits: SessionLimits,
    tree: Tree,
    answers: Mapping[str, Any],
    kind: str,
) -> ShareEstimate:
    found = estimate_share(roots, feeding, costs, work, limits)
    if kind != "collection":
        return found
    ball = answers.get("ball_length_after") or answers.get("ball_length_before")
    return collected(found, ball, answers.get("trunk_diameter_mm") or tree.trunk_mm)


def _measured(
    db: DbSession,
    studio: Studio,
    state: BenchState,
    found: BenchReview,
    base: MeasuredBase,
    bounds: CutConstraints,
    feeding: Feeding,
    work: BallWork,
) -> BenchReview:
    row, findings = base.measurement, state.findings
    # Roots cut in earlier sessions are still marked on the photo.
    gone = cuts_since(db, row)
    design = state.tree.design
    before = as_designed(measured_with(db, studio, row, findings, gone), design)
    cases = cases_of(before)
    by_label = {case.label: case for case in cases}
    # A root decided and then marked away leaves no decision behind.
    decided = {label: decision for label, decision in found.decided.items() if label in by_label}
    review = advise(cases, before.trunk_diameter_mm.value, bounds, decided)
    cuts = {label: decision.cost for label, decision in decided.items() if decision.cost > 0}
    both = {
        label: 1.0 - (1.0 - gone.get(label, 0.0)) * (1.0 - part) for label, part in cuts.items()
    }
    after = before
    if cuts:
        left_of = measured_with(db, studio, row, findings, {**gone, **both})
        after = as_designed(left_of, design)
    estimate = _estimate(
        cases, feeding, cuts, work, found.limits, state.tree, state.answers, state.bench.kind
    )
    plane = newest_root_plane(db, studio, state.tree.id, base.gone)
    left = plane
    # Without cuts the plane is the same; working it out twice would only cost time.
    if plane and cuts:
        removed = frozenset({*base.gone, *(label for label, part in cuts.items() if part >= 1.0)})
        left = newest_root_plane(db, studio, state.tree.id, removed)
    return replace(
        found,
        before=before,
        after=after,
        review=review,
        estimate=estimate,
        cases=by_label,
        decided=decided,
        plane_before=plane,
        plane_after=left,
    )
