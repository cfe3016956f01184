"""A short tour: the places in the order of work, on a tree of the yard."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select

from mirvo.records.database import DbSession
from mirvo.records.models import Target, Tree

# Title, address ({0} stands for the tree that is shown), and what the place is for.
STOPS = (
    (
        "The Bench",
        "/",
        "The year from today, a lane for each tree: its window as a bar, the planned day as a knob "
        "you can drag, what will be done under it. At the side what wants doing today.",
    ),
    (
        "Trees",
        "/trees",
        "All bases from above, to one scale and with the front below, so that you see which "
        "spreads evenly and which has a gap. Order them by what is due or by gap.",
    ),
    (
        "One tree",
        "/trees/{0}",
        "The base from above, and under the soil line its ball with every session that took some "
        "of it. Below, its base year by year: touch one to see it in the plan.",
    ),
    (
        "Photos and root desk",
        "/trees/{0}/photos",
        "A photo from above with the printed card beside the trunk is all that measuring needs. "
        "On the root desk the card, the trunk and the roots are found; you put right what is not.",
    ),
    (
        "Is it time?",
        "/trees/{0}/time",
        "Whether to repot, feed, wait or let it rest, with the reasons for and against. Every "
        "other page says the same of the tree.",
    ),
    (
        "Path",
        "/trees/{0}/path",
        "Say how wide the flare and how shallow the pot are to be. Three paths lead there, with "
        "what each session may cost the tree and the chance to be there by a year.",
    ),
    (
        "Kit",
        "/kit",
        "The card to print, your calendar, backups, and what was thrown away in the last 30 days. "
        "That is all: add a tree of your own and begin.",
    ),
)


@dataclass(frozen=True)
class Stop:
    """One stop of the tour. number : from 1. before, after : addresses, None at either end."""

    number: int
    of: int
    title: str
    words: str
    before: str | None
    after: str | None


def tour_step(db: DbSession, asked: str) -> Stop | None:
    """The stop an address asks for; None where it asks for none, or there is no tree to show."""
    wanted = next((n for n in range(1, len(STOPS) + 1) if str(n) == asked), None)
    if wanted is None:
        return None
    tree = _tree_shown(db)
    if tree is None:
        return None

    def leads_to(number: int) -> str | None:
        if not 1 <= number <= len(STOPS):
            return None
        return f"{STOPS[number - 1][1].format(tree)}?tour={number}"

    title, _, words = STOPS[wanted - 1]
    return Stop(wanted, len(STOPS), title, words, leads_to(wanted - 1), leads_to(wanted + 1))


def _tree_shown(db: DbSession) -> int | None:
    """The first living tree, one with a target before others."""
    found = (
        select(Tree.id)
        .outerjoin(Target, Target.tree_id == Tree.id)
        .where(Tree.kept(), Tree.died_on.is_(None))
        .order_by(Target.tree_id.is_(None), Tree.id)
        .limit(1)
    )
    return db.scalar(found)
