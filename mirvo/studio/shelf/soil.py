"""Soil of the studio: components with their stock, recipes, and what a pot takes of one."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from sqlalchemy import select

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.limits.shelf import ComponentFields
from mirvo.core.pot import Amount, Mix, Part, Pot, WetZone, usual_components, watering_ratio
from mirvo.core.typed_values import read_number
from mirvo.records.database import DbSession
from mirvo.records.models import RootSession, SoilComponent, SoilRecipe
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.set_aside import keep_deleted
from mirvo.studio.ground.state_cache import kept_by_settings

MOST_PARTS = 1000.0
PART = "part-"
# What a mix is looked at in before a pot is chosen.
SAMPLE_POT = Pot("rectangle", 300.0, 210.0, 50.0)


@dataclass(frozen=True)
class KnownRecipe:
    """A recipe with its mix; `mix` is None where none of its components is there any more."""

    recipe: SoilRecipe
    mix: Mix | None


@dataclass(frozen=True)
class PotOfSoil:
    """What a pot takes of a mix: amounts, how high it stays wet, with a coarse layer and without.

    ratio : days between waterings, of those in the former mix; None where there is none to
    compare with.
    """

    litres: float
    amounts: list[Amount]
    plain: WetZone
    layered: WetZone
    ratio: float | None


@kept_by_settings
def components(db: DbSession) -> list[SoilComponent]:
    """All components, by name."""
    return list(db.scalars(select(SoilComponent).order_by(SoilComponent.name)))


@kept_by_settings
def recipes(db: DbSession) -> list[KnownRecipe]:
    """All recipes with their mixes, by name."""
    known = {str(one.id): one for one in components(db)}
    found = db.scalars(select(SoilRecipe).order_by(SoilRecipe.name))
    return [KnownRecipe(recipe, _mix(recipe, known)) for recipe in found]


@kept_by_settings
def recipe_choices(db: DbSession) -> list[tuple[int, str]]:
    """Number and name of every recipe, by name."""
    query = select(SoilRecipe.id, SoilRecipe.name).order_by(SoilRecipe.name)
    return [(number, name) for number, name in db.execute(query)]


def recipe_of(db: DbSession, recipe_id: int) -> KnownRecipe:
    """One recipe. Raises NotFound."""
    found = next((one for one in recipes(db) if one.recipe.id == recipe_id), None)
    if found is None:
        raise NotFound("recipe", "there is no such recipe")
    return found


def _mix(recipe: SoilRecipe, known: dict[str, SoilComponent]) -> Mix | None:
    parts = tuple(
        Part(known[number].grain, parts)
        for number, parts in (recipe.parts or {}).items()
        if number in known and 0 < parts <= MOST_PARTS
    )
    return Mix(parts) if parts else None


def begin_with_usual(studio: Studio) -> None:
    """Put the usual components on the shelf, those that are not there yet."""
    with studio.writing() as db:
        known = set(db.scalars(select(SoilComponent.name)))
        for grain, ph in usual_components():
            if grain.name not in known:
                db.add(
                    SoilComponent(
                        name=grain.name,
                        from_mm=grain.from_mm,
                        to_mm=grain.to_mm,
                        kg_per_l=grain.kg_per_l,
                        water=grain.water,
                        air=grain.air,
                        loss=grain.loss,
                        ph=ph,
                    )
                )


def keep_component(studio: Studio, form: ComponentFields, component_id: int | None = None) -> None:
    """Add a component or put one right. Raises BadInput."""
    with studio.writing() as db:
        same = select(SoilComponent.id).where(SoilComponent.name == form.name)
        if db.scalar(same) not in (None, component_id):
            raise BadInput("name", "there is one of that name")
        row = SoilComponent() if component_id is None else _component(db, component_id)
        row.name = form.name
        for name in ("from_mm", "to_mm", "kg_per_l", "ph", "stock_l"):
            setattr(row, name, getattr(form, name))
        row.cost = form.cost
        row.water, row.air, row.loss = form.water / 100, form.air / 100, form.loss / 100
        db.add(row)


def drop_component(studio: Studio, component_id: int) -> None:
    """Delete a component. Raises BadInput while a recipe is mixed of it."""
    with studio.writing() as db:
        row = _component(db, component_id)
        for recipe in db.scalars(select(SoilRecipe)):
            if str(component_id) in (recipe.parts or {}):
                raise BadInput("name", f"{recipe.name} is mixed of it")
        keep_deleted(db, studio.now, row, f"Soil component {row.name}")


def _component(db: DbSession, component_id: int) -> SoilComponent:
    row = db.get(SoilComponent, component_id)
    if row is None:
        raise NotFound("component", "there is no such component")
    return row


def keep_recipe(
    studio: Studio, name: str, said: Mapping[str, str], recipe_id: int | None = None
) -> SoilRecipe:
    """Add a recipe or put one right. said : parts as typed, by the component as `part-3`.

    Raises
    ------
    BadInput : at the field concerned.
    """
    name = " ".join(name.split())[:60]
    if not name:
        raise BadInput("recipe_name", "give it a name to find it by")
    with studio.writing() as db:
        same = select(SoilRecipe.id).where(SoilRecipe.name == name)
        if db.scalar(same) not in (None, recipe_id):
            raise BadInput("recipe_name", "there is one of that name")
        parts = {}
        for component in components(db):
            typed = said.get(f"{PART}{component.id}", "").strip()
            if not typed:
                continue
            number = read_number(typed)
            if number is None or not 0 <= number <= MOST_PARTS:
                raise BadInput(f"{PART}{component.id}", f"'{typed[:20]}' is no number of parts")
            if number:
                parts[str(component.id)] = number
        if not parts:
            raise BadInput("recipe_name", "a mix wants parts of one component at least")
        row = SoilRecipe() if recipe_id is None else recipe_of(db, recipe_id).recipe
        row.name, row.parts = name, parts
        db.add(row)
    return row


def drop_recipe(studio: Studio, recipe_id: int) -> None:
    """Delete a recipe; records keep what they say of it. Raises NotFound."""
    with studio.writing() as db:
        row = recipe_of(db, recipe_id).recipe
        keep_deleted(db, studio.now, row, f"Soil recipe {row.name}")


def pot_of_soil(
    mix: Mix, litres: float, pot: Pot, layer_mm: float, former: Mix | None = None
) -> PotOfSoil:
    """What so many litres of a mix are made of, and how they hold water in a pot."""
    return PotOfSoil(
        litres,
        mix.amounts(litres),
        mix.wet_zone(pot.depth),
        mix.wet_zone(pot.depth, layer_mm),
        None if former is None else watering_ratio(former, litres, mix, litres),
    )


def take_from_stock(db: DbSession, session: RootSession, litres: float) -> None:
    """What a session used of its recipe goes from the stock, as far as that is counted."""
    if session.recipe_id is None or litres <= 0:
        return
    known = recipe_of(db, session.recipe_id)
    session.soil_l = round(litres, 2)
    if known.mix is None:
        return
    by_name = {one.name: one for one in components(db)}
    for amount in known.mix.amounts(litres):
        component = by_name[amount.name]
        if component.stock_l is not None:
            component.stock_l = round(max(0.0, component.stock_l - amount.litres_unsieved), 3)
