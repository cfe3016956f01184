"""The order of work at the bench: which steps a kind of session has, and what each one says."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from typing import Any, Literal

from pydantic import Field as Given

from mirvo.core.almanac import Species
from mirvo.core.almanac.data_files import Data, read_data
from mirvo.core.almanac.practice import Practice, clears_by, questions
from mirvo.core.errors import BadInput
from mirvo.core.lengths import read_length
from mirvo.core.rootwork.design import FLARE
from mirvo.core.rootwork.kinds import kind_by_key
from mirvo.core.typed_values import read_whole

# From here a person alone strains the back; two lift it, or it is slid.
HEAVY_KG = 20.0
# Soil with water in its pores, root and pot together; dry it weighs about half.
WET_BALL_KG_PER_LITRE = 1.4
# A dug tree's trench lies five to six trunks out, where fine roots still are.
TRENCH_TRUNKS = (5, 6)
# Below this a tied-in ball holds the tree; above, wind works it loose before roots grip.
STAKED_FROM_MM, GUYED_FROM_MM = 250.0, 500.0
HELD_AT_SHARE = 2 / 3
# A note, not a book: what is longer is a paste gone wrong.
MAX_TEXT = 4000
MAX_NUMBER = 20_000.0
# Between these two steps the roots lie bare and must be misted.
BARE_FROM, BARE_UNTIL = "lift", "fill"

# Whose line on a topic is said: the last of these that speaks of it. What a condition names that
# is not here (the height, what came with the tree) makes no line weightier.
# What is found or set at the bench, and changes what is said from then on.
FINDINGS = (
    *("rot", "pests", "matted", "coiled", "foreign_soil", "dark_ring", "layer_where"),
    *("reverse_taper", "swollen"),
)
SOURCES: tuple[frozenset[str], ...] = (
    frozenset(),
    frozenset(questions()) | {"clears"},
    frozenset({"group"}),
    frozenset({"design", "held_bare"}),
    frozenset({*FINDINGS, "black_tips"}),
    frozenset({"kind"}),
)
BLACK_TIPS = "brown-black, soft"
CLOCK = re.compile(r"^(1[0-2]|[1-9])(?::([0-5][05]))?$")
MAX_GRAFTS = 12

Situation = dict[str, Any]


class _Said(Data):
    say: str
    topics: list[str] = Given(default=[])
    when: dict[str, list[Any]] = Given(default={})

    def holds(self, situation: Situation) -> bool:
        return all(situation.get(key) in values for key, values in self.when.items())

    @property
    def source(self) -> int:
        """Its place among `SOURCES`: the weightiest its conditions name."""
        return max(
            place for place, keys in enumerate(SOURCES) if not keys or keys.intersection(self.when)
        )


class Field(Data):
    """One thing asked for at a step.

    only : kinds of session that ask for it. reshapes : what is entered adds or removes steps.
    """

    key: str
    label: str
    kind: Literal["toggle", "number", "choice", "text", "area", "hours", "clock", "pot", "recipe"]
    unit: str = ""
    options: list[str] = Given(default=[])
    only: list[str] = Given(default=[])
    reshapes: bool = False

    def check(self, value: Any) -> Any:
        """The value as it is kept; None clears the field. Raises BadInput at the field."""
        if value is None or value == "":
            return None
        # One method a kind, named after it, so that a new kind without a check fails at once.
        return getattr(self, f"_{self.kind}")(value)

    def _toggle(self, value: Any) -> bool:
        if not isinstance(value, bool):
            raise BadInput(self.key, f"{self.label}: must be yes or no")
        return value

    def _number(self, value: Any) -> float:
        number = self._as_number(str(value))
        if number is None:
            raise BadInput(self.key, f"{self.label}: '{value}' is not a number")
        # Only a height or an angle can fall as well as rise.
        lowest = -500.0 if self.key in ("flare_height_mm", "new_angle_deg") else 0.0
        if not lowest <= number <= MAX_NUMBER:
            raise BadInput(
                self.key,
                f"{self.label}: {value} {self.unit} cannot be; give {lowest:g} to {MAX_NUMBER:g}",
            )
        return number

    def _as_number(self, text: str) -> float | None:
        if self.is_length:
            return read_length(text)
        try:
            # Half of the world writes 2,5.
            return float(text.replace(",", "."))
        except ValueError:
            return None

    @property
    def is_length(self) -> bool:
        """Whether it is kept in mm, whatever unit it is typed in."""
        return self.unit == "mm"

    def _choice(self, value: Any) -> str:
        if value not in self.options:
            raise BadInput(self.key, f"{self.label}: '{value}' is not offered")
        return str(value)

    def _text(self, value: Any) -> str:
        if not isinstance(value, str) or len(value) > MAX_TEXT:
            raise BadInput(self.key, f"{self.label}: at most {MAX_TEXT} letters of text")
        return value.strip()

    _area = _text

    def _pot(self, value: Any) -> str:
        """The number of a row, as text: which there are is known where it is recorded."""
        if read_whole(str(value)) is None:
            raise BadInput(self.key, f"{self.label}: choose one of the list")
        return str(value)

    _recipe = _pot

    def _clock(self, value: Any) -> str:
        """Places on the clock to five minutes, in order: "3:30, 10:05"."""
        # Former versions kept whole hours as a list.
        parts = value if isinstance(value, list) else str(value).replace(";", ",").split(",")
        found = set()
        for part in (str(one).strip() for one in parts):
            read = CLOCK.match(part)
            if read is None:
                said = f"{self.label}: '{part[:20]}' is no place on the clock, such as 3:30"
                raise BadInput(self.key, f"{said}; to five minutes")
            found.add((int(read[1]), int(read[2] or 0)))
        if len(found) > MAX_GRAFTS:
            raise BadInput(self.key, f"{self.label}: at most {MAX_GRAFTS} places")
        return ", ".join(f"{hour}:{minute:02d}" for hour, minute in sorted(found))

    def _hours(self, value: Any) -> list[int]:
        # Not isinstance: a yes counts as a 1 in Python and would pass for one o'clock.
        fine = isinstance(value, list) and all(
            type(hour) is int and 1 <= hour <= 12 for hour in value
        )
        if not fine:
            raise BadInput(self.key, f"{self.label}: must be hours of the clock, 1 to 12")
        return sorted(set(value))


class _Step(Data):
    title: str
    lines: list[_Said] = Given(default=[])
    cautions: list[str] = Given(default=[])
    fields: list[Field] = Given(default=[])


class _Sheet(Data):
    """only : by kind, its steps that are there under a condition alone."""

    steps: dict[str, _Step]
    kinds: dict[str, list[str]]
    only: dict[str, dict[str, dict[str, list[Any]]]]
    cautions: dict[str, _Said]

    def order(self, kind: str, situation: Mapping[str, Any] | None) -> list[str]:
        """The steps of a kind; all there can be without a situation. Raises BadInput."""
        order = self.kinds.get(kind)
        if order is None:
            raise BadInput("kind", f"there is no kind of session called '{kind}'")
        if situation is None:
            return order
        only = self.only.get(kind, {})
        return [
            step
            for step in order
            if all(situation.get(key) in values for key, values in only.get(step, {}).items())
        ]


@dataclass(frozen=True)
class Step:
    """One step of a session: what to do, what to beware of, what to note."""

    key: str
    title: str
    lines: list[str]
    cautions: list[str]
    fields: list[Field]


@cache
def _sheet() -> _Sheet:
    return _Sheet(**read_data("bench.yaml"))


def situation_of(
    kind: str,
    species: Species,
    practice: Practice,
    age: str = "young",
    stage: str = "growing",
    new: bool = False,
    ball_litres: float | None = None,
    trunk_mm: float | None = None,
    height_mm: float | None = None,
    guessed: bool = False,
    answers: Mapping[str, Any] | None = None,
    grafts_planned: bool = False,
    union_mm: float | None = None,
    design: str = FLARE,
    held_bare: bool = False,
) -> Situation:
    """What the lines of the steps depend on.

    Parameters
    ----------
    new : it came within the last year. ball_litres : volume of ball and pot together, guessed
    where nobody measured it.
    trunk_mm : trunk diameter at the ground; a trench follows from it. height_mm : of the
    tree; from it follows whether it is staked or guyed. answers : what was entered so far; what
    was found changes what is said. grafts_planned : the tree's plan sets a graft in this session.
    union_mm : height of its graft union above the soil. design : what its base is to look like.
    held_bare : it came with bare roots and was not potted since.
    """
    entered = answers or {}
    # An unmeasured ball has no weight, so no warning; the step itself still says to lift with
    # care.
    kilograms = (ball_litres or 0.0) * WET_BALL_KG_PER_LITRE
    trench = [f"{times * trunk_mm:.0f}" if trunk_mm else f"{times} ×" for times in TRENCH_TRUNKS]
    return {
        **practice,
        **{key: entered.get(key) for key in FINDINGS},
        "black_tips": entered.get("root_colour") == BLACK_TIPS,
        "layer_stage": entered.get("layer_stage"),
        "grafts": grafts_planned or bool(entered.get("graft_today") or entered.get("graft_hours")),
        "kind": kind,
        "clears": clears_by(practice, species, age),
        "group": species.root_group,
        "stage": stage,
        "new": new,
        "combs": kind_by_key(kind).combs,
        "fixed": "fix" in _sheet().kinds.get(kind, ()),
        "crown": "top" in _sheet().kinds.get(kind, ()),
        "heavy": kilograms > HEAVY_KG,
        "weight_guessed": " by a guess" if guessed else "",
        "weight_kg": f"{kilograms:.0f}",
        "poison": species.caution is not None,
        "strikes": species.root_cuttings,
        "species": species.name,
        "poison_said": f"{species.name}: {species.caution}",
        "design": design,
        "held_bare": held_bare,
        "union": union_mm is not None,
        "union_mm": f"{union_mm or 0.0:.0f}",
        "tall": height_mm is not None,
        "guy": guy_advice(height_mm or 0.0),
        "trench_from": trench[0],
        "trench_to": trench[1],
    }


def guy_advice(height_mm: float) -> str:
    """How a tree whose roots are cut is held: not at all, by a stake, or by three guys."""
    if height_mm < STAKED_FROM_MM:
        return f"At {height_mm:.0f} mm high it stands by itself once it is tied in."
    at = f"{height_mm * HELD_AT_SHARE:.0f} mm"
    if height_mm < GUYED_FROM_MM:
        return f"At {height_mm:.0f} mm high stake it: one padded stake, held at {at}."
    return f"At {height_mm:.0f} mm high guy it to the pot at three points, held at {at}, padded."


def steps_for(situation: Situation) -> list[Step]:
    """The steps of a kind of session: one line a topic, each caution once, where it first matters.

    Raises
    ------
    BadInput : there is no such kind.
    """
    return _steps(situation, _sheet().order(situation["kind"], situation))


def all_steps(kind: str) -> list[Step]:
    """Every step a kind of session can have, whatever is found. Raises BadInput."""
    return _steps({"kind": kind}, _sheet().order(kind, None))


def _steps(situation: Situation, order: Sequence[str]) -> list[Step]:
    sheet, kind = _sheet(), situation["kind"]
    # Cautions that come at every step are no longer read, so each is said once.
    given: set[str] = set()
    silent = _outranked([line for key in order for line in sheet.steps[key].lines], situation)
    made = []
    for key in order:
        step = sheet.steps[key]
        cautions = [
            sheet.cautions[name]
            for name in step.cautions
            if name not in given and sheet.cautions[name].holds(situation)
        ]
        # Marked as given even where it does not hold now: the situation is the same in all steps.
        given.update(step.cautions)
        made.append(
            Step(
                key,
                step.title,
                [
                    _filled(line, situation)
                    for line in step.lines
                    if line.holds(situation) and line.say not in silent
                ],
                [_filled(caution, situation) for caution in cautions],
                [asked for asked in step.fields if not asked.only or kind in asked.only],
            )
        )
    return made


def _outranked(lines: Sequence[_Said], situation: Situation) -> set[str]:
    """What is not said because a line of a higher source speaks of the same topic."""
    settled: set[str] = set()
    silent: set[str] = set()
    # The sort keeps the order of the sheet among lines of one source.
    for line in sorted(lines, key=lambda one: -one.source):
        if not line.holds(situation):
            continue
        if settled.intersection(line.topics):
            silent.add(line.say)
        else:
            settled.update(line.topics)
    return silent


def fields_for(kind: str) -> dict[str, Field]:
    """Every field a kind of session asks for, by key. Raises BadInput."""
    # Without species and practice: fields depend on the kind alone.
    return {field.key: field for step in all_steps(kind) for field in step.fields}


def bares_roots(kind: str) -> bool:
    """Whether roots lie bare between lifting and filling, so that they must be misted."""
    return "clear" in _sheet().kinds.get(kind, [])


def _filled(sentence: _Said, situation: Mapping[str, Any]) -> str:
    text = sentence.say
    # Not format(): a sentence may hold braces of its own, and a missing name leaves a blank.
    for name in (
        "weight_kg",
        "weight_guessed",
        "trench_from",
        "trench_to",
        "guy",
        "species",
        "union_mm",
    ):
        text = text.replace("{" + name + "}", str(situation.get(name, "")))
    return text.replace("{poison}", str(situation.get("poison_said", "")))
