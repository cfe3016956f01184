"""What the cut adviser works on and what it answers with: roots, decisions, bounds, advice."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from mirvo.core.rootwork.root_path import Point, path_length_mm

ACTIONS = ("keep", "shorten", "remove", "halve", "bend", "watch")
CUTTING = ("shorten", "remove", "halve")
HALF = 0.5


@dataclass(frozen=True)
class Reason:
    """Why: a code, a sentence for people, and the figures it rests on."""

    code: str
    sentence: str
    figures: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class RootCase:
    """One root as measured and inspected; lengths in mm, path outward from the trunk's edge.

    feeds : names of the stems or branches it feeds. plus_minus : of azimuth, base width
    and heading error, by those names.
    """

    label: str
    azimuth_deg: float
    base_width_mm: float | None
    path: list[Point]
    faults: list[dict[str, Any]] = field(default_factory=list)
    feeders: int | None = None
    condition: str = "sound"
    feeds: tuple[str, ...] = ()
    plus_minus: dict[str, float] = field(default_factory=dict)

    @property
    def length_mm(self) -> float:
        return path_length_mm(self.path)

    @property
    def alive(self) -> bool:
        return self.condition != "dead" and self.feeders != 0


@dataclass(frozen=True)
class Decision:
    """What the artist decided for a root; `part` is the share of its length that goes."""

    action: str
    part: float = HALF
    why: str = ""

    @property
    def cost(self) -> float:
        """Share of the root's own feeding share that goes."""
        return {"remove": 1.0, "shorten": self.part, "halve": HALF}.get(self.action, 0.0)


@dataclass(frozen=True)
class Bearing:
    """What bounds a session: the tree's budget, the target gap, what else is taken.

    others : parts taken by slice and trims. fuses : neighbours are let grow together.
    waits_on : roots whose fate hangs on another's. correction : the tree's own ratio of
    weighed to computed share, on all that is taken.
    """

    budget: float
    target_gap_deg: float = 90.0
    fine_roots: str = "even"
    others: tuple[float, ...] = ()
    fuses: bool = False
    waits_on: Mapping[str, str] = field(default_factory=dict)
    correction: float = 1.0


@dataclass(frozen=True)
class Advice:
    """What to do with one root. keep_mm : length that stays when it is shortened.

    share : of all feeding root that this root carries. held_back : why what it would want
    is not advised today; then `wanted` names it.
    """

    label: str
    action: str
    reasons: list[Reason]
    share: float
    keep_mm: float | None = None
    part: float = 0.0
    wanted: str | None = None
    held_back: list[Reason] = field(default_factory=list)


@dataclass(frozen=True)
class Verdict:
    """Advice for every root, and the share the session takes: as decided, and as advised."""

    advice: list[Advice]
    share_decided: float
    share_advised: float
    budget: float


def cases_of(figures: dict[str, Any]) -> list[RootCase]:
    """Roots of a measurement's record (see `report.top_as_record`) as cases."""
    plan = {root["label"]: root for root in figures["plan"]["roots"]}
    return [_case(root, plan[root["label"]]) for root in figures["roots"]]


def _case(root: dict[str, Any], drawn: dict[str, Any]) -> RootCase:
    width = root["base_width_mm"]
    return RootCase(
        label=root["label"],
        azimuth_deg=root["azimuth_deg"]["value"],
        base_width_mm=None if width is None else width["value"],
        path=[(float(x), float(y)) for x, y in drawn["path"]],
        faults=root["faults"],
        feeders=drawn.get("feeders"),
        condition=drawn.get("condition", "sound"),
        feeds=tuple(drawn.get("feeds") or ()),
        plus_minus={
            "azimuth": root["azimuth_deg"]["plus_minus"],
            "heading": root["heading_error_deg"]["plus_minus"],
            "width": 0.0 if width is None else width["plus_minus"],
        },
    )
