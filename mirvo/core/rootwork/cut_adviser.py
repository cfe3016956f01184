"""The cut adviser: what each root should have done to it today, and what holds that back.

Roots are taken in the order of `cut_order.ORDER`. What the artist has decided comes first and
always stands; the advice for the others takes it into account.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from mirvo.core.errors import BadInput
from mirvo.core.measure.radiality import neighbour_gaps
from mirvo.core.rootwork.cut_order import OFF_PLANE, ORDER, cutting_faults, losing_roots
from mirvo.core.rootwork.cut_wishes import why, wish_of
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
from mirvo.core.rootwork.root_path import shortened, sweep_deg
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
        wish = wish_of(state.without_the_gone(root), losing, trunk_mm, limits, by_label, asks)
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
) -> dict[str, float]:
    """Roots that should go once a graft has been set where they leave the circle open, with the
    share of the feeding root that each carries."""
    review = advise(roots, trunk_mm, replace(limits, budget=1.0, planned=None))
    return {
        advice.label: advice.share
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
        reason = why(
            "frees_the_trunk",
            f"{only_feeder.sentence}: cut back {percent}% of it, which frees the trunk, and no "
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
        why(
            "plane",
            f"most roots lie off the root plane ({named}): choose the plane again before any of "
            "them goes",
            off=float(len(off)),
            living=float(len(living)),
        )
    ]


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
            return self._held(wish, why("path", "the path takes it in a later session"))
        if self.parted is not None:
            text = f"{self.parted} goes in parts; what else goes waits until the tree has answered"
            return self._held(wish, why("answer_first", text))
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
        reason = why(
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
        return why("waits", f"{root.label} stays until {other} is decided")

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
                return why("only_feeder", f"nothing else feeds {stem}")
        return None

    def _lesser(self, root: RootCase) -> bool:
        """Whether a gap may hold a root back: sound, on the plane, and its fault a lesser one."""
        codes = {fault.code for fault in cutting_faults(root, self.losing)}
        sound = root.condition == "sound" and root.alive
        return sound and codes <= LESSER

    def _graft_first(self, root: RootCase, wish: CutAdvice) -> Reason | None:
        """A living root whose loss opens more than a third of the circle waits for a graft."""
        if wish.action != "remove" or not root.alive or not self.limits.flare:
            return None
        before, after = self._gaps(root)
        if after <= max(before + 1e-6, THIRD_DEG):
            return None
        return why(
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
        if wish.action != "remove" or root.condition == "dead" or not self.limits.flare:
            return None
        before, after = self._gaps(root)
        limit = self.limits.target_gap_deg
        # A gap that is there already is not this root to blame for.
        if after <= limit or after <= before + 1e-6:
            return None
        return why(
            "opens_gap",
            f"without it the largest gap is {after:.0f}°, beyond the {limit:.0f}° aimed at: close "
            "it by a graft, a fork or a bent neighbour, or a ground layer",
            gap_deg=round(after, 1),
            target_deg=limit,
        )

    def _spent(self, root: RootCase, asked: CutDecision) -> Reason:
        budget = self.limits.budget
        if budget <= 0:
            return why("budget", "nothing living may be taken from this tree now")
        share = self.share(also={root.label: asked})
        return why(
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
