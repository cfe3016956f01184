"""The output contracts of `mirvo measure`, from the records that measuring gives."""

from __future__ import annotations

from typing import Any

from pydantic.main import IncEx

from mirvo.core.measure.records import EmergenceRecord, RootPlane, SideRecord, TopRecord
from mirvo.core.measure.side_set import TOO_FEW, SideSetMeasure

Json = dict[str, Any]
ON_THE_PLAN = ("path_mm", "end_width_mm", "feeders", "condition", "height", "feeds")


def top_contract(measured: TopRecord) -> Json:
    """What `mirvo measure top` prints: the record without what lies on the plan."""
    one_trunk = len(measured.trunks) < 2
    left_out: IncEx = {
        "flare_outline_mm": True,
        "roots": {"__all__": set(ON_THE_PLAN)},
        "trunks": True if one_trunk else {"__all__": {"outline_mm"}},
    }
    return measured.model_dump(mode="json", exclude=left_out)


def side_contract(measured: SideRecord) -> Json:
    """What `mirvo measure side` prints; heights tried and the ball only where they are marked."""
    absent = {name for name in ("ball", "soil_line_trials") if not getattr(measured, name)} | {
        "reverse_taper_sure"
    }
    out: Json = measured.model_dump(mode="json", exclude=absent)
    if measured.soil_line_trials:
        # The contract calls them `tried` and gives an empty object where there are no angles.
        tried = out.pop("soil_line_trials")
        out["tried"] = [
            {**trial, "flare_angle_deg": trial["flare_angle_deg"] or {}} for trial in tried
        ]
    return out


def side_set_contract(measured: SideSetMeasure) -> Json:
    """What `mirvo measure side-set` prints.

    The first view's figures, the emergences and root plane of all views together, and
    under `views` each view for itself.
    """
    first = measured.views[0][2]
    if measured.root_plane is None:
        quality = first.calibration.warned(TOO_FEW)
        first = first.model_copy(update={"calibration": quality})
    return {
        **side_contract(first),
        "emergences": [_emergence(emergence) for emergence in measured.emergences],
        "root_plane": root_plane_contract(measured.root_plane),
        "views": [
            {"file": name, "turntable_deg": turned, **side_contract(view)}
            for name, turned, view in measured.views
        ],
    }


def root_plane_contract(plane: RootPlane | None) -> Json | None:
    """A root plane as the contract has it; None where there is none."""
    return None if plane is None else plane.model_dump(mode="json")


def _emergence(emergence: EmergenceRecord) -> Json:
    return emergence.model_dump(mode="json")
