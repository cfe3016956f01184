"""Measures as the JSON of the stable contract, plus the plan geometry pages draw from."""

from __future__ import annotations

from typing import Any

from mirvo.core.measure.root_plane import RootPlane
from mirvo.core.measure.side import EmergenceMeasure, SideMeasure
from mirvo.core.measure.side_set import TOO_FEW, SideSetMeasure
from mirvo.core.measure.top import RootMeasure, Spread, TopMeasure
from mirvo.core.measure.tried import TriedLine
from mirvo.core.measure.uncertainty import Figure


def top_as_json(measured: TopMeasure) -> dict[str, Any]:
    """The output contract of `mirvo measure top`."""
    trunks = measured.trunk_diameters_mm
    several = {"trunks": [{"diameter_mm": one.as_json()} for one in trunks]}
    return {
        "calibration": measured.calibration,
        "trunk_diameter_mm": measured.trunk_diameter_mm.as_json(),
        **(several if len(trunks) > 1 else {}),
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
        "trunk": measured.trunk_outlines_mm[0],
        "trunks": measured.trunk_outlines_mm,
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
                "feeds": list(root.feeds),
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
        **({} if root.photo is None else {"photo": root.photo}),
        "azimuth_deg": root.azimuth_deg.as_json(),
        "clock": root.clock,
        "base_width_mm": _figure(root.base_width_mm),
        "reach_mm": root.reach_mm.as_json(),
        "heading_error_deg": root.heading_error_deg.as_json(),
        "sweep_deg": root.sweep_deg,
        "turn_deg": root.turn_deg,
        "taper": root.taper,
        "faults": [fault.as_json() for fault in root.faults],
    }


def _value(figure: Figure | None) -> float | None:
    return None if figure is None else round(figure.value, 2)


def side_as_json(measured: SideMeasure) -> dict[str, Any]:
    """The output contract of `mirvo measure side`."""
    out: dict[str, Any] = {
        "calibration": measured.calibration,
        "flare_ratio": _figure(measured.flare_ratio, 3),
        "soil_line_width_mm": measured.soil_line_width_mm.as_json(),
        "narrowest_width_mm": _figure(measured.narrowest_width_mm),
        "flare_angle_deg": {
            side: angle.as_json(1) for side, angle in measured.flare_angle_deg.items()
        },
        "lean_deg": measured.lean_deg.as_json(1),
        "reverse_taper": measured.reverse_taper,
        "undercut": measured.undercut,
        "emergences": _emergences(measured.emergences),
        "widths": [list(pair) for pair in measured.widths],
    }
    if measured.tried:
        out["tried"] = [_tried(one) for one in measured.tried]
    if measured.ball is not None:
        out["ball"] = {
            "width_mm": measured.ball.width_mm.as_json(1),
            "depth_mm": measured.ball.depth_mm.as_json(1),
            "woody_depth_mm": _figure(measured.ball.woody_depth_mm, 1),
        }
    return out


def _tried(tried: TriedLine) -> dict[str, Any]:
    return {
        "line": tried.line,
        "raised_mm": tried.raised_mm.as_json(1),
        "flare_ratio": _figure(tried.flare_ratio, 3),
        "width_mm": _figure(tried.width_mm),
        "flare_angle_deg": {side: a.as_json(1) for side, a in tried.flare_angle_deg.items()},
        "undercut": tried.undercut,
        "shown": tried.shown,
        "at_line": tried.at_line,
        "buried": tried.buried,
        "problem": tried.problem,
    }


def side_as_record(measured: SideMeasure) -> dict[str, Any]:
    """The contract plus what pages say of it, as kept with a measurement."""
    return {**side_as_json(measured), "reverse_taper_sure": measured.reverse_taper_sure}


def side_set_as_json(measured: SideSetMeasure) -> dict[str, Any]:
    """The output contract of `mirvo measure side-set`.

    The first view's figures, the emergences and root plane of all views together, and
    under `views` each view for itself.
    """
    plane = measured.root_plane
    out = side_as_json(measured.views[0][2])
    out["emergences"] = _emergences(measured.emergences)
    out["root_plane"] = None
    if plane is not None:
        out["root_plane"] = plane_as_json(plane)
    else:
        out["calibration"]["warnings"].append(TOO_FEW)
    out["views"] = [
        {"file": name, "turntable_deg": turned, **side_as_json(view)}
        for name, turned, view in measured.views
    ]
    return out


def plane_as_json(plane: RootPlane) -> dict[str, Any]:
    """A root plane as the contract has it."""
    return {
        "height_mm": plane.height_mm.as_json(),
        "tilt_deg": plane.tilt_deg.as_json(),
        "tilt_clock": plane.tilt_clock,
        "residuals_mm": plane.residuals_mm,
        "left_out": plane.left_out,
        "advice": plane.advice,
    }


def _emergences(emergences: list[EmergenceMeasure]) -> list[dict[str, Any]]:
    return [
        {
            "label": one.label,
            "height_mm": one.height_mm.as_json(),
            "x_mm": one.x_mm.as_json(),
        }
        for one in emergences
    ]


def _figure(figure: Figure | None, digits: int = 2) -> dict[str, float] | None:
    return None if figure is None else figure.as_json(digits)
