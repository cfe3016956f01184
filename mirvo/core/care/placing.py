"""Where a tree is kept after root work: one place for each stretch of time."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from typing import Literal

from mirvo.core.almanac import rules

Need = Literal["frost", "warm", "cover", "shade"]
NEEDS: tuple[Need, ...] = ("frost", "warm", "cover", "shade")
# What ends a need: so many days after the session, after growth began, or a date of the season.
Anchor = Literal["day", "growth", "season"]


@dataclass(frozen=True)
class Wanted:
    """One need of a tree from a day to a day; anchor : what its end goes by."""

    need: Need
    since: date
    until: date
    anchor: Anchor


@dataclass(frozen=True)
class Stretch:
    """Days in which a tree is kept in one place. needs : all that place has to give, in order."""

    since: date
    until: date
    needs: tuple[Need, ...]
    anchor: Anchor


def placings(wanted: Sequence[Wanted]) -> list[Stretch]:
    """The places of a tree one after the other: none overlaps another, each meets all its needs.

    A stretch shorter than `shortest_stretch_days` is joined to its neighbour: nobody carries a tree
    to and fro for three days.
    """
    listed = [one for one in wanted if one.until > one.since]
    edges = sorted({day for one in listed for day in (one.since, one.until)})
    stretches: list[Stretch] = []
    for since, until in zip(edges, edges[1:], strict=False):
        here = [one for one in listed if one.since <= since and one.until >= until]
        if not here:
            continue
        needs = _in_order({one.need for one in here})
        # The need that ends this stretch says what its end goes by.
        ending = next((one for one in here if one.until == until), here[0])
        stretches.append(Stretch(since, until, needs, ending.anchor))
    return _joined(stretches)


def _in_order(needs: set[Need]) -> tuple[Need, ...]:
    """Needs in their order, without those another one meets."""
    # A covered tree stands out of the sun, a warm one out of the frost.
    met = {need for need, by in (("shade", "cover"), ("frost", "warm")) if by in needs}
    return tuple(need for need in NEEDS if need in needs and need not in met)


def _joined(stretches: list[Stretch]) -> list[Stretch]:
    shortest = timedelta(days=rules().care.shortest_stretch_days)
    found: list[Stretch] = []
    for one in stretches:
        last = found[-1] if found and found[-1].until == one.since else None
        if last is None:
            found.append(one)
        elif last.needs == one.needs or (
            one.until - one.since < shortest and set(one.needs) <= set(last.needs)
        ):
            found[-1] = replace(last, until=one.until, anchor=one.anchor)
        elif last.until - last.since < shortest:
            # Too short to move a tree for; the place after it meets the needs of both.
            found[-1] = replace(one, since=last.since, needs=_in_order({*last.needs, *one.needs}))
        else:
            found.append(one)
    return found
