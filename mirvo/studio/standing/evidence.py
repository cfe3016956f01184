"""What sessions, answers and signs say of how a tree stands."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from datetime import date, timedelta
from typing import Any

from mirvo.core.almanac import Species, rules
from mirvo.core.rootwork import (
    opens_ball,
)
from mirvo.core.season import (
    Season,
)
from mirvo.core.standing.answer import Answer, Seen, answer_of
from mirvo.core.standing.recovery import Recovery, RootWork
from mirvo.core.standing.signs import SIGNS, delay_clears
from mirvo.core.standing.standing import Soil
from mirvo.core.standing.strength import Sign, Strength, strength_of
from mirvo.records.models import (
    RootSession,
    Tree,
    TreeAnswer,
)

BLACK_TIPS = "brown-black, soft"


def signs_on(tree: Tree, sessions: Iterable[RootSession], day: date) -> dict[str, date]:
    """Signs seen on a tree that still count on a day, each with the day it was seen.

    A session that opened the ball clears them all, a step that only delays those it is meant for.
    """
    found = {}
    for seen in tree.signs_seen or ():
        over = seen.until is not None and seen.until <= day
        if seen.sign not in SIGNS or seen.seen_on > day or over:
            continue
        cleared = any(
            session.done_on >= seen.seen_on
            and (opens_ball(session.kind) or seen.sign in delay_clears(session.kind))
            for session in sessions
        )
        if not cleared:
            found[seen.sign] = seen.seen_on
    return found


def may_work_twice(
    species: Species,
    strength: str,
    season: Season,
    last: RootSession | None,
    answers: Mapping[int, Answer],
    recovery: Recovery | None,
    day: date,
) -> bool:
    """Whether a tree may be worked for a second time in one season.

    It roots fast, is strong, answered the first session well, and grows on in its window.
    """
    table = rules().standing
    if last is None or species.root_group not in table.second_session_groups:
        return False
    rested = day - last.done_on >= timedelta(weeks=table.second_session_weeks)
    recovered = recovery is None or not recovery.holds(day)
    # The window of a season runs on from the session made in it.
    same_season = season.start <= last.done_on
    grows = season.workable and same_season and rested and recovered
    return grows and strength == "strong" and answers.get(last.id) == "good"


def soil_of(tree: Tree, sessions: tuple[RootSession, ...]) -> Soil:
    noted = next((session for session in sessions if session.soil), None)
    if tree.foreign_soil:
        return Soil(tree.foreign_soil, tree.acquired_on, True)
    return Soil("", None, False) if noted is None else Soil(noted.soil, noted.done_on, False)


def answers_of_tree(
    sessions: tuple[RootSession, ...], tree: Tree, grows: Callable[[date], date]
) -> dict[int, Answer]:
    """The answer to each session as far as it is known; a tree that died answers the last one."""
    found: dict[int, Answer] = {}
    for place, session in enumerate(sessions):
        died = tree.died_on if place == 0 else None
        seen = seen_after(session.seen_after, died)
        # Only shoots can be late.
        late_from = session.done_on if seen.shoots_on is None else grows(session.done_on)
        answer = answer_of(seen, late_from)
        if answer is not None:
            found[session.id] = answer
    return found


def seen_after(rows: Iterable[TreeAnswer], died_on: date | None = None) -> Seen:
    """What was seen after a session, all days together."""
    listed = list(rows)
    lost = [row.leaf_lost_percent for row in listed if row.leaf_lost_percent is not None]
    shoots = [row.shoots_on for row in listed if row.shoots_on is not None]
    return Seen(
        max(lost, default=None),
        min(shoots, default=None),
        any(row.dieback for row in listed),
        any(row.weak for row in listed),
        died_on,
    )


def root_work(
    sessions: tuple[RootSession, ...],
    answers: Mapping[int, Answer],
    grows: Callable[[date], date],
) -> RootWork | None:
    """The last session that opened the ball."""
    worked = (s for s in sessions if opens_ball(s.kind))
    last = next(worked, None)
    if last is None:
        return None
    return RootWork(
        last.kind,
        last.done_on,
        last.share,
        last.bearing,
        answers.get(last.id),
        seen_after(last.seen_after).shoots_on,
        grows(last.done_on),
    )


def strength_of_tree(
    tree: Tree,
    sessions: tuple[RootSession, ...],
    answers: Mapping[int, Answer],
    entered: Mapping[str, Any],
    day: date,
) -> Strength:
    """The lower of what the artist said and what sessions, answers and the bench found."""
    signs = [sign for session in sessions for sign in _found(session.notes or {}, session.done_on)]
    signs += _found(entered, day)
    for session in sessions:
        when = session.done_on + timedelta(days=1)
        if answers.get(session.id) == "poor":
            signs.append(Sign("weak", "it answered its last session poorly", when))
        elif answers.get(session.id) == "fair":
            signs.append(Sign("fair", "it answered its last session only fairly", when))
    return strength_of(tree.strength, tree.strength_said_on, signs, day)


def _found(notes: Mapping[str, Any], on: date) -> list[Sign]:
    """What findings of a session say of a tree's strength."""
    said = f"found {on.day} {on:%B %Y}"
    found = []
    if notes.get("rot"):
        found.append(Sign("weak", f"rot, {said}", on))
    if notes.get("root_colour") == BLACK_TIPS:
        found.append(Sign("weak", f"black, soft root tips, {said}", on))
    if notes.get("pests"):
        found.append(Sign("fair", f"pests, {said}", on))
    return found
