"""The practice profile: the studio's answers, and those one tree has for itself."""

from __future__ import annotations

from mirvo.core.almanac.practice import Practice, check, practice_of, preset
from mirvo.core.almanac.practice import questions as all_questions
from mirvo.core.errors import BadInput
from mirvo.records.database import DbSession
from mirvo.records.models import Tree, Yard
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import put_yard, yard_of
from mirvo.studio.standing.tree_queries import load_tree

AS_STUDIO = ""


def practice_for(yard: Yard, tree: Tree | None = None) -> Practice:
    """The answers that hold: a tree's own, else the studio's, else the preset of its school."""
    studio = {**preset(yard.school), **(yard.practice or {}), "budget": yard.school}
    return practice_of(studio, tree.practice if tree is not None else None)


def save_practice(studio: Studio, answers: Practice) -> None:
    """Keep the studio's answers. Raises BadInput at the question concerned."""
    kept = check(answers)
    with studio.writing() as db:
        put_yard(db, practice=kept, school=kept.get("budget", yard_of(db).school))


def take_preset(studio: Studio, name: str) -> None:
    """Answer every question as a preset does. Raises BadInput."""
    save_practice(studio, preset(name))


def save_tree_practice(studio: Studio, tree_id: int, answers: Practice) -> None:
    """Keep what one tree has otherwise than the studio; an empty answer follows the studio."""
    own = check({key: answer for key, answer in answers.items() if answer != AS_STUDIO})
    with studio.writing() as db:
        tree = load_tree(db, tree_id)
        tree.practice, tree.updated_at = own, studio.now


def own_answers(db: DbSession, tree_id: int) -> Practice:
    """What a tree has otherwise than the studio."""
    return dict(load_tree(db, tree_id).practice or {})


def answers_from(fields: dict[str, str]) -> Practice:
    """The answers among the fields of a sent form. Raises BadInput."""
    known = {key: value for key, value in fields.items() if key in all_questions()}
    if not known:
        raise BadInput("practice", "no answer was sent")
    return known
