"""Measures as the JSON of the stable contract, plus the plan geometry pages draw from."""

from __future__ import annotations

from typing import Any

from mirvo.core.measure.top import RootMeasure, Spread, TopMeasure
from mirvo.core.measure.uncertainty import Figure


def top_as_json(measured: TopMeasure) -> dict[str, Any]:
    """The output contract of `mirvo measure top`."""
    return {
        "calibration": measured.calibration,
        "trunk_diameter_mm": measured.trunk_diameter_mm.as_json(),
        "spread": {"flare": _spread(measured.flare), "roots": _spread(measured.roots_spread)},
        "roots": [_root(root) for root in measured.roots],
        "radiality": {
            **{
                name: value.as_json(1 if name in ("index", "largest_gap_deg") else 3)
                for name, value in measured.radiality.items()
            },
            "largest_gap_clock": measured.largest_gap_clock,
            "open_arcs": [[round(a, 1), round(b, 1)] for a, b in measured.open_arcs],
        },
    }


def top_as_record(measured: TopMeasure) -> dict[str, Any]:
    """The contract plus outlines and paths on the plan, as kept with a measurement."""
    record = top_as_json(measured)
    record["plan"] = {
        "trunk": measured.trunk_outline_mm,
        "flare": measured.flare_outline_mm,
        "roots": [
            {
                "label": root.label,
                "path": root.path_mm,
                "base_width_mm": _value(root.base_width_mm),
                "end_width_mm": root.end_width_mm,
                "feeders": root.feeders,
                "condition": root.condition,
                "height": root.height,
            }
            for root in measured.roots
        ],
    }
    return record


def _spread(spread: Spread | None) -> dict[str, Any] | None:
    if spread is None:
        return None
    return {
        "across_mm": spread.across_mm.as_json(),
        "least_mm": spread.least_mm.as_json(),
        "mean_mm": spread.mean_mm.as_json(),
        "ratio": spread.ratio.as_json(3),
    }


def _root(root: RootMeasure) -> dict[str, Any]:
    return {
        "label": root.label,
        "azimuth_deg": root.azimuth_deg.as_json(),
        "clock": root.clock,
        "base_width_mm": None if root.base_width_mm is None else root.base_width_mm.as_json(),
        "reach_mm": root.reach_mm.as_json(),
        "heading_error_deg": root.heading_error_deg.as_json(),
        "sweep_deg": root.sweep_deg,
        "turn_deg": root.turn_deg,
        "taper": root.taper,
        "faults": [fault.as_json() for fault in root.faults],
    }


def _value(figure: Figure | None) -> float | None:
    return None if figure is None else round(figure.value, 2)
