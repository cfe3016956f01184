"""Trees, and grafts set on them."""

from __future__ import annotations

from collections.abc import Collection
from typing import Annotated, Literal

from pydantic import AfterValidator, Field, StringConstraints, field_validator
from pydantic_core import PydanticCustomError

from mirvo.core.almanac import USUAL_CONTAINER, rules
from mirvo.core.errors import BadInput
from mirvo.core.lengths import LENGTH
from mirvo.core.limits.base import (
    Limits,
    Name,
    Note,
    PastDay,
    RowNumber,
    TreeHeightMm,
    TrunkMm,
)
from mirvo.core.rootwork.design import DESIGNS as DESIGNS
from mirvo.core.rootwork.design import FLARE, Design

Origin = Literal[
    "nursery container",
    "field grown",
    "dug from a garden",
    "collected with permission",
    "seed",
    "cutting",
    "root cutting",
    "air layer",
    "graft",
    "division",
    "volunteer seedling",
    "bare-root purchase",
]
Stage = Literal["growing", "refining", "showing"]
Strength = Literal["strong", "fair", "weak"]
Age = Literal["young", "mature", "old"]
Worth = Literal["heirloom", "usual", "free to try"]
GraftKind = Literal["root graft", "branch graft", "approach graft"]
ORIGINS: tuple[Origin, ...] = Origin.__args__  # type: ignore[attr-defined]
STAGES: tuple[Stage, ...] = Stage.__args__  # type: ignore[attr-defined]
STRENGTHS: tuple[Strength, ...] = Strength.__args__  # type: ignore[attr-defined]
AGES: tuple[Age, ...] = Age.__args__  # type: ignore[attr-defined]
WORTHS: tuple[Worth, ...] = Worth.__args__  # type: ignore[attr-defined]
GRAFT_KINDS: tuple[GraftKind, ...] = GraftKind.__args__  # type: ignore[attr-defined]
MAX_TAGS, MAX_TAG = 12, 30


def _known_container(name: str) -> str:
    if name not in rules().containers:
        said = f"“{name[:40]}” is no container. Choose one of {', '.join(rules().containers)}."
        raise PydanticCustomError("container_unknown", "{said}", {"said": said})
    return name


# What the tree grows in, by its name in the rules.
Container = Annotated[str, AfterValidator(_known_container)]


WateringDays = Annotated[float, Field(gt=0, le=60, allow_inf_nan=False)]


class WateringFields(Limits):
    """How many days usually lie between waterings of a tree."""

    usual_watering_days: WateringDays | None = None


class TreeFields(Limits):
    """A tree; lengths in mm."""

    name: Name
    species_key: Annotated[str, Field(max_length=60)]
    origin: Origin = "nursery container"
    acquired_on: PastDay | None = None
    dug_on: PastDay | None = None
    separated_on: PastDay | None = None
    last_repotted_on: PastDay | None = None
    in_ground: bool = False
    held_bare: bool = False
    design: Design = FLARE
    stage: Stage = "growing"
    strength: Strength = "strong"
    age_class: Age = "young"
    age_years: Annotated[int, Field(ge=0, le=2000)] | None = None
    height_mm: TreeHeightMm | None = None
    trunk_mm: TrunkMm | None = None
    container: Container = USUAL_CONTAINER
    pot_depth_mm: Annotated[float, LENGTH, Field(gt=0, le=2_000, allow_inf_nan=False)] | None = None
    worth: Worth = "usual"
    water_dish: bool = False
    under_glass: bool = False
    usual_watering_days: WateringDays | None = None
    keeps_soil: bool = False
    foreign_soil: Annotated[str, StringConstraints(strip_whitespace=True, max_length=200)] = ""
    note: Note = ""
    tags: tuple[str, ...] = ()
    former_owners: Annotated[str, StringConstraints(strip_whitespace=True, max_length=400)] = ""
    price: Annotated[str, StringConstraints(strip_whitespace=True, max_length=40)] = ""
    batch: Annotated[str, StringConstraints(strip_whitespace=True, max_length=60)] = ""
    understock_key: Annotated[str, Field(max_length=60)] = ""
    graft_height_mm: Annotated[float, LENGTH, Field(ge=0, le=5_000, allow_inf_nan=False)] | None = (
        None
    )

    @field_validator("tags", mode="before")
    @classmethod
    def _tags_apart(cls, value: object) -> object:
        """As typed, with commas between them; a form sends one field, a record has each apart."""
        typed = [value] if isinstance(value, str) else value
        if not isinstance(typed, (list, tuple)) or not all(isinstance(one, str) for one in typed):
            return value
        apart = (tag.strip().lower() for one in typed for tag in one.split(","))
        tags = dict.fromkeys(tag for tag in apart if tag)
        if len(tags) > MAX_TAGS or any(len(tag) > MAX_TAG for tag in tags):
            raise BadInput("tags", f"at most {MAX_TAGS} tags of at most {MAX_TAG} letters")
        return tuple(tags)

    def check_species(self, known: Collection[str]) -> None:
        """Refuse a species no almanac has. Raises BadInput at the field."""
        for name in ("species_key", "understock_key"):
            key = getattr(self, name)
            if (key or name == "species_key") and key not in known:
                raise BadInput(name, unknown_species(key))


class GraftFields(Limits):
    """A graft set on a tree. donor_id : the tree it came from, None for one of no record."""

    kind: GraftKind = "root graft"
    donor_id: RowNumber | None = None
    grafted_on: PastDay | None = None
    place: Annotated[str, StringConstraints(strip_whitespace=True, max_length=120)] = ""


def unknown_species(key: str) -> str:
    """The sentence on a species no almanac has."""
    return f"The almanac has no species “{key[:60]}”. Choose one it has, or add this one first."
