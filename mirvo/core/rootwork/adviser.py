"""The cut adviser: what each root should have done to it today, and what holds that back.

Roots are taken in the order of `advice.ORDER`. What the artist has decided comes first and
always stands; the advice for the others reckons with it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from math import hypot
from typing import Any

import numpy as np

from mirvo.core.almanac import rules
from mirvo.core.errors import BadInput
from mirvo.core.measure.radiality import neighbour_gaps
from mirvo.core.rootwork.advice import ORDER, worse_of_crossing
from mirvo.core.rootwork.budget import root_shares, session_share
from mirvo.core.rootwork.cases import (
    ACTIONS,
    CUTTING,
    HALF,
    Advice,
    Bearing,
    Decision,
    Reason,
    RootCase,
    Verdict,
)
from mirvo.core.rootwork.root_path import along_mm, straight_stretch_mm


def advise(
    roots: Sequence[RootCase],
    trunk_mm: float,
    bearing: Bearing,
    decided: Mapping[str, Decision] | None = None,
) -> Verdict:
    """Advice for each root in the order they were given.

    Raises
    ------
    BadInput : a decision names an unknown root or action.
    """
    decided = decided or {}
    by_label = {root.label: root for root in roots}
    for label, decision in decided.items():
        if label not in by_label:
            raise BadInput("roots", f"root {label} is not among the measured roots")
        if decision.action not in ACTIONS:
            raise BadInput("roots", f"'{decision.action}' is not one of {', '.join(ACTIONS)}")
    shares = shares_of(roots, bearing)
    state = _State(by_label, shares, bearing, dict(decided))
    found: dict[str, Advice] = {}
    for root in sorted(roots, key=lambda one: _rank(one, by_label)):
        wish = _wish(state.without_the_gone(root), by_label, trunk_mm, bearing)
        share = shares[root.label] * bearing.correction
        advice = state.admit(root, replace(wish, share=share))
        found[root.label] = advice
    return Verdict(
        [found[root.label] for root in roots],
        state.share(decided_only=True),
        state.share(),
        bearing.budget,
    )


def shares_of(roots: Sequence[RootCase], bearing: Bearing) -> dict[str, float]:
    """Feeding share of each root, before what weighing showed of this tree is applied."""
    return root_shares(
        [(root.label, root.base_width_mm or 1.0, root.feeders, root.condition) for root in roots],
        bearing.fine_roots,
    )


def _rank(root: RootCase, by_label: Mapping[str, RootCase]) -> tuple[int, str]:
    codes = [ORDER.index(code) for code, _ in _cutting_faults(root, by_label)]
    return (min(codes, default=len(ORDER)), root.label)


def _cutting_faults(
    root: RootCase, by_label: Mapping[str, RootCase]
) -> list[tuple[str, dict[str, Any]]]:
    """Faults a root is cut for, gravest first; of two that cross only the worse counts."""
    if not any(fault["code"] in ORDER for fault in root.faults):
        return []
    as_told = {
        one.label: {
            "label": one.label,
            "faults": one.faults,
            "base_width_mm": None if one.base_width_mm is None else {"value": one.base_width_mm},
        }
        for one in by_label.values()
    }
    faults = [(fault["code"], fault) for fault in root.faults if fault["code"] in ORDER]
    if not worse_of_crossing(as_told[root.label], as_told):
        faults = [one for one in faults if one[0] != "crossing"]
    return sorted(faults, key=lambda one: ORDER.index(one[0]))


def _wish(
    root: RootCase, by_label: Mapping[str, RootCase], trunk_mm: float, bearing: Bearing
) -> Advice:
    """What a root's own state asks for, before budget, feeding and gaps are looked at."""
    faults = _cutting_faults(root, by_label)
    if not faults:
        return _of_lesser_faults(root, trunk_mm)
    code, fault = faults[0]
    reasons = [_reason(code, fault) for code, fault in faults]
    unsure = _within_error(root, code, fault, by_label)
    if unsure is not None and len(faults) == 1:
        return Advice(root.label, "watch", [*reasons, unsure], 0.0)
    if code == "crowded" and bearing.fuses:
        said = Reason("fuses", "your practice lets neighbours fuse into a plate")
        return Advice(root.label, "watch", [*reasons, said], 0.0)
    if code in ("circling", "looping_back", "crossing"):
        return _led_or_shortened(root, code, fault, trunk_mm, reasons)
    if code == "oversized":
        return Advice(root.label, "halve", reasons, 0.0, root.length_mm * HALF, HALF)
    return Advice(root.label, "remove", reasons, 0.0, None, 1.0)


def _of_lesser_faults(root: RootCase, trunk_mm: float) -> Advice:
    """A sharp bend is cut past, or led round while it is thin; else the root is kept."""
    kinked = next((fault for fault in root.faults if fault["code"] == "kinked"), None)
    if kinked is None:
        return Advice(root.label, "keep", [], 0.0)
    return _led_or_shortened(root, "kinked", kinked, trunk_mm, [_reason("kinked", kinked)])


def _led_or_shortened(
    root: RootCase, code: str, fault: dict[str, Any], trunk_mm: float, reasons: list[Reason]
) -> Advice:
    """Shorten where a straight stretch remains; bend a thin root round; else remove it."""
    limits = rules().adviser
    keep = straight_stretch_mm(root.path)
    if code == "crossing" and "at_mm" in fault:
        keep = min(keep, along_mm(root.path, tuple(fault["at_mm"])) - limits.crossing_clear_mm)
    length = root.length_mm
    if limits.least_stub_trunks * trunk_mm <= keep < length:
        said = Reason(
            "straight_stretch",
            f"the first {keep:.0f} mm run outward and stay",
            {"keep_mm": round(keep, 1)},
        )
        return Advice(root.label, "shorten", [*reasons, said], 0.0, keep, 1 - keep / length)
    thin = root.base_width_mm is not None and (
        root.base_width_mm <= limits.bendable_trunks * trunk_mm
    )
    if thin and code != "crossing":
        said = Reason("thin", f"{root.base_width_mm:.0f} mm thin, it can be led outward and pinned")
        return Advice(root.label, "bend", [*reasons, said], 0.0)
    if code == "kinked":
        return Advice(root.label, "watch", reasons, 0.0)
    return Advice(root.label, "remove", reasons, 0.0, None, 1.0)


SENTENCES = {
    "dead": "it is dead",
    "no_feeders": "it carries no fine roots",
    "above_plane": "it leaves the trunk above the root plane and hides what lies beneath",
    "below_plane": "it goes straight down and does not thicken the flare",
    "circling": "it circles the trunk",
    "looping_back": "it loops back toward the trunk",
    "crossing": "it crosses {with_root} and is the worse of the two",
    "crowded": "it runs in the same direction as {with_root}",
    "oversized": "it is far thicker than the rest and takes the flow from them",
    "kinked": "it is bent sharply",
}
UNITS = {"deg": "°", "%": " %", "mm": " mm", "": ""}


def _reason(code: str, fault: dict[str, Any]) -> Reason:
    text = SENTENCES[code].format(with_root=fault.get("with_root", "another"))
    figures = {}
    if fault.get("figure") is not None:
        unit = UNITS[fault.get("unit", "")]
        text += f" ({fault['figure']:.0f}{unit}, limit {fault['threshold']:.0f}{unit})"
        figures = {"figure": fault["figure"], "threshold": fault["threshold"]}
    return Reason(code, text, figures)


def _within_error(
    root: RootCase, code: str, fault: dict[str, Any], by_label: Mapping[str, RootCase]
) -> Reason | None:
    """A fault that its own measuring error could undo is watched, not cut for."""
    error = {
        "circling": root.plus_minus.get("heading", 0.0),
        "oversized": root.plus_minus.get("width", 0.0),
        "crowded": hypot(root.plus_minus.get("azimuth", 0.0), _other_error(fault, by_label)),
    }.get(code)
    if error is None or abs(fault["figure"] - fault["threshold"]) >= error:
        return None
    unit = UNITS[fault.get("unit", "")]
    return Reason(
        "within_error",
        f"within measuring error of the limit (±{error:.0f}{unit}): look again next time",
        {"plus_minus": round(error, 1)},
    )


def _other_error(fault: dict[str, Any], by_label: Mapping[str, RootCase]) -> float:
    other = by_label.get(fault.get("with_root", ""))
    return 0.0 if other is None else other.plus_minus.get("azimuth", 0.0)


@dataclass
class _State:
    """Which roots go so far, by the artist and by the advice."""

    roots: dict[str, RootCase]
    shares: dict[str, float]
    bearing: Bearing
    decided: dict[str, Decision]
    advised: dict[str, Decision] = field(default_factory=dict)

    def share(
        self, decided_only: bool = False, also: Mapping[str, Decision] | None = None
    ) -> float:
        """Share of the feeding root that goes, with slice and trims."""
        going = {**({} if decided_only else self.advised), **self.decided, **(also or {})}
        roots = sum(self.shares[label] * decision.cost for label, decision in going.items())
        taken = session_share(min(1.0, roots), self.bearing.others)
        return min(1.0, taken * self.bearing.correction)

    def admit(self, root: RootCase, wish: Advice) -> Advice:
        """The wish as it may be done today, or held back with the reason."""
        if wish.action not in CUTTING:
            return wish
        held = self._waits(root) or self._last_feeder(root, wish) or self._opens_gap(root, wish)
        if held is not None:
            return self._held(wish, held)
        if root.label in self.decided:
            return wish
        asked = Decision(wish.action, wish.part)
        if self._fits(root, asked):
            self.advised[root.label] = asked
            return wish
        halved = Decision("halve")
        if wish.action == "remove" and self._fits(root, halved):
            self.advised[root.label] = halved
            said = Reason(
                "two_sessions",
                "its whole share would pass the budget: half now, the rest next time",
                {"share": round(wish.share, 3)},
            )
            return replace(
                wish,
                action="halve",
                part=HALF,
                keep_mm=root.length_mm * HALF,
                reasons=[*wish.reasons, said],
            )
        return self._held(wish, self._spent(root, asked))

    def _fits(self, root: RootCase, decision: Decision) -> bool:
        costs = self.shares[root.label] * decision.cost
        return costs == 0.0 or self.share(also={root.label: decision}) <= self.bearing.budget + 1e-9

    def _held(self, wish: Advice, held: Reason) -> Advice:
        return replace(
            wish, action="keep", wanted=wish.action, part=0.0, keep_mm=None, held_back=[held]
        )

    def _waits(self, root: RootCase) -> Reason | None:
        other = self.bearing.waits_on.get(root.label)
        if other is None or other in self.decided or other not in self.roots:
            return None
        return Reason("waits", f"{root.label} stays until {other} is decided")

    def without_the_gone(self, root: RootCase) -> RootCase:
        """The root without faults it has only beside a root that goes."""
        left = [one for one in root.faults if not self._gone(one.get("with_root", ""))]
        return replace(root, faults=left)

    def _gone(self, label: str) -> bool:
        going = self.decided.get(label) or self.advised.get(label)
        return going is not None and going.action == "remove"

    def _last_feeder(self, root: RootCase, wish: Advice) -> Reason | None:
        if wish.action != "remove" or not root.alive:
            return None
        left = [
            one
            for one in self.roots.values()
            if one.label != root.label and one.alive and not self._gone(one.label)
        ]
        for stem in root.feeds:
            if not any(stem in one.feeds for one in left):
                return Reason("only_feeder", f"nothing else feeds {stem}")
        return None

    def _opens_gap(self, root: RootCase, wish: Advice) -> Reason | None:
        if wish.action != "remove" or root.condition == "dead":
            return None
        standing = [
            one
            for one in self.roots.values()
            if one.condition != "dead" and not (self._gone(one.label) and one.label != root.label)
        ]
        before = _largest_gap([one.azimuth_deg for one in standing])
        after = _largest_gap([one.azimuth_deg for one in standing if one.label != root.label])
        limit = self.bearing.target_gap_deg
        if after <= limit or after <= before + 1e-6:
            return None
        return Reason(
            "opens_gap",
            f"without it the largest gap is {after:.0f}°, beyond the {limit:.0f}° aimed at: "
            "graft or layer first",
            {"gap_deg": round(after, 1), "target_deg": limit},
        )

    def _spent(self, root: RootCase, asked: Decision) -> Reason:
        budget = self.bearing.budget
        if budget <= 0:
            return Reason("budget", "nothing living may be taken from this tree now")
        share = self.share(also={root.label: asked})
        return Reason(
            "budget",
            f"with it {share:.0%} would go, the budget is {budget:.0%}: next time",
            {"share": round(share, 3), "budget": round(budget, 3)},
        )


def _largest_gap(azimuths: list[float]) -> float:
    """Widest gap between neighbours, degrees; 360 with fewer than two roots."""
    if len(azimuths) < 2:
        return 360.0
    return float(neighbour_gaps(np.sort(np.asarray(azimuths) % 360.0)[None])[0].max())
