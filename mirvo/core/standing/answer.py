"""How a tree answered a session: leaf lost, first shoots, dieback; what that teaches."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from statistics import median
from typing import Literal

from mirvo.core.almanac import rules

Answer = Literal["good", "fair", "poor", "died"]


@dataclass(frozen=True)
class Seen:
    """What was seen of a tree after a session, all of it together.

    leaf_lost_percent : at the worst. shoots_on : day of the first new shoots.
    """

    leaf_lost_percent: float | None = None
    shoots_on: date | None = None
    dieback: bool = False
    weak: bool = False
    died_on: date | None = None


def answer_of(seen: Seen, since: date) -> Answer | None:
    """The answer of a tree to a session; None while nothing was seen.

    since : the day of the session, or the day its buds should move if it was dormant then: shoots
    in April are not late because the roots were worked in December.

    >>> answer_of(Seen(leaf_lost_percent=10, shoots_on=date(2026, 5, 1)), date(2026, 3, 20))
    'good'
    """
    table = rules().answers
    if seen.died_on is not None:
        return "died"
    lost, shoots = seen.leaf_lost_percent, seen.shoots_on
    late = None if shoots is None else (shoots - since).days
    if lost is None and late is None and not (seen.dieback or seen.weak):
        return None
    poor = seen.weak or (lost or 0.0) >= table.leaf_lost_poor
    if poor or (late or 0) >= table.shoots_poor_days:
        return "poor"
    fair = seen.dieback or (lost or 0.0) >= table.leaf_lost_fair
    return "fair" if fair or (late or 0) >= table.shoots_fair_days else "good"


def bearing_factor(answers: Iterable[Answer]) -> float:
    """What a tree's own answers make of its bearing, oldest first: 0.6 to 1.2.

    >>> round(bearing_factor(["good", "good", "poor"]), 3)
    0.882
    """
    table = rules().answers
    low, high = table.factor_limits
    factor = 1.0
    for answer in answers:
        # Bounded after each, so that a long good history does not outweigh a bad year.
        factor = min(high, max(low, factor * table.factor[answer]))
    return factor


@dataclass(frozen=True)
class Experience:
    """What a studio's sessions on one species came to."""

    sessions: int
    median_share: float | None
    answers: dict[str, int]

    @property
    def sentence(self) -> str:
        """ "9 sessions, median share 41 %, one poor": for people."""
        parts = [f"{self.sessions} session{'s' if self.sessions != 1 else ''}"]
        if self.median_share is not None:
            parts.append(f"median share {self.median_share * 100:.0f}%")
        parts += [f"{count} {answer}" for answer, count in self.answers.items() if count]
        return ", ".join(parts)


def experience_of(sessions: Iterable[tuple[float | None, Answer | None]]) -> Experience:
    """Experience from the share and the answer of each session."""
    listed = list(sessions)
    shares = [share for share, _ in listed if share is not None]
    kinds: tuple[Answer, ...] = ("good", "fair", "poor", "died")
    counts: dict[str, int] = {kind: sum(answer == kind for _, answer in listed) for kind in kinds}
    return Experience(len(listed), float(median(shares)) if shares else None, counts)
