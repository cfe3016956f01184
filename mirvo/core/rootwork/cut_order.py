"""The order in which roots should go, from the faults that were measured."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

from mirvo.core.measure.records import Fault, RootRecord

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


class FaultyRoot(Protocol):
    """What the order of cuts looks at; records and cases both have it."""

    @property
    def label(self) -> str: ...

    @property
    def faults(self) -> tuple[Fault, ...]: ...

    @property
    def width_mm(self) -> float | None: ...


@dataclass(frozen=True)
class RootToCut:
    """A root that should go: its gravest fault and its place in the order (0 first)."""

    label: str
    code: str
    priority: int
    azimuth_deg: float


def roots_to_cut(roots: Sequence[RootRecord]) -> list[RootToCut]:
    """Fault roots in the order they should go.

    Of two crossing roots only the worse goes: the one with more faults, then the thinner.
    """
    found = []
    for root in roots:
        faults = cutting_faults(root, roots)
        if faults:
            code = faults[0].code
            azimuth = root.azimuth_deg.value
            found.append(RootToCut(root.label, code, ORDER.index(code), azimuth))
    return sorted(found, key=lambda root: (root.priority, root.label))


def cutting_faults(root: FaultyRoot, roots: Sequence[FaultyRoot]) -> list[Fault]:
    """Faults a root is cut for, gravest first; of two that cross only the worse counts."""
    faults = [fault for fault in root.faults if fault.code in ORDER]
    if not worse_of_crossing(root, roots):
        faults = [fault for fault in faults if fault.code != "crossing"]
    return sorted(faults, key=lambda fault: ORDER.index(fault.code))


def worse_of_crossing(root: FaultyRoot, roots: Sequence[FaultyRoot]) -> bool:
    """Whether a root is the worse of any pair of roots that cross."""
    crossed = {fault.with_root for fault in root.faults if fault.code == "crossing"}
    return any(_badness(root) > _badness(other) for other in roots if other.label in crossed)


def _badness(root: FaultyRoot) -> tuple[float, float, str]:
    return (len(root.faults), -(root.width_mm or 0.0), root.label)
