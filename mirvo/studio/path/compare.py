"""Two sets of decisions side by side: what each makes of a tree by a chosen year."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date
from functools import lru_cache

from pydantic import ValidationError
from sqlalchemy import inspect

from mirvo.core.almanac import rules
from mirvo.core.complaints import first_complaint
from mirvo.core.errors import BadInput
from mirvo.core.limits.targets import TargetFields
from mirvo.core.plan.case import Case
from mirvo.core.plan.first_session import with_cut_list
from mirvo.core.plan.paths import plan_way
from mirvo.core.plan.problem import PlanningProblem
from mirvo.core.plan.records import PlannedPath, PlannedStep, YearForecast
from mirvo.records.database import DbSession
from mirvo.records.models import Target, Tree
from mirvo.studio.path.planning_case import MEASURE_FIRST, gaps_left, planning_case
from mirvo.studio.standing.tree_queries import MeasuredBase, load_tree, measured_base, target_of

SET_TARGET_FIRST = "Set a target first; decisions are compared on the way to it."
NO_SESSION = "No session can be planned for this tree, so nothing can be cut."
# A plan takes up to some seconds, and the year is chosen again and again.
PATHS_KEPT = 32


@dataclass(frozen=True)
class Decisions:
    """What is decided: the school, what goes in the first session, and the target.

    cuts : part of each root that goes then, by letter; None for those the plan takes. target :
    figures that are not the tree's own, by name.
    """

    school: str
    cuts: Mapping[str, float] | None = None
    target: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class DecidedPath:
    """What a set of decisions leads to by the end of a year.

    forecast : the tree then, None beyond what the path tells. steps : sessions up to then. cut :
    part of each root that is gone. grafts_deg : azimuth of each new root, and the year of its
    session. layered : it stands on the roots of a ground layer.
    """

    decisions: Decisions
    case: Case
    path: PlannedPath
    year: int
    forecast: YearForecast | None
    steps: tuple[PlannedStep, ...]
    cut: Mapping[str, float]
    grafts_deg: tuple[tuple[float, int], ...]
    layered: bool

    @property
    def chance(self) -> float:
        """Chance to have arrived by the end of the year."""
        if self.path.reached_year is None:
            return 0.0
        return self.path.chance_by_year.get(self.year, 0.0)

    @property
    def counts_after(self) -> int:
        """Years after which a new root counts."""
        return rules().plan.graft_years

    @property
    def worst_strain(self) -> float:
        return max((step.strain for step in self.steps), default=0.0)

    @property
    def total_strain(self) -> float:
        return sum(step.strain for step in self.steps)

    @property
    def most_over_limit(self) -> float:
        """How far a session goes over the school's limit, share of the fine roots; 0 if none."""
        return max((step.share - step.budget for step in self.steps), default=0.0)


@dataclass(frozen=True)
class Comparison:
    """Two sets of decisions for one tree in a year. years : to choose from."""

    tree: Tree
    target: Target
    base: MeasuredBase
    year: int
    years: range
    sides: tuple[DecidedPath, DecidedPath]


def compare_decisions(
    db: DbSession,
    tree_id: int,
    decisions: tuple[Decisions, Decisions],
    year: int | None,
    today: date,
) -> Comparison:
    """Plan on from both sets of decisions, and stand their paths side by side in one year.

    year : None for the year by which those that arrive are there, or the last of the plan.

    Raises
    ------
    NotFound : there is no such tree. BadInput : nothing can be planned yet, or a decision does
    not fit the tree.
    """
    tree, target, base = load_tree(db, tree_id), target_of(db, tree_id), measured_base(db, tree_id)
    if base is None:
        raise BadInput("measurement", MEASURE_FIRST)
    if target is None:
        raise BadInput("target", SET_TARGET_FIRST)
    made = [_case(db, tree, target, one, today) for one in decisions]
    cases = [case for case, _ in made]
    paths = [
        _path(case.model_dump_json(exclude_unset=True), one.school).of_roots(goes)
        for (case, goes), one in zip(made, decisions, strict=True)
    ]
    years = range(cases[0].today.year + 1, min(case.last_year for case in cases) + 1)
    arrived = [path.reached_year for path in paths if path.reached_year is not None]
    chosen = max(arrived, default=years[-1]) if year is None else year
    chosen = min(max(chosen, years[0]), years[-1])
    first, second = (
        _by_the_year(one, case, path, chosen)
        for one, case, path in zip(decisions, cases, paths, strict=True)
    )
    return Comparison(tree, target, base, chosen, years, (first, second))


@lru_cache(maxsize=PATHS_KEPT)
def _path(case: str, school: str) -> PlannedPath:
    """The path of a case, given as JSON."""
    return plan_way(Case.model_validate_json(case), school)


def _case(
    db: DbSession, tree: Tree, target: Target, decisions: Decisions, today: date
) -> tuple[Case, dict[str, float]]:
    """The tree's case with a set of decisions in it, and the part of each root that goes in all."""
    changed = _changed(target, decisions.target)
    made = planning_case(db, tree, changed, today)
    goes = {label: root.goes for label, root in made.roots.items()}
    if decisions.cuts is None:
        return made.case, goes
    for label, cut in decisions.cuts.items():
        if label not in made.roots:
            raise BadInput("cuts", f"There is no root {label} on the latest photo.")
        goes[label] = max(cut, goes.get(label, 0.0))
    stay = {label: root.azimuth_deg for label, root in made.roots.items() if goes[label] < 1.0}
    year = PlanningProblem(made.case, decisions.school).first_possible
    if year is None:
        raise BadInput("cuts", NO_SESSION)
    gaps = gaps_left(db, tree.id, changed, stay)
    return with_cut_list(made.case, year, decisions.cuts, made.roots, gaps), goes


def _changed(target: Target, figures: Mapping[str, float]) -> Target:
    """A target with some figures changed, never added to the database. Raises BadInput for one that
    could not be set either."""
    kept = {name: getattr(target, name) for name in TargetFields.model_fields}
    try:
        TargetFields.model_validate({**kept, **figures})
    except ValidationError as error:
        raise first_complaint(error) from None
    columns = {column.key: getattr(target, column.key) for column in inspect(Target).columns}
    return Target(**{**columns, **figures})


def _by_the_year(decisions: Decisions, case: Case, path: PlannedPath, year: int) -> DecidedPath:
    steps = tuple(step for step in path.steps if step.year <= year)
    forecast = next((one for one in path.forecast if one.year == year), None)
    layered = any(step.layer == "separate" for step in steps)
    return DecidedPath(
        decisions, case, path, year, forecast, steps, _gone(steps), _grafts(steps), layered
    )


def _gone(steps: tuple[PlannedStep, ...]) -> dict[str, float]:
    """Part of each root gone after some sessions."""
    gone: dict[str, float] = {}
    for step in steps:
        for label, part in step.parts.items():
            gone[label] = min(1.0, gone.get(label, 0.0) + part)
    return gone


def _grafts(steps: tuple[PlannedStep, ...]) -> tuple[tuple[float, int], ...]:
    return tuple(
        (new.azimuth_deg, step.year) for step in steps for new in (*step.grafts, *step.forks)
    )
