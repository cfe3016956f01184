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
from mirvo.core.rootwork.cut_order import OFF_PLANE, ORDER, cutting_faults, losing_roots
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
from mirvo.core.rootwork.root_path import along_mm, shortened, straight_stretch_mm, sweep_deg
from mirvo.core.rootwork.share_estimate import (
    BallTaken,
    corrected_share,
    feeding_shares,
    taken_share,
)

CLOSE = 1e-9
MAX_PUT_OFF = 2
# A root larger than so many sessions can bear is no root to take at all.
MAX_PARTS = 6
# Faults for which a sound root is kept as long as its place in the flare is needed.
LESSER = {"crowded", "oversized", "kinked"}
# A wider gap is not opened before something stands in it.
THIRD_DEG = 120.0
GRAFT_FIRST = "graft_first"


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
    losing = losing_roots(roots)
    asks = _plane_first(roots)
    state = _State(by_label, shares, limits, dict(decided), losing)
    found: dict[str, CutAdvice] = {}
    for root in sorted(roots, key=lambda case: _rank(case, losing, limits)):
        wish = _wish(state.without_the_gone(root), losing, trunk_mm, limits, by_label, asks)
        share = shares[root.label] * limits.correction
        advice = state.admit(root, replace(wish, share=share))
        found[root.label] = advice
    return CutReview(
        [found[root.label] for root in roots],
        state.share(decided_only=True),
        state.share(),
        limits.budget,
        asks,
    )


def wanted_cuts(
    roots: Sequence[RootCase], trunk_mm: float, limits: CutConstraints
) -> list[CutAdvice]:
    """What should go in the end, gravest first: what is advised were there budget for all of it.

    `part` is the part of the root that goes in all. The path plans exactly these.
    """
    unbounded = replace(limits, budget=1.0, edge=0.0, sliced=0.0, planned=None)
    review = advise(roots, trunk_mm, unbounded)
    losing = losing_roots(roots)
    order = sorted(roots, key=lambda case: _rank(case, losing, limits))
    advised = (review.of(root.label) for root in order)
    return [advice for advice in advised if advice is not None and advice.action in CUTTING]


def waiting_for_grafts(
    roots: Sequence[RootCase], trunk_mm: float, limits: CutConstraints
) -> set[str]:
    """Roots that should go once a graft has been set where they leave the circle open."""
    review = advise(roots, trunk_mm, replace(limits, budget=1.0, planned=None))
    return {
        advice.label
        for advice in review.advice
        if any(reason.code == GRAFT_FIRST for reason in advice.held_back)
    }


def _freed(root: RootCase, wish: CutAdvice, only_feeder: Reason) -> CutAdvice | None:
    """A circling root that alone feeds a stem, cut back by less than half, where that frees the
    trunk; None where it does not."""
    circling = next((fault for fault in root.faults if fault.code == "circling"), None)
    if circling is None or circling.threshold is None:
        return None
    for percent in range(5, round(100 * HALF), 5):
        part = percent / 100
        if sweep_deg(shortened(root.path, part)) > circling.threshold:
            continue
        keep = root.length_mm * (1 - part)
        reason = _why(
            "frees_the_trunk",
            f"{only_feeder.sentence}: cut back {percent} % of it, which frees the trunk, and no "
            "more",
            keep_mm=round(keep, 1),
        )
        return replace(
            wish, action="shorten", part=part, keep_mm=keep, reasons=[*wish.reasons, reason]
        )
    return None


def _rank(root: RootCase, losing: frozenset[str], limits: CutConstraints) -> tuple[int, int, str]:
    # Put off twice, a root is not put off for a third time.
    waited = 0 if limits.put_off.get(root.label, 0) >= MAX_PUT_OFF else 1
    codes = [ORDER.index(fault.code) for fault in cutting_faults(root, losing)]
    return (waited, min(codes, default=len(ORDER)), root.label)


def _plane_first(roots: Sequence[RootCase]) -> list[Reason]:
    """Whether the plane itself is in question: most living roots lie off it."""
    living = [root for root in roots if root.alive]
    off = [root for root in living if any(fault.code in OFF_PLANE for fault in root.faults)]
    if len(off) * 2 <= len(living):
        return []
    named = ", ".join(root.label for root in off)
    return [
        _why(
            "plane",
            f"most roots lie off the root plane ({named}): choose the plane again before any of "
            "them goes",
            off=float(len(off)),
            living=float(len(living)),
        )
    ]


def _wish(
    root: RootCase,
    losing: frozenset[str],
    trunk_mm: float,
    limits: CutConstraints,
    by_label: Mapping[str, RootCase],
    asks: Sequence[Reason],
) -> CutAdvice:
    """What a root's own state asks for, before budget, feeding and gaps are looked at."""
    faults = cutting_faults(root, losing)
    if not faults:
        return _of_lesser_faults(root, trunk_mm)
    fault = faults[0]
    code = fault.code
    reasons = [_reason(fault) for fault in faults]
    # Roots must not go for lying off a plane that may be the wrong one.
    if asks and code in OFF_PLANE and root.alive:
        return CutAdvice(root.label, "watch", [*reasons, *asks], 0.0)
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
    if code == "oversized" and root.condition == "sound":
        return _weakened(root, trunk_mm, reasons)
    return CutAdvice(root.label, "remove", reasons, 0.0, None, 1.0)


def _weakened(root: RootCase, trunk_mm: float, reasons: list[Reason]) -> CutAdvice:
    """A sound root is never taken off flush for its size alone: it is cut back to a fork."""
    keep = HALF * root.length_mm
    if keep < rules().adviser.min_stub_trunks * trunk_mm:
        return CutAdvice(root.label, "watch", reasons, 0.0)
    reason = _why(
        "to_a_fork",
        f"cut it back to a fork about {keep:.0f} mm out; its strength goes in two sessions",
        keep_mm=round(keep, 1),
    )
    return CutAdvice(root.label, "shorten", [*reasons, reason], 0.0, keep, HALF)


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
    losing: frozenset[str]
    advised: dict[str, CutDecision] = field(default_factory=dict)
    parted: str | None = None

    def share(
        self, decided_only: bool = False, also: Mapping[str, CutDecision] | None = None
    ) -> float:
        """Share of the feeding root that goes, with slice and edge."""
        going = {**({} if decided_only else self.advised), **self.decided, **(also or {})}
        return self._share_of({label: decision.cost for label, decision in going.items()})

    def _share_of(self, costs: Mapping[str, float], sliced: bool = True) -> float:
        ball = BallTaken(self.limits.sliced if sliced else 0.0, self.limits.edge)
        taken = taken_share(self.shares, costs, ball, self.limits.fine_roots)
        return corrected_share(taken, self.limits.correction)

    def admit(self, root: RootCase, wish: CutAdvice) -> CutAdvice:
        """The wish as it may be done today, or held back with the reason."""
        if wish.action not in CUTTING:
            return wish
        # What must not be cut at all comes before what the budget forbids.
        feeder = self._last_feeder(root, wish)
        freed = None if feeder is None else _freed(root, wish, feeder)
        if freed is not None:
            wish, feeder = freed, None
        held = self._waits(root) or feeder
        opened = self._opened_gap(root, wish)
        if held is None and opened is not None and self._lesser(root):
            held = opened
        if held is None:
            held = self._graft_first(root, wish)
        if held is not None:
            return self._held(wish, held)
        if opened is not None:
            # The root goes all the same; what it leaves open is named with the ways to close it.
            wish = replace(wish, reasons=[*wish.reasons, opened])
        # The artist has decided; the advice only stands beside it.
        if root.label in self.decided:
            return wish
        return self._within_limits(root, wish)

    def _within_limits(self, root: RootCase, wish: CutAdvice) -> CutAdvice:
        """The wish as far as path and budget let it be done today."""
        if self.shares[root.label] == 0.0:
            # A root that feeds nothing costs nothing, also when nothing else may be taken.
            return self._taken(root, wish, 1)
        planned = None if self.limits.planned is None else self.limits.planned.get(root.label)
        if planned == 0.0:
            return self._held(wish, _why("path", "the path takes it in a later session"))
        if self.parted is not None:
            text = f"{self.parted} goes in parts; what else goes waits until the tree has answered"
            return self._held(wish, _why("answer_first", text))
        parts = self._fewest_parts(root, wish) if planned is None else round(1.0 / planned)
        if parts is None or not self._fits(root, self._decision(wish, parts)):
            return self._held(wish, self._spent(root, self._decision(wish, 1)))
        return self._taken(root, wish, parts)

    def _fewest_parts(self, root: RootCase, wish: CutAdvice) -> int | None:
        """In how many sessions a root goes: one where an empty session could bear it."""
        for parts in range(1, MAX_PARTS + 1):
            cost = {root.label: wish.part / parts}
            if self._share_of(cost, sliced=False) <= self.limits.budget + CLOSE:
                return parts
        return None

    def _decision(self, wish: CutAdvice, parts: int) -> CutDecision:
        if parts == 1:
            return CutDecision(action=wish.action, part=wish.part)
        if parts == 2 and wish.part == 1.0:
            return CutDecision(action="halve")
        return CutDecision(action="shorten", part=wish.part / parts)

    def _taken(self, root: RootCase, wish: CutAdvice, parts: int) -> CutAdvice:
        decision = self._decision(wish, parts)
        self.advised[root.label] = decision
        if parts == 1:
            return wish
        self.parted = root.label
        reason = _why(
            "two_sessions",
            f"its whole share would pass the limit of one session: in {parts} sessions",
            share=round(wish.share, 3),
        )
        return replace(
            wish,
            action=decision.action,
            part=decision.cost,
            keep_mm=root.length_mm * (1.0 - decision.cost),
            reasons=[*wish.reasons, reason],
        )

    def _fits(self, root: RootCase, decision: CutDecision) -> bool:
        costs = self.shares[root.label] * decision.cost
        # A dead root costs nothing and always fits, also when nothing else may be taken.
        return costs == 0.0 or self.share(also={root.label: decision}) <= self.limits.budget + CLOSE

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
        # Shortened by less than half a root feeds on; a dead one feeds nothing.
        if wish.part <= HALF or not root.alive:
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

    def _lesser(self, root: RootCase) -> bool:
        """Whether a gap may hold a root back: sound, on the plane, and its fault a lesser one."""
        codes = {fault.code for fault in cutting_faults(root, self.losing)}
        sound = root.condition == "sound" and root.alive
        return sound and codes <= LESSER

    def _graft_first(self, root: RootCase, wish: CutAdvice) -> Reason | None:
        """A living root whose loss opens more than a third of the circle waits for a graft."""
        if wish.action != "remove" or not root.alive:
            return None
        before, after = self._gaps(root)
        if after <= max(before + 1e-6, THIRD_DEG):
            return None
        return _why(
            GRAFT_FIRST,
            f"without it {after:.0f}° would stand open, more than a third of the circle: set the "
            "graft that will close it first",
            gap_deg=round(after, 1),
        )

    def _gaps(self, root: RootCase) -> tuple[float, float]:
        """The largest gap with a root and without it, degrees; grafts that are set count."""
        standing = [
            other
            for other in self.roots.values()
            if other.condition != "dead"
            and not (self._gone(other.label) and other.label != root.label)
        ]
        grafts = list(self.limits.grafts_deg)
        azimuths = [(other.label, other.azimuth_deg) for other in standing]
        with_it = _largest_gap([azimuth for _, azimuth in azimuths] + grafts)
        without = [azimuth for label, azimuth in azimuths if label != root.label]
        return with_it, _largest_gap(without + grafts)

    def _opened_gap(self, root: RootCase, wish: CutAdvice) -> Reason | None:
        """The gap beyond the target that the root leaves, with the ways to close it."""
        if wish.action != "remove" or root.condition == "dead":
            return None
        before, after = self._gaps(root)
        limit = self.limits.target_gap_deg
        # A gap that is there already is not this root to blame for.
        if after <= limit or after <= before + 1e-6:
            return None
        return _why(
            "opens_gap",
            f"without it the largest gap is {after:.0f}°, beyond the {limit:.0f}° aimed at: close "
            "it by a graft, a fork or a bent neighbour, or a ground layer",
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
