"""From a tree as it stands to its planning case."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date, timedelta
from math import ceil
from typing import Any

from pydantic import ValidationError

from mirvo.core.almanac import rules
from mirvo.core.almanac.loader import SCHOOLS
from mirvo.core.complaints import first_complaint
from mirvo.core.errors import BadInput
from mirvo.core.measure.records import RootRecord, Spread
from mirvo.core.plan.case import (
    FINAL,
    Case,
    CaseFault,
    CaseSpecies,
    CaseTarget,
    Gap,
    Hold,
    SchoolBudgets,
    State,
    check_case,
)
from mirvo.core.plan.first_session import CuttableRoot
from mirvo.core.plan.gaps import gaps_between
from mirvo.core.rootwork import origin_factor, strain
from mirvo.core.rootwork.cut_adviser import waiting_for_grafts, wanted_cuts
from mirvo.core.rootwork.cut_order import RootToCut, roots_to_cut
from mirvo.core.rootwork.cuts import CutAdvice, CutConstraints, case_of
from mirvo.core.rootwork.design import FLARE
from mirvo.core.rootwork.kinds import opens_ball
from mirvo.core.rootwork.share_estimate import feeding_shares
from mirvo.core.season import due_from
from mirvo.records.database import DbSession
from mirvo.records.models import Target, Tree
from mirvo.studio.path.growth_rates import GrowthRates, grown_since, growth_of_tree
from mirvo.studio.path.shelf_pots import pots_in_case
from mirvo.studio.path.target import gap_methods_of, holds_of, regrowth_of
from mirvo.studio.standing.feeding import correction_of
from mirvo.studio.standing.kept_plans import grafts_on
from mirvo.studio.standing.pot_of_tree import USUAL_TRUNK_MM, ball_of_tree, pot_of_tree
from mirvo.studio.standing.standing import TreeStanding, standing_of
from mirvo.studio.standing.tree_queries import (
    MeasuredBase,
    measured_base,
)

MEASURE_FIRST = "Measure a photo from above first; the plan starts there."
SIZE_FIRST = "Enter the pot's inner depth in the portrait, or note the ball's depth at a session."

# Fields of a case that are set only where something is known.
CaseFields = dict[str, Any]


@dataclass(frozen=True)
class PlanningCase:
    """A tree's case with what it was made of.

    guessed : a sentence where the plan rests on a guess, with what would narrow it. wanted : part
    of each root that goes in all. roots : all of them, by letter.
    """

    case: Case
    growth: GrowthRates
    cuts: list[RootToCut]
    guessed: str = ""
    wanted: dict[str, float] = field(default_factory=dict)
    roots: dict[str, CuttableRoot] = field(default_factory=dict)


def planning_case(db: DbSession, tree: Tree, target: Target, today: date) -> PlanningCase:
    """The planning case of a tree from its records.

    Raises
    ------
    BadInput : says what must be measured first.
    """
    base = measured_base(db, tree.id)
    if base is None:
        raise BadInput("measurement", MEASURE_FIRST)
    stands = standing_of(db, tree.id, today)
    ball = stands.standing.ball
    if ball is None:
        raise BadInput("session", SIZE_FIRST)
    limits = _unbounded(db, target, stands)
    wanted, waiting = _wanted(base, limits)
    roots = _cuttable(base.roots, limits, wanted, waiting)
    standing = {label: root.azimuth_deg for label, root in roots.items() if root.goes < 1.0}
    measured, spread = base.record.trunk_diameter_mm.value, _spread(base, target).mean_mm.value
    growth = growth_of_tree(db, tree, stands.species, target, measured)
    first = _first_year(stands, today)
    since = grown_since(db, tree, growth, base.measurement.measured_on, first)
    try:
        case = Case(
            today=date(first - 1, 12, 31),
            species=_species(stands),
            strength=stands.standing.strength.value,
            age=tree.age_class,
            worth=rules().worth(tree.worth),
            state=State(
                trunk_diameter_mm=measured + since.trunk_mm,
                spread_mm=spread + since.spread_mm,
                spread_basis=target.basis,
                woody_depth_mm=min(_woody(stands, ball.value), ball.value),
                ball_depth_mm=round(ball.value, 1),
                last_session_year=_last_year(stands, first),
                container=tree.container,
                matted=False,
                root_azimuths_deg=tuple(_azimuth(root) for root in base.roots),
                growth=growth.in_case,
                **_sizes(tree, stands),
                **_strain(stands),
            ),
            faults=_faults(base.roots, wanted, waiting, regrowth_of(db, tree.id)),
            gaps=gaps_left(db, tree.id, target, standing),
            target=CaseTarget(
                spread_ratio=target.spread_ratio,
                largest_gap_deg=target.largest_gap_deg,
                pot_depth_mm=target.pot_depth_mm,
                pot_length_mm=target.pot_length_mm,
                pot_width_mm=target.pot_width_mm,
                year=target.year,
            ),
            pots=tuple(pot for _, pot in pots_in_case(db, tree.id).values()),
            only_shelf=target.only_shelf,
            holds=(*_held_years(db, tree, first), *_resting_years(stands, first)),
            **_origin(tree, today),
            **_containers(target),
        )
    except ValidationError as error:
        raise first_complaint(error) from None
    check_case(case)
    guessed = since.said
    if ball.source in ("guessed", "typed"):
        guessed = (
            f"{guessed} The ball's depth is {ball.said}: "
            f"{ball.value:.0f} ± {ball.plus_minus:.0f} mm. "
            f"The plan is as sure as that; to narrow it, {ball.narrow}."
        ).strip()
    parts = {advice.label: advice.part for advice in wanted}
    return PlanningCase(case, growth, roots_to_cut(base.roots), guessed, parts, roots)


def gaps_left(
    db: DbSession, tree_id: int, target: Target, azimuths: Mapping[str, float]
) -> tuple[Gap, ...]:
    """Gaps wider than the target between roots that stay. azimuths : of these, by letter."""
    return gaps_between(azimuths, target.largest_gap_deg, gap_methods_of(db, tree_id))


def _unbounded(db: DbSession, target: Target, stands: TreeStanding) -> CutConstraints:
    """What bounds the cuts in the end: everything but the limit of one session."""
    return CutConstraints(
        budget=1.0,
        target_gap_deg=target.largest_gap_deg,
        fuses=stands.practice["fusing"] == "fuse",
        correction=correction_of(db, stands.tree.id),
        grafts_deg=grafts_on(stands.sessions),
        flare=stands.tree.design == FLARE,
    )


def _wanted(base: MeasuredBase, limits: CutConstraints) -> tuple[list[CutAdvice], dict[str, float]]:
    """What the adviser would have go in the end, which the path takes exactly, and the roots that
    go later, once a graft stands in the gap they leave."""
    cases, trunk = [case_of(root) for root in base.roots], base.record.trunk_diameter_mm.value
    return wanted_cuts(cases, trunk, limits), waiting_for_grafts(cases, trunk, limits)


def _cuttable(
    roots: tuple[RootRecord, ...],
    limits: CutConstraints,
    wanted: list[CutAdvice],
    waiting: Mapping[str, float],
) -> dict[str, CuttableRoot]:
    """Every root with what it carries and the part of it that goes in the end."""
    parts = {advice.label: advice.part for advice in wanted} | dict.fromkeys(waiting, 1.0)
    shares = feeding_shares(roots, limits.fine_roots)
    return {
        root.label: CuttableRoot(
            shares[root.label] * limits.correction, _azimuth(root), parts.get(root.label, 0.0)
        )
        for root in roots
    }


def _species(stands: TreeStanding) -> CaseSpecies:
    """What the species gives the plan; budgets with what the tree's own answers make of them."""
    species, factor = stands.species, stands.budgeted.bearing_factor
    budgets = {school: round(min(1.0, species.budget.of(school) * factor), 4) for school in SCHOOLS}
    return CaseSpecies(
        group=species.group,
        interval_years=species.interval_for(stands.tree.age_class),
        longest_interval_years=stands.standing.interval.longest_years,
        budget=SchoolBudgets(**budgets),
        ground_layers=species.ground_layers,
        top_with_roots=species.top_work_together and stands.practice["operations"] == "together",
    )


def _sizes(tree: Tree, stands: TreeStanding) -> CaseFields:
    """The pot it stands in and the sides of its ball, as far as they were measured."""
    pot = pot_of_tree(tree, stands.sessions)
    ball = ball_of_tree(stands.sessions, pot.whole(USUAL_TRUNK_MM), None)
    sides = (
        {}
        if {"length", "width"} & set(ball.guessed)
        else {"ball_length_mm": round(ball.length, 1), "ball_width_mm": round(ball.width, 1)}
    )
    return _known(
        inner_depth_mm=pot.depth, inner_length_mm=pot.length, inner_width_mm=pot.width, **sides
    )


def _strain(stands: TreeStanding) -> CaseFields:
    """The strain of the last session that opened the ball, which says how long it rests."""
    last = next((one for one in stands.sessions if opens_ball(one.kind)), None)
    if last is None or not last.bearing:
        return {}
    return {"last_session_strain": round(strain(last.share, last.bearing), 1)}


def _origin(tree: Tree, today: date) -> CaseFields:
    factor = origin_factor(tree.origin, tree.rooted_on, today)
    if factor == 1.0 or tree.rooted_on is None:
        return {"origin_factor": factor}
    lapses = tree.rooted_on + timedelta(days=rules().budget.recent_days)
    return {"origin_factor": factor, "origin_factor_until": lapses.year}


def _first_year(stands: TreeStanding, today: date) -> int:
    """The first year a session may be planned in: this one while its window is still to come."""
    season, window = stands.standing.season, stands.window_in(today.year)
    if season.workable or (season.start.year == today.year and season.start > today):
        return season.best.year
    ahead = window is not None and window.end >= today and season.state == "too early"
    return today.year if ahead else today.year + 1


def _held_years(db: DbSession, tree: Tree, first: int) -> list[Hold]:
    """Years fixed by hand that a plan can still keep to."""
    return [
        Hold(year=hold.year, allow=hold.allow)
        for hold in holds_of(db, tree.id)
        if hold.year >= first or hold.allow == FINAL
    ]


def _resting_years(stands: TreeStanding, first: int) -> list[Hold]:
    """Years whose window the tree still recovers through: no session may be planned in them."""
    recovery = stands.standing.recovery
    if recovery is None:
        return []
    return [
        Hold(year=year, allow="none")
        for year in range(first, recovery.until.year + 1)
        if _over_by(stands, year, recovery.until)
    ]


def _last_year(stands: TreeStanding, first: int) -> int | None:
    """The year to count the interval from, so that whole years keep it by the month.

    A session made in autumn counts with the year after it: the next spring is too soon.
    """
    last = stands.standing.interval.last_on
    if last is None:
        return None
    interval = max(1.0, stands.standing.interval.years)
    due = due_from(last, interval)
    year = next(
        year
        for year in range(last.year, last.year + 40)
        if not _over_by(stands, year, due - timedelta(days=1))
    )
    return min(year - ceil(interval), first - 1)


def _over_by(stands: TreeStanding, year: int, day: date) -> bool:
    """Whether the window of a year ends on or before a day."""
    window = stands.window_in(year)
    return window is None or window.end <= day


def _woody(stands: TreeStanding, ball: float) -> float:
    noted = (session.woody_depth_mm for session in stands.sessions if session.woody_depth_mm)
    # Not noted, wood is taken to reach all through the ball: the careful side.
    return next(noted, ball)


def _containers(target: Target) -> CaseFields:
    """The containers at hand and their measured inner depths, where any were said."""
    # A document nobody can read any more reads as nothing.
    known = target.container_depths or {}
    at_hand = target.containers or tuple(known)
    depths = {name: depth for name, depth in known.items() if name in at_hand and name != FINAL}
    return {
        **({"containers": tuple(target.containers)} if target.containers else {}),
        **({"container_depths_mm": depths} if depths else {}),
    }


def _azimuth(root: RootRecord) -> float:
    return round(root.azimuth_deg.value, 1)


def _spread(base: MeasuredBase, target: Target) -> Spread:
    """The spread on the target's basis. Raises BadInput when the flare was not marked."""
    spread = base.record.spread.on(target.basis)
    if spread is None:
        raise BadInput(
            "basis", "The flare is not marked on the latest photo, and the target counts by it."
        )
    return spread


def _faults(
    roots: tuple[RootRecord, ...],
    wanted: list[CutAdvice],
    waiting: Mapping[str, float],
    regrowth: Mapping[str, int],
) -> tuple[CaseFault, ...]:
    """The roots that go, gravest first, and after them those that go once a graft counts."""
    azimuths = {root.label: _azimuth(root) for root in roots}
    later = tuple(
        CaseFault(
            label=label,
            share=round(min(1.0, share), 4),
            priority=place,
            azimuth_deg=azimuths[label],
            after_graft=True,
            **_known(returns_years=regrowth.get(label)),
        )
        for place, (label, share) in enumerate(waiting.items(), start=len(wanted) + 1)
    )
    now = tuple(
        CaseFault(
            label=advice.label,
            share=round(min(1.0, advice.share * advice.part), 4),
            priority=place,
            **_known(
                # A root that is only shortened stands on and keeps its place in the flare.
                azimuth_deg=azimuths[advice.label] if advice.part >= 1.0 else None,
                returns_years=regrowth.get(advice.label),
            ),
        )
        for place, advice in enumerate(wanted, start=1)
    )
    return (*now, *later)


def _known(**fields: float | None) -> CaseFields:
    """Only the fields that are known: plans are told apart by what their cases say."""
    return {name: value for name, value in fields.items() if value is not None}
