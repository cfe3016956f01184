"""Trees: the list, adding, editing without overwriting one another."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Literal

from pydantic import Field, StringConstraints, field_validator
from sqlalchemy import select

from mirvo.core.almanac import USUAL_CONTAINER, rules
from mirvo.core.errors import BadInput, Conflict
from mirvo.core.forms import FormModel
from mirvo.core.lengths import LENGTH
from mirvo.core.season import BUD_STAGES
from mirvo.records.database import DbSession, find_kept
from mirvo.records.models import Tree, Yard
from mirvo.records.plain import plain
from mirvo.studio.almanac.species import all_species
from mirvo.studio.context import Studio
from mirvo.studio.tree_queries import load_tree
from mirvo.studio.yard.known_rows import once_for_all
from mirvo.studio.yard.settings import SAVED_ELSEWHERE, yard_of

ORIGINS = (
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
)
MAX_OFFCUTS = 20
OFFSPRING_ORIGIN = {"offcut": "root cutting", "layer": "air layer"}
STAGES = ("growing", "refining", "showing")
STRENGTHS = ("strong", "fair", "weak")
AGES = ("young", "mature", "old")
MAX_TAGS, MAX_TAG = 12, 30
Text = Annotated[str, StringConstraints(strip_whitespace=True, max_length=4000)]


class TreeForm(FormModel):
    """What can be said of a tree; lengths in mm."""

    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=80)]
    species_key: str
    origin: Text = ORIGINS[0]
    acquired_on: date | None = None
    stage: Literal["growing", "refining", "showing"] = "growing"
    strength: Literal["strong", "fair", "weak"] = "strong"
    age_class: Literal["young", "mature", "old"] = "young"
    age_years: Annotated[int, Field(ge=0, le=2000)] | None = None
    height_mm: Annotated[float, LENGTH, Field(gt=0, le=20_000, allow_inf_nan=False)] | None = None
    trunk_mm: Annotated[float, LENGTH, Field(gt=0, le=3_000, allow_inf_nan=False)] | None = None
    container: str = USUAL_CONTAINER
    pot_depth_mm: Annotated[float, LENGTH, Field(gt=0, le=2_000, allow_inf_nan=False)] | None = None
    worth: Literal["heirloom", "usual", "free to try"] = "usual"
    water_dish: bool = False
    under_glass: bool = False
    keeps_soil: bool = False
    foreign_soil: Annotated[str, StringConstraints(strip_whitespace=True, max_length=200)] = ""
    note: Text = ""
    tags: tuple[str, ...] = ()
    former_owners: Annotated[str, StringConstraints(strip_whitespace=True, max_length=400)] = ""
    price: Annotated[str, StringConstraints(strip_whitespace=True, max_length=40)] = ""
    batch: Annotated[str, StringConstraints(strip_whitespace=True, max_length=60)] = ""
    understock_key: str = ""
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

    @field_validator("container")
    @classmethod
    def _known_container(cls, value: str) -> str:
        if value not in rules().containers:
            raise BadInput("container", f"'{value}' is not a container Mirvo knows")
        return value


def _check(yard: Yard, form: TreeForm, today: date) -> None:
    known = {species.key for species in all_species(yard)}
    if form.species_key not in known:
        raise BadInput("species_key", f"the almanac has no species '{form.species_key}'")
    if form.understock_key and form.understock_key not in known:
        raise BadInput("understock_key", f"the almanac has no species '{form.understock_key}'")
    # A tree that comes tomorrow is not here to be worked.
    if form.acquired_on is not None and form.acquired_on > today:
        raise BadInput("acquired_on", "the day the tree came lies in the future")


def add_tree(studio: Studio, form: TreeForm) -> Tree:
    """Add a tree. Raises BadInput at the field concerned."""
    tree = Tree(**form.model_dump(), created_at=studio.now, updated_at=studio.now, version=1)
    with studio.writing() as db:
        _check(yard_of(db), form, studio.today)
        db.add(tree)
    return tree


def put_offspring(
    db: DbSession, parent: Tree, what: str, count: int, day: date, now: datetime
) -> list[Tree]:
    """New trees from offcuts with root hair or a separated layer, their parent kept.

    what : "offcut" or "layer".
    """
    made = []
    for number in range(1, min(count, MAX_OFFCUTS) + 1):
        form = TreeForm(
            # The parent's name is cut so that the whole fits the column.
            name=f"{parent.name[:60]} {what} {day:%Y}-{number}",
            species_key=parent.species_key,
            origin=OFFSPRING_ORIGIN[what],
            acquired_on=day,
            strength="fair",
            container="usual pot",
            note=f"{what.capitalize()} of {parent.name}.",
        )
        tree = Tree(**form.model_dump(), parent_id=parent.id, version=1)
        tree.created_at = tree.updated_at = now
        db.add(tree)
        made.append(tree)
    return made


def offspring(db: DbSession, tree: Tree, today: date) -> tuple[Tree | None, tuple[Tree, ...]]:
    """The tree an offcut came from, and the trees kept from this one's offcuts."""
    parent = None if tree.parent_id is None else find_kept(db, Tree, tree.parent_id)
    return parent, _all_offspring(db, today).get(tree.id, ())


@once_for_all
def _all_offspring(db: DbSession, today: date) -> dict[int, tuple[Tree, ...]]:
    """Trees kept from offcuts, by the number of the tree they came from."""
    query = select(Tree).where(Tree.parent_id.is_not(None), Tree.kept()).order_by(Tree.id)
    found: dict[int, tuple[Tree, ...]] = {}
    for child in db.scalars(query):
        if child.parent_id is not None:
            found[child.parent_id] = (*found.get(child.parent_id, ()), plain(child))
    return found


def edit_tree(studio: Studio, tree_id: int, form: TreeForm, version: int) -> Tree:
    """Save an edit begun on `version`. Raises Conflict when it was saved since."""
    with studio.writing() as db:
        _check(yard_of(db), form, studio.today)
        tree = load_tree(db, tree_id)
        # Two tabs: the second to save is shown both, and decides.
        if tree.version != version:
            raise Conflict("version", SAVED_ELSEWHERE.format("This tree was"))
        if form.strength != tree.strength:
            # Said anew, with all that was found until today in mind.
            tree.strength_said_on = studio.today
        for name, value in form.model_dump().items():
            setattr(tree, name, value)
        tree.version, tree.updated_at = version + 1, studio.now
    return tree


def see_buds(studio: Studio, tree_id: int, stage: str) -> None:
    """Keep what the buds of a tree look like today; "" takes it back.

    Raises
    ------
    BadInput : a stage Mirvo does not know.
    """
    if stage and stage not in BUD_STAGES:
        raise BadInput("buds", f"'{stage}' is not one of {', '.join(BUD_STAGES)}")
    with studio.writing() as db:
        tree = load_tree(db, tree_id)
        # What was seen holds for its day; without a stage there is no day.
        tree.buds_seen, tree.buds_seen_on = stage, studio.today if stage else None


def say_strength(studio: Studio, tree_id: int, strength: str) -> None:
    """Say how strong a tree is, with all that was found until today in mind.

    Raises
    ------
    BadInput : a word Mirvo does not know.
    """
    if strength not in STRENGTHS:
        raise BadInput("strength", f"'{strength}' is not one of {', '.join(STRENGTHS)}")
    with studio.writing() as db:
        tree = load_tree(db, tree_id)
        tree.strength, tree.strength_said_on = strength, studio.today
        tree.updated_at, tree.version = studio.now, tree.version + 1
