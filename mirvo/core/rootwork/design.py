"""What a tree's design asks of its base: a flare all round, roots shown above the soil, or roots
that hold a rock."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal, get_args

from mirvo.core.measure.records import Fault, TopRecord

Design = Literal["flare", "exposed roots", "roots over rock"]
DESIGNS: tuple[Design, ...] = get_args(Design)
FLARE: Design = "flare"
# What spoils a flare is the look of these designs: roots that come down steeply, cross, wind and
# differ in thickness. Dead roots, bare ones and loops that will choke their neighbours stay faults.
LOOKED_FOR = frozenset(
    (
        "above_plane",
        "below_plane",
        "circling",
        "crossing",
        "crowded",
        "kinked",
        "oversized",
    )
)


def faults_for(design: str, faults: Iterable[Fault]) -> tuple[Fault, ...]:
    """The faults that count in a design; any design nobody knows counts as a flare."""
    if design not in DESIGNS or design == FLARE:
        return tuple(faults)
    return tuple(fault for fault in faults if fault.code not in LOOKED_FOR)


def as_designed(measured: TopRecord, design: str) -> TopRecord:
    """A measured base with only the faults that count in the tree's design."""
    if design not in DESIGNS or design == FLARE:
        return measured
    roots = tuple(
        root.model_copy(update={"faults": faults_for(design, root.faults)})
        for root in measured.roots
    )
    return measured.model_copy(update={"roots": roots})
