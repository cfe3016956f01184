"""Records of bases made up by hand, for tests."""

from mirvo.core.measure.figure import Figure
from mirvo.core.measure.records import Fault, RootRecord


def fault(code, **more):
    return Fault(code=code, **more)


def root_record(label, azimuth=10.0, width=8.0, faults=(), **more):
    """A root that runs straight outward, its figures known exactly."""
    values = {
        "azimuth_deg": Figure(azimuth, 0.0),
        "clock": round(azimuth / 30.0, 1),
        "base_width_mm": None if width is None else Figure(width, 0.0),
        "end_width_mm": None,
        "reach_mm": Figure(60.0, 0.0),
        "heading_error_deg": Figure(0.0, 0.0),
        "sweep_deg": 0.0,
        "turn_deg": 0.0,
        "taper": None,
        "path_mm": ((0.0, 20.0), (0.0, 60.0)),
        **more,
    }
    return RootRecord(label=label, faults=tuple(faults), **values)
