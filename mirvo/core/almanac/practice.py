"""The practice profile: the questions practitioners answer differently, and the answers held."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache

from mirvo.core.almanac.data_files import Data, read_data
from mirvo.core.almanac.species import Species
from mirvo.core.errors import BadInput

Practice = dict[str, str]
# Groups whose roots bear running water; the others lose their fungi with it.
WASHED_GROUPS = ("temperate deciduous", "warm-climate", "water-loving")


class Answer(Data):
    name: str
    why: str


class Question(Data):
    """One question; `presets` are the answers of the gentle, steady and bold practice."""

    asks: str
    answers: dict[str, Answer]
    presets: tuple[str, str, str]


class _Sheet(Data):
    presets: tuple[str, str, str]
    questions: dict[str, Question]


@cache
def _sheet() -> _Sheet:
    return _Sheet(**read_data("practice.yaml"))


def questions() -> dict[str, Question]:
    """Every question by its key, in the order of the almanac page."""
    return _sheet().questions


def preset(name: str) -> Practice:
    """All answers of one preset: gentle, steady or bold. Raises BadInput."""
    known = _sheet().presets
    if name not in known:
        raise BadInput("preset", f"'{name}' is not one of {', '.join(known)}")
    # Presets stand in the same order in every question.
    place = known.index(name)
    return {key: question.presets[place] for key, question in questions().items()}


def check(answers: Mapping[str, str]) -> Practice:
    """Answers to some of the questions, as given. Raises BadInput for an unknown one."""
    for key, answer in answers.items():
        question = questions().get(key)
        if question is None:
            raise BadInput(key, f"the practice profile does not ask for '{key}'")
        if answer not in question.answers:
            raise BadInput(key, f"'{answer}' is not one of {', '.join(question.answers)}")
    return dict(answers)


def practice_of(studio: Mapping[str, str], tree: Mapping[str, str] | None = None) -> Practice:
    """The answers that hold for a tree: its own, else the studio's, else those of steady."""
    # The later wins: a tree's own answer over the studio's, and that over the preset.
    return {**preset("steady"), **studio, **(tree or {})}


def clears_by(practice: Practice, species: Species, age: str) -> str:
    """wash or core: how old soil is cleared from this tree. What a species forbids is not done."""
    # The species' rule is not a matter of taste, so no answer overrides it.
    if not species.wash_allowed:
        return "core"
    if practice["clearing"] != "group":
        return practice["clearing"]
    return "wash" if species.root_group in WASHED_GROUPS and age != "old" else "core"
