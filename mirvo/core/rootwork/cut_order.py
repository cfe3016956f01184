"""The order in which roots should go, from the faults that were measured."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from mirvo.core.measure.radiality import radiality
from mirvo.core.measure.records import Fault, RootRecord
from mirvo.core.rootwork.cuts import RootCase, case_of
from mirvo.core.rootwork.share_estimate import feeding_shares

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
OFF_PLANE = ("above_plane", "below_plane")
# Two shares nearer than this are the same within what anybody can tell.
SAME_SHARE_DIGITS = 2


@dataclass(frozen=True)
class RootToCut:
    """A root that should go: its gravest fault and its place in the order (0 first)."""

    label: str
    code: str
    priority: int
    azimuth_deg: float


def roots_to_cut(roots: Sequence[RootRecord]) -> list[RootToCut]:
    """Fault roots in the order they should go; of two that cross one goes, see `losing_roots`."""
    cases = [case_of(root) for root in roots]
    losing = losing_roots(cases)
    found = []
    for case in cases:
        faults = cutting_faults(case, losing)
        if faults:
            code = faults[0].code
            found.append(RootToCut(case.label, code, ORDER.index(code), case.azimuth_deg))
    return sorted(found, key=lambda root: (root.priority, root.label))


def cutting_faults(root: RootCase, losing: frozenset[str]) -> list[Fault]:
    """Faults a root is cut for, gravest first; crossing counts against one root of each pair.

    losing : the roots that give way where they cross, from `losing_roots`.
    """
    faults = [fault for fault in root.faults if fault.code in ORDER]
    if root.label not in losing:
        faults = [fault for fault in faults if fault.code != "crossing"]
    return sorted(faults, key=lambda fault: ORDER.index(fault.code))


def losing_roots(roots: Sequence[RootCase]) -> frozenset[str]:
    """Of each pair of roots that cross the one that goes: the one that costs less.

    Compared are feeding share, what only it feeds, how radial the base is without it, and
    thickness, in this order; never do both stay.
    """
    by_label = {root.label: root for root in roots}
    shares = feeding_shares(roots, "even")
    losing = set()
    for root in roots:
        for fault in root.faults:
            other = by_label.get(fault.with_root or "")
            if fault.code == "crossing" and other is not None:
                pair = sorted((root, other), key=lambda one: _worth(one, roots, shares))
                losing.add(pair[0].label)
    return frozenset(losing)


def _worth(
    root: RootCase, roots: Sequence[RootCase], shares: Mapping[str, float]
) -> tuple[float, int, float, float, str]:
    """What a root is worth keeping for, least first."""
    others = [other for other in roots if other.label != root.label and other.alive]
    alone = sum(not any(stem in other.feeds for other in others) for stem in root.feeds)
    # The later letter goes of a full tie, so that one of them always does.
    last = "".join(chr(0x10FFFF - ord(letter)) for letter in root.label)
    return (
        round(shares[root.label], SAME_SHARE_DIGITS),
        alone,
        -_radial_without(root, roots),
        root.width_mm or 0.0,
        last,
    )


def _radial_without(root: RootCase, roots: Sequence[RootCase]) -> float:
    """Radiality of the base without a root, 0 to 100 in whole points."""
    left = [other for other in roots if other.label != root.label and other.condition != "dead"]
    azimuths = np.array([[other.azimuth_deg for other in left]])
    weights = np.array([[other.width_mm or 1.0 for other in left]])
    return round(float(radiality(azimuths, weights, np.zeros_like(azimuths)).index[0]))
