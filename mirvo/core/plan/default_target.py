"""The target a tree begins with, by its size and where it stands now."""

from __future__ import annotations

from dataclasses import dataclass, replace
from math import ceil, floor

from mirvo.core.almanac import rules
from mirvo.core.measure.records import TopRecord
from mirvo.core.measure.top import ROOTS_COUNT_TO_TRUNKS
from mirvo.core.plan.case import Case
from mirvo.core.plan.problem import PlanningProblem
from mirvo.core.plan.search import reachable
from mirvo.core.plan.unreachable import why_unreachable, with_target
from mirvo.core.rootwork.design import DESIGNS, FLARE

BELOW_CEILING = 0.9


@dataclass(frozen=True)
class DefaultTarget:
    """A target to begin with, and why. basis : flare or roots, whichever is measured."""

    spread_ratio: float
    largest_gap_deg: float
    pot_depth_mm: float
    basis: str = "flare"
    reasons: tuple[str, ...] = ()


def default_target(measured: TopRecord | None, design: str = FLARE) -> DefaultTarget:
    """What to wish for at first; the rules' own figures before anything was measured.

    design : what the base is to look like; only a flare is judged by its spread and gaps.
    """
    table = rules().target
    if design in DESIGNS and design != FLARE:
        return _pot_alone(measured, design)
    if measured is None:
        return DefaultTarget(table.spread_ratio, table.largest_gap_deg, table.min_pot_mm)
    trunk, now = measured.trunk_diameter_mm.value, measured.spread.usual.ratio.value
    # Never below what the tree has: a target it has passed is no target.
    ratio = round(max(table.spread_ratio, now + table.spread_step), 1)
    basis = measured.spread.usual_basis
    if basis == "roots":
        # Roots are counted to a circle; a wish at its edge could never be measured.
        ratio = min(ratio, round(BELOW_CEILING * 2 * ROOTS_COUNT_TO_TRUNKS, 1))
    depth = _depth(trunk)
    reasons = (
        f"Spread {ratio:.1f} trunks: it stands at {now:.2f} now.",
        f"Pot {depth:.0f} mm deep: about the trunk's diameter at the base, {trunk:.0f} mm; "
        "guidance, not a rule.",
        f"No gap over {table.largest_gap_deg:.0f}°: roots that reach into every quarter.",
    )
    return DefaultTarget(ratio, table.largest_gap_deg, depth, basis, reasons)


def within_reach(offered: DefaultTarget, case: Case, school: str) -> DefaultTarget:
    """The target that is offered, or the nearest to it that the tree can reach.

    case : of the tree, with any target.
    """
    case = with_target(
        case,
        spread_ratio=offered.spread_ratio,
        largest_gap_deg=offered.largest_gap_deg,
        pot_depth_mm=offered.pot_depth_mm,
    )
    # A weak tree rests first; what it may wish for is what it could reach as a fair one.
    if case.strength == "weak":
        case = case.model_copy(update={"strength": "fair"})
    problem = PlanningProblem(case, school)
    if problem.arrived_today or reachable(problem):
        return offered
    nearest = why_unreachable(case, school).nearest
    if nearest is None:
        return offered
    # Rounded toward what can surely be had.
    ratio = floor(nearest.spread_ratio * 10 + 1e-9) / 10
    reasons = (
        f"Spread {ratio:.1f} trunks, no gap over {nearest.largest_gap_deg:.0f}°, pot "
        f"{nearest.pot_depth_mm:.0f} mm deep: what it can reach within {case.horizon} years.",
    )
    return replace(
        offered,
        spread_ratio=max(1.0, ratio),
        largest_gap_deg=nearest.largest_gap_deg,
        pot_depth_mm=nearest.pot_depth_mm,
        reasons=reasons,
    )


def _depth(trunk_mm: float) -> float:
    """About the trunk's diameter, but never so shallow that the trunk cannot stand in it, mm."""
    plan = rules().plan
    rim = plan.soil_layer_mm + plan.rim_clearance_mm
    least = ceil(plan.slice_leaves_of_trunk * trunk_mm + rim)
    return float(max(rules().target.min_pot_mm, least, round(trunk_mm)))


def _pot_alone(measured: TopRecord | None, design: str) -> DefaultTarget:
    """The target of a design that shows its roots: a depth of pot, and no flare."""
    table = rules().target
    trunk = table.min_pot_mm if measured is None else measured.trunk_diameter_mm.value
    depth = _depth(trunk)
    basis = "flare" if measured is None else measured.spread.usual_basis
    reasons = (
        f"With {design}, spread and gaps don't count; the pot's depth does.",
        f"Pot {depth:.0f} mm deep: about the trunk's diameter at the base; guidance, not a rule.",
    )
    return DefaultTarget(
        table.limits.spread_ratio[0], table.limits.largest_gap_deg[1], depth, basis, reasons
    )
