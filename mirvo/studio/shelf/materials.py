"""Materials: what each planned session uses up, and the season's list."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from mirvo.core.plan.case import FINAL
from mirvo.core.plan.records import PlannedStep
from mirvo.core.pot import Ball, Item, Pot, Use, materials, pot_for, short_of, summed
from mirvo.core.pot.soil import Mix
from mirvo.core.pot.tools import tools_for
from mirvo.records.database import DbSession
from mirvo.records.models import RootSession, Supply, Target, Tree, Yard
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.ground.state_cache import kept_for_all
from mirvo.studio.shelf.soil import components, recipes
from mirvo.studio.shelf.supplies import less_stock, supplies
from mirvo.studio.standing.kept_plans import step_of
from mirvo.studio.standing.pot_of_tree import ball_of_tree, pot_of_tree
from mirvo.studio.standing.practice import practice_for
from mirvo.studio.standing.tree_list import TreeRow, due_rows

SOIL, LITRES = "soil", "l"
# What a path plans are sessions of this kind.
ROUTINE = "routine"


@dataclass(frozen=True)
class SeasonTree:
    """One tree of the season with what its session uses up; `step` is None when none is planned.

    recipe : what its soil was mixed by last time, None where that was not said.
    """

    row: TreeRow
    step: PlannedStep | None
    items: list[Item]
    tools: tuple[str, ...]
    recipe: str | None = None


@dataclass(frozen=True)
class SeasonList:
    """The season's trees and all they use up together.

    soil : components of the recipes, before sieving. missing : litres to get of those the stock is
    too small of. counted : what else lies on the shelf. tools : all that any of them wants.
    """

    trees: list[SeasonTree]
    together: list[Item]
    soil: list[Item]
    missing: list[Item]
    tools: tuple[str, ...]
    counted: list[Supply]

    @property
    def to_get(self) -> list[Item]:
        """What has to be got before the season: all that is not counted in a stock, and what is
        missing of the soil."""
        mixed = {item.name for item in self.soil}
        rest = [item for item in self.together if not (mixed and item.name == SOIL)]
        return [*self.missing, *less_stock(rest, self.counted)]


def step_materials(
    yard: Yard,
    tree: Tree,
    trunk_mm: float,
    sessions: Sequence[RootSession],
    target: Target,
    step: PlannedStep,
) -> list[Item]:
    """What one planned step uses up, in the pot it stands in or one worked out for it."""
    stands_in, ball_mm = pot_of_tree(tree, sessions), step.ball_after_mm
    now = stands_in.whole(trunk_mm)
    ball = ball_of_tree(sessions, now, ball_mm)
    if step.sides_after_mm is not None:
        length, width = step.sides_after_mm
        ball = Ball(length, width, ball_mm, ball.guessed)
    stays = step.container == tree.container and step.container != FINAL
    size = pot_for(step.container, now, trunk_mm, ball_mm, target.pot_depth_mm, stays)
    size = _named_pot(step, target) or size
    return materials(
        Use(
            step.container,
            size,
            ball,
            trunk_mm,
            stands_in.holes if stays else None,
            tree.height_mm,
            sum(1 for part in step.parts.values() if part >= 1),
            len(step.grafts),
            step.layer == "make",
            practice_for(yard, tree),
        )
    )


def _named_pot(step: PlannedStep, target: Target) -> Pot | None:
    """The pot a step leads into where all its sizes are known: of the shelf, or the target's."""
    if step.pot_inside_mm is not None:
        depth, length, width = step.pot_inside_mm
    elif step.container == FINAL:
        depth, length, width = target.pot_depth_mm, target.pot_length_mm, target.pot_width_mm
    else:
        return None
    return Pot("rectangle", length, width, depth) if length and width else None


def season_list(db: DbSession, today: date) -> SeasonList:
    """What the trees due now and soon use up, by the newest plan of each."""
    needed = _needed(db, today)
    # Litres by recipe, so that each is parted once.
    litres: dict[int, tuple[Mix, float]] = {}
    # Nothing is asked of the shelf where no session was mixed by a recipe.
    known = {one.recipe.id: one for one in recipes(db)} if needed.mixed else {}
    found = []
    for one in needed.trees:
        said = (session.recipe_id for session in one.row.stands.sessions)
        recipe = next((known[number] for number in said if number in known), None)
        soil = next((item.amount for item in one.items if item.name == SOIL), 0.0)
        if recipe is not None and recipe.mix is not None:
            _, before = litres.get(recipe.recipe.id, (recipe.mix, 0.0))
            litres[recipe.recipe.id] = recipe.mix, before + soil
        name = None if recipe is None else recipe.recipe.name
        found.append(SeasonTree(one.row, one.step, one.items, one.tools, name))
    amounts = [one for mix, wanted in litres.values() for one in mix.amounts(wanted)]
    shelf = components(db) if amounts else []
    stock = {one.name: one.stock_l for one in shelf if one.stock_l is not None}
    # Of what nobody counts nobody knows whether there is enough.
    counted = [amount for amount in amounts if amount.name in stock]
    missing = short_of(stock, counted)
    return SeasonList(
        found,
        needed.together,
        summed([Item(each.name, each.litres_unsieved, LITRES)] for each in amounts),
        [Item(name, round(litres, 1), LITRES) for name, litres in sorted(missing.items())],
        needed.tools,
        # With nothing to be used up nothing is asked of the shelf.
        supplies(db) if needed.together else [],
    )


@dataclass(frozen=True)
class _Needed:
    """What follows from the trees alone, without the shelf. mixed : whether any of them was ever
    mixed for by a recipe."""

    trees: list[SeasonTree]
    together: list[Item]
    tools: tuple[str, ...]
    mixed: bool


@kept_for_all
def _needed(db: DbSession, today: date) -> _Needed:
    yard, due = yard_of(db), due_rows(db, today)
    trees = [SeasonTree(row, *row.once(_needs, yard)) for row in due]
    return _Needed(
        trees,
        summed(one.items for one in trees),
        tuple(dict.fromkeys(tool for one in trees for tool in one.tools)),
        any(one.recipe_id is not None for row in due for one in row.stands.sessions),
    )


def as_text(season: SeasonList) -> str:
    """The list as plain text, to be sent on or taken along."""
    lines = ["To get:", *(f"- {_said(item)}" for item in season.to_get), "", "Tree by tree:"]
    for one in season.trees:
        if one.step is not None:
            what = ", ".join(_said(item) for item in one.items)
            lines.append(f"- {one.row.tree.name}, {one.step.year}, {one.step.container}: {what}")
    if season.tools:
        lines += ["", "Tools: " + ", ".join(season.tools)]
    return "\n".join([*lines, ""])


def _said(item: Item) -> str:
    return f"{item.name} {item.amount:g}{' ' + item.unit if item.unit else ''}"


def _needs(row: TreeRow, yard: Yard) -> tuple[PlannedStep | None, list[Item], tuple[str, ...]]:
    """What a tree's path plans for its next window, what that uses up, and the tools for it."""
    plan, target = row.stands.plan, row.target
    step = None if plan is None else step_of(plan, yard.school, row.window.year)
    if step is None or target is None or row.measured is None:
        return None, [], ()
    trunk = row.measured.trunk_diameter_mm.value
    tree, cuts = row.tree, bool(step.fault_parts)
    practice = practice_for(yard, tree)
    tools = tools_for(row.species, ROUTINE, tree.origin, tree.age_class, trunk, cuts, practice)
    return step, step_materials(yard, tree, trunk, row.stands.sessions, target, step), tools
