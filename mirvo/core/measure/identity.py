"""Following roots over the years: which root of a new measurement is which of an older one.

The rotation between the two photos is solved first, from the roots themselves with the
marked fronts as first guess; then each root keeps its letter by minimum-cost assignment on
azimuth, width and reach (Kuhn, The Hungarian method, 1955).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from mirvo.core.angles import angle_between, signed_turn
from mirvo.core.measure.figure import Figure
from mirvo.core.measure.records import TopRecord
from mirvo.core.measure.uncertainty import Array

# Two roots of one tree stand seldom nearer; farther off it is another root.
GATE_DEG = 20.0
# So far apart two people mark the front of one tree.
MAX_TURN_DEG = 45.0
TURN_STEP_DEG = 1.5
WIDTH_WEIGHT, REACH_WEIGHT = 0.5, 0.35
# Leaving a root alone costs as much as a match at the very gate.
UNMATCHED = 1.0
FRONT_TRUST_DEG = 60.0
SETTLE = 3
# How far roots of one tree lie apart and differ in width after they are matched, and what share
# may be without a partner; from made-up bases, 1 in 100 of one tree lies beyond all together.
STRAY_DEG, STRAY_WIDTH, STRAY_SHARE, STRAYED = 8.0, 0.28, 0.35, 1.25
# Fewer roots fit almost any tree.
FEWEST_JUDGED = 4


@dataclass(frozen=True)
class RootTrace:
    """One measured root as far as it can be known again; mm and degrees."""

    label: str
    azimuth_deg: float
    width_mm: float | None
    reach_mm: float


@dataclass(frozen=True)
class Match:
    """How a new measurement fits an older one.

    turn_deg : to be added to new azimuths to read them in the older frame.
    pairs : (old label, new label). gone, fresh : labels without a partner.
    """

    turn_deg: float
    pairs: list[tuple[str, str]]
    gone: list[str]
    fresh: list[str]


@dataclass(frozen=True)
class Change:
    """A figure at two dates: the difference, its combined 95 % interval, and the verdict."""

    before: Figure
    after: Figure
    difference: Figure

    @property
    def real(self) -> bool:
        """Whether the change exceeds the measuring error of both dates together."""
        return abs(self.difference.value) > self.difference.plus_minus


def change(before: Figure, after: Figure) -> Change:
    """Compare two independent measurements of one figure.

    >>> change(Figure(10.0, 0.3), Figure(11.0, 0.4)).real
    True
    >>> change(Figure(10.0, 0.3), Figure(10.4, 0.4)).real
    False
    """
    spread = float(np.hypot(before.plus_minus, after.plus_minus))
    return Change(before, after, Figure(after.value - before.value, spread))


def match_roots(before: Sequence[RootTrace], after: Sequence[RootTrace]) -> Match:
    """Find the roots of one measurement again in another.

    Both azimuths count from their own photo's marked front; the rotation between the two
    is sought within 45° of it. A root more than 20° from any other stays unmatched.
    """
    if not before or not after:
        return Match(0.0, [], [r.label for r in before], [r.label for r in after])
    # However they are turned, they are as unlike.
    unlike = _unlike(before, after)
    # All turns are tried: the cost has many dips, one for each root that meets its neighbour.
    turns = np.arange(-MAX_TURN_DEG, MAX_TURN_DEG + 1e-9, TURN_STEP_DEG)
    costs = [_assign(before, after, float(turn), unlike)[0] for turn in turns]
    turn = float(turns[int(np.argmin(costs))])
    # The best of the steps, then settled on the roots it pairs.
    for _ in range(SETTLE):
        _, pairs = _assign(before, after, turn, unlike)
        if not pairs:
            return Match(0.0, [], [r.label for r in before], [r.label for r in after])
        turn = _turn_of(before, after, pairs)
    _, pairs = _assign(before, after, turn, unlike)
    old, new = {i for i, _ in pairs}, {j for _, j in pairs}
    return Match(
        turn_deg=turn,
        pairs=[(before[i].label, after[j].label) for i, j in pairs],
        gone=[root.label for i, root in enumerate(before) if i not in old],
        fresh=[root.label for j, root in enumerate(after) if j not in new],
    )


def misfit(before: Sequence[RootTrace], after: Sequence[RootTrace]) -> float | None:
    """How badly roots of two measurements fit each other at their best match.

    Up to 1 they may well be of one tree (99 of 100 made-up trees seen again are); beyond, they
    are of two (nine of ten pairs of trees lie there). None where there are too few to judge.
    """
    return _misfit(tuple(before), tuple(after))


# Every page of a tree asks it of all its measurements, which hardly ever change.
@lru_cache(maxsize=8192)
def _misfit(before: tuple[RootTrace, ...], after: tuple[RootTrace, ...]) -> float | None:
    match = match_roots(before, after)
    fewer = min(len(before), len(after))
    if fewer < FEWEST_JUDGED:
        return None
    if len(match.pairs) < 2:
        return float(STRAY_SHARE**-2)
    old, new = ({root.label: root for root in side} for side in (before, after))
    away = [
        float(angle_between(old[a].azimuth_deg, new[b].azimuth_deg + match.turn_deg))
        for a, b in match.pairs
    ]
    grown = _logs([new[b].width_mm for _, b in match.pairs])
    grown = grown - _logs([old[a].width_mm for a, _ in match.pairs])
    grown = grown[np.isfinite(grown)]
    alike = float(np.std(grown)) if len(grown) > 1 else 0.0
    alone = 1.0 - len(match.pairs) / fewer
    strayed = (float(np.sqrt(np.mean(np.square(away)))) / STRAY_DEG) ** 2
    return float(strayed + (alike / STRAY_WIDTH) ** 2 + (alone / STRAY_SHARE) ** 2) / STRAYED


def traces_of(record: TopRecord) -> list[RootTrace]:
    """The roots of a base as far as they can be known again."""
    return [
        RootTrace(root.label, root.azimuth_deg.value, root.width_mm, root.reach_mm.value)
        for root in record.roots
    ]


def _assign(
    before: Sequence[RootTrace], after: Sequence[RootTrace], turn: float, unlike: Array
) -> tuple[float, list[tuple[int, int]]]:
    """Cost and pairs of indices at one rotation; leaving a root alone costs 1 each.

    unlike : (n, m), what a pair costs wherever its roots lie.
    """
    from scipy.optimize import linear_sum_assignment

    away = _away(before, after, turn)
    cost = (away / GATE_DEG) ** 2 + unlike
    cost[away > GATE_DEG] = 10 * UNMATCHED
    n, m = cost.shape
    # Room for every root to stay without a partner.
    square = np.full((n + m, n + m), 0.0)
    square[:n, :m] = cost
    square[:n, m:] = UNMATCHED
    square[n:, :m] = UNMATCHED
    rows, columns = linear_sum_assignment(square)
    pairs = [(int(i), int(j)) for i, j in zip(rows, columns, strict=True) if i < n and j < m]
    # Two turns may fit alike; the front was marked for a reason.
    trust = (turn / FRONT_TRUST_DEG) ** 2
    return float(square[rows, columns].sum() + trust), pairs


def _away(before: Sequence[RootTrace], after: Sequence[RootTrace], turn: float) -> Array:
    old = np.array([root.azimuth_deg for root in before])
    new = np.array([root.azimuth_deg for root in after]) + turn
    return np.asarray(angle_between(new[None], old[:, None]))


def _unlike(before: Sequence[RootTrace], after: Sequence[RootTrace]) -> Array:
    """How unlike in width and reach, growth of all roots together left out of it."""
    total = np.zeros((len(before), len(after)))
    for name, weight in (("width_mm", WIDTH_WEIGHT), ("reach_mm", REACH_WEIGHT)):
        old, new = (_logs([getattr(root, name) for root in side]) for side in (before, after))
        ratio = new[None] - old[:, None]
        # All roots grow; what counts is who grew otherwise than the rest.
        grown = np.nanmedian(new) - np.nanmedian(old) if _any(new) and _any(old) else 0.0
        total += weight * np.nan_to_num(np.abs(ratio - grown))
    return total


def _any(values: Array) -> bool:
    return bool(np.isfinite(values).any())


def _logs(values: Sequence[float | None]) -> Array:
    return np.array([np.nan if not v or v <= 0 else np.log(v) for v in values])


def _turn_of(
    before: Sequence[RootTrace], after: Sequence[RootTrace], pairs: list[tuple[int, int]]
) -> float:
    """Median rotation of the pairs, degrees."""
    turns = np.array([before[i].azimuth_deg - after[j].azimuth_deg for i, j in pairs])
    # Round one of them, so that the median does not fall over north.
    about = signed_turn(turns - turns[0])
    return float(signed_turn(np.median(about) + turns[0]))
