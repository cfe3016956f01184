"""Faults of roots that geometry shows, each with its figure and threshold."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from shapely.geometry import LineString, Point

from mirvo.core.angles import angle_between
from mirvo.core.measure.records import Fault, FaultUnit
from mirvo.core.measure.uncertainty import Array


@dataclass(frozen=True)
class Thresholds:
    """Limits of the fault rules; the practice profile may set its own."""

    plane_share_of_trunk: float = 0.25
    circling_deg: float = 60.0
    looping_share: float = 0.15
    kink_deg: float = 70.0
    kink_within_trunks: float = 0.5
    crowded_deg: float = 15.0
    oversized_ratio: float = 2.0
    crossing_clear_mm: float = 2.0


@dataclass(frozen=True)
class RootShape:
    """One root in millimetres on the plan, unperturbed."""

    label: str
    path: Array
    azimuth_deg: float
    base_width_mm: float | None
    heading_error_deg: float
    sweep_deg: float
    sharpest_turn_deg: float
    looped_share: float
    height: str | float | None
    feeders: int | None
    condition: str


def find_faults(
    roots: list[RootShape], trunk_mm: float, limits: Thresholds | None = None
) -> dict[str, list[Fault]]:
    """Faults of each root by label, in the order of their weight.

    Parameters
    ----------
    roots : shapes on one plan, mm. trunk_mm : trunk diameter D, mm.
    """
    limits = limits or Thresholds()
    found = {root.label: _own_faults(root, trunk_mm, limits) for root in roots}
    for label, faults in _crossings(roots, limits).items():
        found[label] += faults
    for label, fault in _oversized(roots, limits):
        found[label].append(fault)
    counted = {label: len(faults) for label, faults in found.items()}
    for label, fault in _crowded(roots, counted, limits):
        found[label].append(fault)
    return found


def _own_faults(root: RootShape, trunk_mm: float, limits: Thresholds) -> list[Fault]:
    faults = []
    if root.condition == "dead":
        faults.append(Fault(code="dead"))
    if root.feeders == 0:
        faults.append(Fault(code="no_feeders"))
    faults += _height_fault(root.height, trunk_mm * limits.plane_share_of_trunk)
    worst = max(root.sweep_deg, root.heading_error_deg)
    if worst > limits.circling_deg:
        faults.append(_measured("circling", worst, limits.circling_deg, "deg"))
    if root.looped_share > limits.looping_share:
        faults.append(
            _measured("looping_back", 100 * root.looped_share, 100 * limits.looping_share, "%")
        )
    if root.sharpest_turn_deg > limits.kink_deg:
        faults.append(_measured("kinked", root.sharpest_turn_deg, limits.kink_deg, "deg"))
    return faults


def _measured(
    code: str, found: float, limit: float, unit: FaultUnit, with_root: str | None = None
) -> Fault:
    """A fault with the figure that shows it, to a tenth."""
    return Fault(code=code, figure=round(found, 1), threshold=limit, unit=unit, with_root=with_root)


def _height_fault(height: str | float | None, limit_mm: float) -> list[Fault]:
    if height in ("above", "below"):
        return [Fault(code=f"{height}_plane")]
    if isinstance(height, int | float) and abs(height) > limit_mm:
        code = "above_plane" if height > 0 else "below_plane"
        return [Fault(code=code, figure=float(height), threshold=round(limit_mm, 1), unit="mm")]
    return []


def _crossings(roots: list[RootShape], limits: Thresholds) -> dict[str, list[Fault]]:
    lines = [LineString(root.path) for root in roots]
    found: dict[str, list[Fault]] = {root.label: [] for root in roots}
    for i, first in enumerate(roots):
        for j in range(i + 1, len(roots)):
            met = lines[i].intersection(lines[j])
            if met.is_empty:
                continue
            at = met.representative_point()
            starts = (Point(first.path[0]), Point(roots[j].path[0]))
            if min(at.distance(start) for start in starts) < limits.crossing_clear_mm:
                continue  # two roots leaving one spot fork, they do not cross
            spot = (round(at.x, 1), round(at.y, 1))
            found[first.label].append(Fault(code="crossing", with_root=roots[j].label, at_mm=spot))
            found[roots[j].label].append(Fault(code="crossing", with_root=first.label, at_mm=spot))
    return found


def _oversized(roots: list[RootShape], limits: Thresholds) -> list[tuple[str, Fault]]:
    widths = [root.base_width_mm for root in roots if root.base_width_mm is not None]
    if len(widths) < 3:
        return []
    limit = limits.oversized_ratio * float(np.median(widths))
    return [
        (
            root.label,
            _measured("oversized", root.base_width_mm, round(limit, 1), "mm"),
        )
        for root in roots
        if root.base_width_mm is not None and root.base_width_mm > limit
    ]


def _crowded(
    roots: list[RootShape], counted: dict[str, int], limits: Thresholds
) -> list[tuple[str, Fault]]:
    """The worse of two roots in one direction: more faults, then straying more, then thinner."""

    def rank(root: RootShape) -> tuple[float, ...]:
        width = root.base_width_mm or 0.0
        return (counted[root.label], round(root.heading_error_deg / 15.0), -width)

    found = []
    for root in roots:
        for other in roots:
            apart = angle_between(root.azimuth_deg, other.azimuth_deg)
            if other is root or apart > limits.crowded_deg:
                continue
            if (rank(root), root.label) > (rank(other), other.label):
                fault = _measured("crowded", apart, limits.crowded_deg, "deg", other.label)
                found.append((root.label, fault))
                break
    return found
