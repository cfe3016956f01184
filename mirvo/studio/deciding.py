"""Deciding at the bench: advice for each root, the base after the cuts, share against budget."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from mirvo.core.errors import BadInput
from mirvo.core.rootwork.adviser import advise
from mirvo.core.rootwork.cases import Advice, Bearing, Decision, RootCase, Verdict, cases_of
from mirvo.records.database import reading
from mirvo.records.models import Measurement, Target
from mirvo.studio.after_cuts import figures_with, root_plane_with
from mirvo.studio.context import Studio
from mirvo.studio.histories import measured_roots, target_of
from mirvo.studio.reckoning import (
    Soil,
    correction_of,
    kind_budget,
    season_of,
    tree_budget,
)
from mirvo.studio.species import species_of
from mirvo.studio.visits import VisitView

USUAL_GAP_DEG = 90.0
DEPTH_UNKNOWN = "Give the ball's depth at the inspection; the slice is reckoned from it."


@dataclass(frozen=True)
class Deciding:
    """What the deciding step shows. `before` and `after` are records of a measurement.

    advice, cases and decided go by the root's letter. problem : a sentence, when the
    share cannot be reckoned yet.
    """

    measurement: Measurement | None
    before: dict[str, Any] | None
    after: dict[str, Any] | None
    verdict: Verdict | None
    cases: dict[str, RootCase]
    decided: dict[str, Decision]
    season: str
    target: Target | None
    plane_before: dict[str, Any] | None
    plane_after: dict[str, Any] | None
    stems: list[str]
    problem: str | None

    @property
    def advice(self) -> dict[str, Advice]:
        return {} if self.verdict is None else {one.label: one for one in self.verdict.advice}

    @property
    def undecided(self) -> list[str]:
        """Roots whose advice wants something and that are not decided yet."""
        return [
            label
            for label, one in self.advice.items()
            if label not in self.decided and one.action in ("remove", "shorten", "halve", "bend")
        ]


def soil_of(answers: dict[str, Any]) -> Soil:
    """What today's answers say goes from the ball besides single roots."""
    return Soil(
        slice_mm=float(answers.get("slice_mm") or 0.0),
        matted=bool(answers.get("matted")),
        length_before=answers.get("ball_length_before"),
        width_before=answers.get("ball_width_before"),
        depth_before=answers.get("ball_depth_before"),
        length_after=answers.get("ball_length_after"),
    )


def decisions_of(view: VisitView) -> dict[str, Decision]:
    """The artist's decisions so far, by root."""
    return {label: Decision(**told) for label, told in view.of_roots("root").items()}


def deciding(studio: Studio, view: VisitView) -> Deciding:
    """Reckon the deciding step anew from everything entered so far."""
    yard = studio.yard()
    answers, tree = view.answers, view.tree
    with reading(studio.engine) as unit:
        row, roots = measured_roots(unit, tree.id)
        target = target_of(unit, tree.id)
        correction = correction_of(unit, tree.id)
    day, buds = view.visit.begun_at.date(), answers.get("bud_stage") or ""
    species = species_of(yard, tree.species_key)
    season = season_of(tree, species, yard.last_frost, day, buds, view.practice)
    top = answers.get("top_reduced") or 0.0
    budget = tree_budget(tree, species, view.practice, season, day, top)
    budget = kind_budget(view.visit.kind, budget)
    decided = decisions_of(view)
    others, problem = _taken_from_ball(answers)
    empty = Deciding(row, None, None, None, {}, decided, season, target, None, None, [], problem)
    bearing = Bearing(
        budget=budget,
        target_gap_deg=target.largest_gap_deg if target else USUAL_GAP_DEG,
        fine_roots=answers.get("fine_roots") or "even",
        others=others,
        fuses=view.practice["fusing"] == "fuse",
        waits_on=view.of_roots("waits"),
        correction=correction,
    )
    if row is None or row.figures is None:
        return empty
    standing = {root["label"] for root in roots}
    gone = {root["label"]: 1.0 for root in row.figures["roots"] if root["label"] not in standing}
    return _measured(studio, view, empty, bearing, row, gone)


def _taken_from_ball(answers: dict[str, Any]) -> tuple[tuple[float, ...], str | None]:
    """Parts that slice and trim take, or the sentence why they cannot be reckoned yet."""
    try:
        return soil_of(answers).parts(), None
    except BadInput as error:
        return (), DEPTH_UNKNOWN if error.field == "ball_depth_before" else error.message


def _measured(
    studio: Studio,
    view: VisitView,
    told: Deciding,
    bearing: Bearing,
    row: Measurement,
    gone: dict[str, float],
) -> Deciding:
    before = figures_with(studio, row, view.of_roots("seen"), gone)
    cases = cases_of(before)
    by_label = {case.label: case for case in cases}
    decided = {label: one for label, one in told.decided.items() if label in by_label}
    verdict = advise(cases, before["trunk_diameter_mm"]["value"], bearing, decided)
    cuts = {label: one.cost for label, one in decided.items() if one.cost > 0}
    after = before
    if cuts:
        after = figures_with(studio, row, view.of_roots("seen"), {**gone, **cuts})
    removed = frozenset({*gone, *(label for label, part in cuts.items() if part >= 1.0)})
    plane = root_plane_with(studio, view.tree.id, frozenset(gone))
    return Deciding(
        measurement=row,
        before=before,
        after=after,
        verdict=verdict,
        cases=by_label,
        decided=decided,
        season=told.season,
        target=told.target,
        plane_before=plane,
        plane_after=root_plane_with(studio, view.tree.id, removed) if plane and cuts else plane,
        stems=sorted({stem for case in cases for stem in case.feeds}),
        problem=told.problem,
    )
