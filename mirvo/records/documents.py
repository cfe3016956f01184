"""Small documents kept within rows: notes of a session, own species, clicks of an eye check."""

from __future__ import annotations

from typing import Any, Literal

from mirvo.core.limits.base import PastDay
from mirvo.core.record import Record

EntryValue = bool | float | str | list[int] | None
BenchNotes = dict[str, EntryValue]
Answers = dict[str, str]


class UnfinishedWork(Record):
    """What a session left for the next: a code, a sentence, and the root it is about."""

    code: str
    text: str
    root: str | None = None


class OwnSpecies(Record):
    """What the studio's almanac says of a species: only what differs from the shipped entry.

    laid_aside : the day it was taken out again; for a while it can be put back.
    """

    figures: dict[str, Any]
    laid_aside: PastDay | None = None


class SeasonSeen(Record):
    """What was seen in the yard on a day: a species whose window opened, or a plant's sign.

    what : "opened" or "plant". name : the species' key, or the plant with its sign.
    """

    what: Literal["opened", "plant"]
    name: str
    seen_on: PastDay
    note: str = ""


class SignSeen(Record):
    """A sign seen on a tree, one of `core.standing.signs.SIGNS`, until it was cleared.

    until : the day it was no longer seen; None while it is. A session clears it by itself.
    """

    sign: str
    seen_on: PastDay
    until: PastDay | None = None


class Clicks(Record):
    """Where an eye clicked, in the order the places are listed, px."""

    points: tuple[tuple[float, float], ...]
