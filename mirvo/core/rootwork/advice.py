"""Which roots should go, and in which order, from the faults that were measured."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

ORDER = (
    "dead",
    "no_feeders",
    "above_plane",
    "circling",
    "looping_back",
    "crossing",
    "below_plane",
    "crowded",
    "oversized",
)


@dataclass(frozen=True)
class RootToCut:
    """A root that should go: its gravest fault and its place in the order (0 first)."""

    label: str
    code: str
    priority: int
    azimuth_deg: float


def roots_to_cut(roots: Sequence[dict[str, Any]]) -> list[RootToCut]:
    """Fault roots in advice order.

    Parameters
    ----------
    roots : root entries of a measurement (label, azimuth_deg, base_width_mm, faults).

    Of two crossing roots only the worse goes: the one with more faults, then the thinner.
    """
    by_label = {root["label"]: root for root in roots}
    found = []
    for root in roots:
        codes = [fault["code"] for fault in root["faults"] if fault["code"] in ORDER]
        codes = [c for c in codes if c != "crossing" or worse_of_crossing(root, by_label)]
        if codes:
            code = min(codes, key=ORDER.index)
            azimuth = float(root["azimuth_deg"]["value"])
            found.append(RootToCut(root["label"], code, ORDER.index(code), azimuth))
    return sorted(found, key=lambda root: (root.priority, root.label))


def worse_of_crossing(root: dict[str, Any], by_label: dict[str, dict[str, Any]]) -> bool:
    """Whether a root is the worse of any pair of roots that cross."""
    crossed = [f["with_root"] for f in root["faults"] if f["code"] == "crossing"]
    return any(_badness(root) > _badness(by_label[label]) for label in crossed if label in by_label)


def _badness(root: dict[str, Any]) -> tuple[float, float, str]:
    width = root["base_width_mm"]
    return (len(root["faults"]), -(width["value"] if width else 0.0), root["label"])
