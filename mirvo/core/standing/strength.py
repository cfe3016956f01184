"""How strong a tree is: what the artist said, what speaks against it, and the lower of both."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import date, timedelta
from typing import Literal, get_args

from mirvo.core.almanac import rules

StrengthGrade = Literal["weak", "fair", "strong"]
ORDER: tuple[StrengthGrade, ...] = get_args(StrengthGrade)


@dataclass(frozen=True)
class Sign:
    """Something found or seen that speaks of a tree's strength: at most `strength` after it."""

    strength: StrengthGrade
    text: str
    on: date


@dataclass(frozen=True)
class Strength:
    """value is used everywhere. said, said_on : by the artist. against : what speaks against it."""

    value: StrengthGrade
    said: StrengthGrade
    said_on: date | None = None
    against: tuple[Sign, ...] = field(default_factory=tuple)

    @property
    def doubted(self) -> bool:
        """Whether what was found puts it lower than the artist said."""
        return self.value != self.said


def lower(a: StrengthGrade, b: StrengthGrade) -> StrengthGrade:
    """The lesser of two strengths.

    >>> lower("strong", "fair")
    'fair'
    """
    return ORDER[min(ORDER.index(a), ORDER.index(b))]


def strength_of(
    said: StrengthGrade, said_on: date | None, signs: Iterable[Sign], today: date
) -> Strength:
    """The lower of what was said and what was found since.

    said_on : the day the artist last said it, with all that was found before in mind.
    """
    fades = today - timedelta(days=rules().standing.signs_fade_days)
    after = max(fades, said_on) if said_on is not None else fades
    against = tuple(
        sign
        for sign in sorted(signs, key=lambda sign: sign.on, reverse=True)
        if sign.on > after and ORDER.index(sign.strength) < ORDER.index(said)
    )
    value = said
    for sign in against:
        value = lower(value, sign.strength)
    return Strength(value, said, said_on, against)
