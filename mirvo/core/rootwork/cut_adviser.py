"""The cut adviser: what each root should have done to it today, and what holds that back.

Roots are taken in the order of `cut_order.ORDER`. What the artist has decided comes first and
always stands; the advice for the others takes it into account.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from math import hypot

import numpy as np

from mirvo.core.almanac import rules
from mirvo.core.errors import BadInput
from mirvo.core.measure.radiality import neighbour_gaps
from mirvo.core.measure.records import Fault
from mirvo.core.rootwork.cut_order import ORDER, cutting_faults
from mirvo.core.rootwork.cuts import (
    CUTTING,
    HALF,
    CutAdvice,
    CutConstraints,
    CutDecision,
    CutReview,
    Reason,
    RootCase,
)
from mirvo.core.rootwork.root_path import along_mm, straight_stretch_mm
from mirvo.core.rootwork.share_estimate import corrected_share, feeding_shares, taken_share


def advise(
    roots: Sequence[RootCase],
    trunk_mm: float,
    limits: CutConstraints,
    decided: Mapping[str, CutDecision] | None = None,
) -> CutReview:
    """CutAdvice for each root in the order they were given.

    Raises
    ------
    BadInput : a decision names an unknown root or action.
    """
    decided = decided or {}
    by_label = {root.label: root for root in roots}
    for label in decided:
        if label not in by_label:
            raise BadInput("roots", f"root {label} is not among the measured roots")
    shares = feeding_shares(roots, limits.fine_roots)
    state = _State(by_label, shares, limits, dict(decided))
    found: dict[str, CutAdvice] = {}
    for root in sorted(roots, key=lambda case: _rank(case, roots)):
        wish = _wish(state.without_the_gone(root), by_label, trunk_mm, limits)
        share = shares[root.label] * limits.correction
        advice = state.admit(root, replace(wish, share=share))
        found[root.label] = advice
    return CutReview(
        [found[root.label] for root in roots],
        state.share(decided_only=True),
        state.share(),
        limits.budget,
    )


def _rank(root: RootCase, roots: Sequence[RootCase]) -> tuple[int, str]:
    codes = [ORDER.index(fault.code) for fault in cutting_faults(root, roots)]
    return (min(codes, default=len(ORDER)), root.label)


def _wish(
    root: RootCase, by_label: Mapping[str, RootCase], trunk_mm: float, limits: CutConstraints
) -> CutAdvice:
    """What a root's own state asks for, before budget, feeding and gaps are looked at."""
    faults = cutting_faults(root, list(by_label.values()))
    if not faults:
        return _of_lesser_faults(root, trunk_mm)
    fault = faults[0]
    code = fault.code
    reasons = [_reason(fault) for fault in faults]
    # A second fault stands whatever the error of the first is, so only a lone one is put off.
    unsure = _within_error(root, fault, by_label)
    if unsure is not None and len(faults) == 1:
        return CutAdvice(root.label, "watch", [*reasons, unsure], 0.0)
    # Neighbours that fuse are what such a studio works towards.
    if code == "crowded" and limits.fuses:
        reason = _why("fuses", "your practice lets neighbours fuse into a plate")
        return CutAdvice(root.label, "watch", [*reasons, reason], 0.0)
    if code in ("circling", "looping_back", "crossing"):
        return _led_or_shortened(root, fault, trunk_mm, reasons)
    # Removed at once it would leave a hole in the flare and starve what it feeds.
    if code == "oversized":
        return CutAdvice(root.label, "halve", reasons, 0.0, root.length_mm * HALF, HALF)
    return CutAdvice(root.label, "remove", reasons, 0.0, None, 1.0)


def _of_lesser_faults(root: RootCase, trunk_mm: float) -> CutAdvice:
    """A sharp bend is cut past, or led round while it is thin; else the root is kept."""
    kinked = next((fault for fault in root.faults if fault.code == "kinked"), None)
    if kinked is None:
        return CutAdvice(root.label, "keep", [], 0.0)
    return _led_or_shortened(root, kinked, trunk_mm, [_reason(kinked)])


def _led_or_shortened(
    root: RootCase, fault: Fault, trunk_mm: float, reasons: list[Reason]
) -> CutAdvice:
    """Shorten where a straight stretch remains; bend a thin root round; else remove it."""
    limits = rules().adviser
    keep = straight_stretch_mm(root.path)
    # The cut must end before the other root, with room to heal.
    if fault.code == "crossing" and fault.at_mm is not None:
        keep = min(keep, along_mm(root.path, fault.at_mm) - limits.crossing_clear_mm)
    length = root.length_mm
    # A shorter stub would bear no new roots and die back.
    if limits.min_stub_trunks * trunk_mm <= keep < length:
        reason = _why(
            "straight_stretch",
            f"the first {keep:.0f} mm run outward and stay",
            keep_mm=round(keep, 1),
        )
        return CutAdvice(root.label, "shorten", [*reasons, reason], 0.0, keep, 1 - keep / length)
    thin = root.base_width_mm is not None and (
        root.base_width_mm <= limits.bendable_trunks * trunk_mm
    )
    # A root that crosses cannot be led aside while the other lies over it.
    if thin and fault.code != "crossing":
        reason = _why("thin", f"{root.base_width_mm:.0f} mm thin, it can be led outward and pinned")
        return CutAdvice(root.label, "bend", [*reasons, reason], 0.0)
    # A bend alone does no harm that would be worth a root.
    if fault.code == "kinked":
        return CutAdvice(root.label, "watch", reasons, 0.0)
    return CutAdvice(root.label, "remove", reasons, 0.0, None, 1.0)


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
UNITS = {"deg": "°", "%": " %", "mm": " mm", None: ""}


def _why(code: str, sentence: str, **figures: float) -> Reason:
    return Reason(code=code, sentence=sentence, figures=figures)


def _reason(fault: Fault) -> Reason:
    text = SENTENCES[fault.code].format(with_root=fault.with_root or "another")
    if fault.figure is None or fault.threshold is None:
        return _why(fault.code, text)
    unit = UNITS[fault.unit]
    text += f" ({fault.figure:.0f}{unit}, limit {fault.threshold:.0f}{unit})"
    return _why(fault.code, text, figure=fault.figure, threshold=fault.threshold)


def _within_error(root: RootCase, fault: Fault, by_label: Mapping[str, RootCase]) -> Reason | None:
    """A fault that its own measuring error could undo is watched, not cut for."""
    error = {
        "circling": root.plus_minus.heading,
        "oversized": root.plus_minus.width,
        "crowded": hypot(root.plus_minus.azimuth, _other_error(fault, by_label)),
    }.get(fault.code)
    if error is None or fault.figure is None or fault.threshold is None:
        return None
    if abs(fault.figure - fault.threshold) >= error:
        return None
    return _why(
        "within_error",
        f"within measuring error of the limit (±{error:.0f}{UNITS[fault.unit]}): "
        "look again next time",
        plus_minus=round(error, 1),
    )


def _other_error(fault: Fault, by_label: Mapping[str, RootCase]) -> float:
    other = by_label.get(fault.with_root or "")
    return 0.0 if other is None else other.plus_minus.azimuth


@dataclass
class _State:
    """Which roots go so far, by the artist and by the advice."""

    roots: dict[str, RootCase]
    shares: dict[str, float]
    limits: CutConstraints
    decided: dict[str, CutDecision]
    advised: dict[str, CutDecision] = field(default_factory=dict)

    def share(
        self, decided_only: bool = False, also: Mapping[str, CutDecision] | None = None
    ) -> float:
        """Share of the feeding root that goes, with slice and trims."""
        going = {**({} if decided_only else self.advised), **self.decided, **(also or {})}
        costs = {label: decision.cost for label, decision in going.items()}
        taken = taken_share(self.shares, costs, self.limits.ball_parts)
        return corrected_share(taken, self.limits.correction)

    def admit(self, root: RootCase, wish: CutAdvice) -> CutAdvice:
        """The wish as it may be done today, or held back with the reason."""
        if wish.action not in CUTTING:
            return wish
        # What must not be cut at all comes before what the budget forbids.
        held = self._waits(root) or self._last_feeder(root, wish) or self._opens_gap(root, wish)
        if held is not None:
            return self._held(wish, held)
        # The artist has decided; the advice only stands beside it.
        if root.label in self.decided:
            return wish
        asked = CutDecision(action=wish.action, part=wish.part)
        if self._fits(root, asked):
            self.advised[root.label] = asked
            return wish
        halved = CutDecision(action="halve")
        # Half a root now and half next time costs the tree less than waiting with all of it.
        if wish.action == "remove" and self._fits(root, halved):
            self.advised[root.label] = halved
            reason = _why(
                "two_sessions",
                "its whole share would pass the budget: half now, the rest next time",
                share=round(wish.share, 3),
            )
            return replace(
                wish,
                action="halve",
                part=HALF,
                keep_mm=root.length_mm * HALF,
                reasons=[*wish.reasons, reason],
            )
        return self._held(wish, self._spent(root, asked))

    def _fits(self, root: RootCase, decision: CutDecision) -> bool:
        costs = self.shares[root.label] * decision.cost
        # A dead root costs nothing and always fits, also when nothing else may be taken.
        return costs == 0.0 or self.share(also={root.label: decision}) <= self.limits.budget + 1e-9

    def _held(self, wish: CutAdvice, held: Reason) -> CutAdvice:
        return replace(
            wish, action="keep", wanted=wish.action, part=0.0, keep_mm=None, held_back=[held]
        )

    def _waits(self, root: RootCase) -> Reason | None:
        # A root that waits on one which is gone, or decided, waits no longer.
        other = self.limits.waits_on.get(root.label)
        if other is None or other in self.decided or other not in self.roots:
            return None
        return _why("waits", f"{root.label} stays until {other} is decided")

    def without_the_gone(self, root: RootCase) -> RootCase:
        """The root without faults it has only beside a root that goes."""
        left = tuple(fault for fault in root.faults if not self._gone(fault.with_root or ""))
        return replace(root, faults=left)

    def _gone(self, label: str) -> bool:
        going = self.decided.get(label) or self.advised.get(label)
        return going is not None and going.action == "remove"

    def _last_feeder(self, root: RootCase, wish: CutAdvice) -> Reason | None:
        # A shortened root feeds on; a dead one feeds nothing.
        if wish.action != "remove" or not root.alive:
            return None
        left = [
            other
            for other in self.roots.values()
            if other.label != root.label and other.alive and not self._gone(other.label)
        ]
        for stem in root.feeds:
            if not any(stem in other.feeds for other in left):
                return _why("only_feeder", f"nothing else feeds {stem}")
        return None

    def _opens_gap(self, root: RootCase, wish: CutAdvice) -> Reason | None:
        if wish.action != "remove" or root.condition == "dead":
            return None
        standing = [
            other
            for other in self.roots.values()
            if other.condition != "dead"
            and not (self._gone(other.label) and other.label != root.label)
        ]
        before = _largest_gap([other.azimuth_deg for other in standing])
        after = _largest_gap([other.azimuth_deg for other in standing if other.label != root.label])
        limit = self.limits.target_gap_deg
        # A gap that is there already is not this root to blame for.
        if after <= limit or after <= before + 1e-6:
            return None
        return _why(
            "opens_gap",
            f"without it the largest gap is {after:.0f}°, beyond the {limit:.0f}° aimed at: "
            "graft or layer first",
            gap_deg=round(after, 1),
            target_deg=limit,
        )

    def _spent(self, root: RootCase, asked: CutDecision) -> Reason:
        budget = self.limits.budget
        if budget <= 0:
            return _why("budget", "nothing living may be taken from this tree now")
        share = self.share(also={root.label: asked})
        return _why(
            "budget",
            f"with it {share:.0%} would go, the budget is {budget:.0%}: next time",
            share=round(share, 3),
            budget=round(budget, 3),
        )


def _largest_gap(azimuths: list[float]) -> float:
    """Widest gap between neighbours, degrees; 360 with fewer than two roots."""
    if len(azimuths) < 2:
        return 360.0
    return float(neighbour_gaps(np.sort(np.asarray(azimuths) % 360.0)[None])[0].max())
