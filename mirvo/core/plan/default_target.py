"""The target a tree begins with, by its size and where it stands now."""

from __future__ import annotations

from dataclasses import dataclass

from mirvo.core.almanac import rules
from mirvo.core.measure.records import TopRecord
from mirvo.core.measure.top import ROOTS_COUNT_TO_TRUNKS
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
    depth = float(max(table.min_pot_mm, round(trunk)))
    reasons = (
        f"Spread {ratio:.1f} trunks: it stands at {now:.2f} now.",
        f"Pot {depth:.0f} mm deep: about the trunk's diameter at the base, {trunk:.0f} mm; "
        "guidance, not a rule.",
        f"No gap over {table.largest_gap_deg:.0f}°: roots that reach into every quarter.",
    )
    return DefaultTarget(ratio, table.largest_gap_deg, depth, basis, reasons)


def _pot_alone(measured: TopRecord | None, design: str) -> DefaultTarget:
    """The target of a design that shows its roots: a depth of pot, and no flare."""
    table = rules().target
    trunk = table.min_pot_mm if measured is None else measured.trunk_diameter_mm.value
    depth = float(max(table.min_pot_mm, round(trunk)))
    basis = "flare" if measured is None else measured.spread.usual_basis
    reasons = (
        f"With {design}, spread and gaps don't count; the pot's depth does.",
        f"Pot {depth:.0f} mm deep: about the trunk's diameter at the base; guidance, not a rule.",
    )
    return DefaultTarget(
        table.limits.spread_ratio[0], table.limits.largest_gap_deg[1], depth, basis, reasons
    )
