"""How trees answered their sessions, what it teaches by species, and trees that died."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from sqlalchemy import select

from mirvo.core.errors import BadInput
from mirvo.core.limits.base import Limits, Note, PastDay
from mirvo.core.limits.care import AnswerFields
from mirvo.core.season.growth import growing_from
from mirvo.core.standing.answer import Answer, Experience, Seen, answer_of, experience_of
from mirvo.records.database import DbSession
from mirvo.records.models import RootSession, Tree, TreeAnswer
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.ground.state_cache import kept_for_all
from mirvo.studio.records.aftercare import replan_care
from mirvo.studio.records.root_sessions import load_session
from mirvo.studio.standing.evidence import seen_after
from mirvo.studio.standing.species import species_of_tree
from mirvo.studio.standing.tree_queries import load_tree
from mirvo.studio.standing.weather import place_of


class DeathFields(Limits):
    """When a tree died, of what, and what the artist would do otherwise."""

    died_on: PastDay | None = None
    died_of: Note = ""
    would_do_otherwise: Note = ""


@dataclass(frozen=True)
class AnswerSeen:
    """What was seen after a session, day by day, and the answer it comes to."""

    rows: tuple[TreeAnswer, ...]
    seen: Seen
    answer: Answer | None


def put_answer(
    studio: Studio, session_id: int, form: AnswerFields, shoots_today: bool = False
) -> int:
    """Keep what is seen of a tree after a session; the tree's number.

    Raises
    ------
    NotFound : there is no such session. BadInput : shoots from before it, or nothing was said.
    """
    form.check_days(studio.today)
    with studio.writing() as db:
        session = load_session(db, session_id)
        shoots = studio.today if shoots_today else form.shoots_on
        if shoots is not None and not session.done_on <= shoots <= studio.today:
            raise BadInput("shoots_on", "New shoots come after the session and not after today.")
        if form.leaf_lost_percent is None and shoots is None and not (form.dieback or form.weak):
            raise BadInput("leaf_lost_percent", "Say what you see: leaf lost, shoots, dieback.")
        db.add(
            TreeAnswer(
                session_id=session_id,
                seen_on=studio.today,
                leaf_lost_percent=form.leaf_lost_percent,
                shoots_on=shoots,
                dieback=form.dieback,
                weak=form.weak,
            )
        )
        tree = load_tree(db, session.tree_id)
        tree.updated_at = studio.now
        db.flush()
        replan_care(db, tree, studio.today)
        return session.tree_id


def answers_seen(db: DbSession, session: RootSession) -> AnswerSeen:
    """What was seen of a tree after a session."""
    query = select(TreeAnswer).where(TreeAnswer.session_id == session.id)
    rows = tuple(db.scalars(query.order_by(TreeAnswer.seen_on, TreeAnswer.id)))
    seen = seen_after(rows)
    tree = load_tree(db, session.tree_id)
    return AnswerSeen(rows, seen, answer_of(seen, _grows(db, tree, session.done_on)))


def _grows(db: DbSession, tree: Tree, day: date) -> date:
    """The day from which a tree worked on a day can answer."""
    yard = yard_of(db)
    return growing_from(species_of_tree(yard, tree), place_of(yard), day)


def say_died(studio: Studio, tree_id: int, form: DeathFields) -> None:
    """A tree died: it leaves the bench, its record stays; an empty day takes it back.

    Raises
    ------
    BadInput : a day to come.
    """
    form.check_days(studio.today)
    with studio.writing() as db:
        tree = load_tree(db, tree_id)
        tree.died_on, tree.died_of = form.died_on, form.died_of
        tree.would_do_otherwise = form.would_do_otherwise
        tree.updated_at, tree.version = studio.now, tree.version + 1


@kept_for_all
def experience_with(db: DbSession, species_key: str) -> Experience:
    """What the studio's own sessions on a species came to."""
    query = (
        select(RootSession, Tree)
        .join(Tree, Tree.id == RootSession.tree_id)
        .where(Tree.species_key == species_key, Tree.kept(), RootSession.kept())
        .order_by(RootSession.tree_id, RootSession.done_on, RootSession.id)
    )
    sessions = [(session, tree) for session, tree in db.execute(query)]
    ids = [session.id for session, _ in sessions]
    rows: dict[int, list[TreeAnswer]] = {}
    for row in db.scalars(select(TreeAnswer).where(TreeAnswer.session_id.in_(ids))):
        rows.setdefault(row.session_id, []).append(row)
    last = {tree.id: session.id for session, tree in sessions}
    found: list[tuple[float | None, Answer | None]] = []
    for session, tree in sessions:
        died = tree.died_on if last[tree.id] == session.id else None
        seen = seen_after(rows.get(session.id, ()), died)
        answer = answer_of(seen, _grows(db, tree, session.done_on))
        found.append((session.share, answer))
    return experience_of(found)
