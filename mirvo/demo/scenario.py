"""The demo scenario as it is written in `yard.yaml`."""

from __future__ import annotations

from datetime import date
from importlib.resources import files

import yaml
from pydantic import BaseModel, ConfigDict, Field

from mirvo.core.limits.sessions import BudStage
from mirvo.core.limits.shelf import PotFields
from mirvo.core.limits.targets import TargetFields
from mirvo.core.limits.trees import TreeFields
from mirvo.core.rootwork.cuts import RootFinding
from mirvo.studio.ground.settings import YardFields
from mirvo.studio.shelf.supplies import SupplyFields


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class DemoAnswer(_Part):
    """What was seen of a tree so many days after a session; shoots_days : when its shoots came."""

    days: int
    leaf_lost: float | None = None
    shoots_days: int | None = None
    dieback: bool = False
    weak: bool = False


class DemoSession(_Part):
    """One root session; lengths in mm.

    ball : its depth before and after. pot : its name, length and depth inside. remove_bad : how
    many of the most strongly bending roots go.
    """

    done_on: date
    kind: str
    bud: BudStage = ""
    ball: tuple[float, float]
    slice: float
    woody: float
    pot: tuple[str, float, float]
    container: str
    matted: bool = False
    remove_bad: int = 0
    found: str
    next_time: str
    answer: DemoAnswer | None = None

    @property
    def seen_after_days(self) -> int | None:
        """How many days later it was looked at and photographed."""
        return self.answer.days if self.answer else None


class DemoTree(TreeFields):
    """One tree: its form, its made-up base (seed, trunk, roots left out) and its years.

    thick : roots far thicker than chance made them, and how many times. growth : of the base, mm a
    year. planned_on : a day on which a plan was made. turntable :
    the day it was photographed from all sides. letters_waiting : the newest photo's letters are
    not confirmed. root_notes : what was noted of single roots on the newest photo, by letter.
    layered_on : the day an air layer was set on it, which it still bears.
    """

    model_config = ConfigDict(extra="forbid")
    seed: int
    trunk_mm: float
    drop: frozenset[str] = frozenset()
    thick: dict[str, float] = Field(default={})
    growth: float
    photos: tuple[date, ...]
    sessions: tuple[DemoSession, ...]
    target: TargetFields | None = None
    planned_on: date | None = None
    turntable: date | None = None
    letters_waiting: bool = False
    root_notes: dict[str, RootFinding] = Field(default={})
    layered_on: date | None = None

    @property
    def form(self) -> TreeFields:
        """The tree as it is added; its trunk is measured from photos."""
        entered = self.model_dump(include=set(TreeFields.model_fields))
        return TreeFields.model_validate({**entered, "trunk_mm": None})


class DemoPot(PotFields):
    """A pot of the shelf. stands_in : the tree that stands in it since its last session, if any."""

    model_config = ConfigDict(extra="forbid")
    stands_in: str = ""

    @property
    def form(self) -> PotFields:
        return PotFields.model_validate(self.model_dump(exclude={"stands_in"}))


class DemoSoil(_Part):
    """The studio's soil. stock_l : of components, by name. recipes : parts by component.
    of_group : the recipe of each group of species."""

    stock_l: dict[str, float]
    recipes: dict[str, dict[str, float]]
    of_group: dict[str, str]


class DemoKept(_Part):
    """Something kept on a tree for a while."""

    tree: str
    what: str
    where: str
    since: date
    look_on: date


class DemoSeasons(_Part):
    """Days on which species opened and plants showed their sign, by name."""

    opened: dict[str, tuple[date, ...]]
    plants: dict[str, tuple[date, ...]]


class Scenario(_Part):
    """The whole yard."""

    yard: YardFields
    pots: tuple[DemoPot, ...]
    soil: DemoSoil
    seasons: DemoSeasons
    kept: tuple[DemoKept, ...]
    supplies: tuple[SupplyFields, ...]
    trees: tuple[DemoTree, ...] = Field(min_length=1)


def read_scenario() -> Scenario:
    """The demo yard as written."""
    written = files(__package__).joinpath("yard.yaml").read_text("utf-8")
    return Scenario.model_validate(yaml.safe_load(written))
