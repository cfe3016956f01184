"""Soil: components and their stock, recipes, and what a pot takes of one."""

from typing import Annotated

from fastapi import APIRouter, Form
from fastapi.responses import RedirectResponse, Response

from mirvo.core.lengths import MM, read_length
from mirvo.core.limits.shelf import ComponentFields
from mirvo.core.pot import soil_litres
from mirvo.core.typed_values import read_whole
from mirvo.studio.shelf import soil as use
from mirvo.studio.shelf.pots import shelf, tree_and_pots
from mirvo.studio.standing.pot_of_tree import ball_of_tree
from mirvo.web.access import Role, only
from mirvo.web.drawings.pots import draw_wet
from mirvo.web.form_models import FormModel, OpenForm
from mirvo.web.forms import Filled, as_field, shown_again_on
from mirvo.web.reader import Reader, StudioDep

router = APIRouter(dependencies=only(Role.HELPER))
# What a recipe is looked at in before a pot is chosen.
USUAL_LITRES, USUAL_LAYER_MM = 1.0, 10.0
MOST_LITRES, MOST_LAYER_MM = 1000.0, 200.0


class ComponentForm(ComponentFields, FormModel):
    """A component of soil as it is filled in."""


def soil_page(reader: Reader, filled: Filled, component_id: int | None = None) -> Response:
    """All components and recipes."""
    context = {
        "components": use.components(reader.db),
        "recipes": use.recipes(reader.db),
        "changing": component_id,
        "fields": filled.fields,
        "errors": filled.errors,
    }
    return reader.page("shelf/soil.html", context, filled.status)


@router.get("/shelf/soil")
def show_soil(reader: Reader, change: int | None = None) -> Response:
    found = next((one for one in use.components(reader.db) if one.id == change), None)
    fields = {}
    if found is not None:
        fields = {
            "name": found.name,
            **{name: as_field(getattr(found, name)) for name in ("from_mm", "to_mm", "kg_per_l")},
            **{name: as_field(100 * getattr(found, name)) for name in ("water", "air", "loss")},
            "ph": "" if found.ph is None else as_field(found.ph),
            "cost": found.cost,
            "stock_l": "" if found.stock_l is None else as_field(found.stock_l),
        }
    return soil_page(reader, Filled(fields), None if found is None else found.id)


@router.post("/shelf/soil/usual", dependencies=only(Role.OWNER))
def begin_with_usual(studio: StudioDep) -> Response:
    use.begin_with_usual(studio)
    return RedirectResponse("/shelf/soil", 303)


@router.post("/shelf/soil/components")
@shown_again_on(soil_page)
def add_component(studio: StudioDep, form: Annotated[ComponentForm, Form()]) -> Response:
    use.keep_component(studio, form)
    return RedirectResponse("/shelf/soil", 303)


@router.post("/shelf/soil/components/{component_id}")
@shown_again_on(soil_page)
def edit_component(
    studio: StudioDep, component_id: int, form: Annotated[ComponentForm, Form()]
) -> Response:
    use.keep_component(studio, form, component_id)
    return RedirectResponse("/shelf/soil", 303)


@router.post("/shelf/soil/components/{component_id}/drop", dependencies=only(Role.OWNER))
@shown_again_on(soil_page)
def drop_component(studio: StudioDep, component_id: int) -> Response:
    use.drop_component(studio, component_id)
    return RedirectResponse("/shelf/soil", 303)


@router.post("/shelf/soil/recipes")
@shown_again_on(soil_page)
def add_recipe(studio: StudioDep, form: Annotated[OpenForm, Form()]) -> Response:
    kept = use.keep_recipe(studio, form.by_name.get("recipe_name", ""), form.by_name)
    return RedirectResponse(f"/shelf/soil/recipes/{kept.id}", 303)


def recipe_page(
    reader: Reader,
    filled: Filled,
    recipe_id: int,
    pot: int | None = None,
    litres: float = USUAL_LITRES,
    layer: float = USUAL_LAYER_MM,
    former: int | None = None,
) -> Response:
    """A recipe: its parts, and what a pot takes of it."""
    known = use.recipe_of(reader.db, recipe_id)
    on_shelf = next((one for one in shelf(reader.db) if one.pot.id == pot), None)
    inside = None if on_shelf is None else on_shelf.pot.inside
    litres = min(MOST_LITRES, max(0.0, litres))
    if inside is not None:
        stands_in = None if on_shelf is None else on_shelf.tree
        ball = ball_of_tree((), inside, None)
        if stands_in is not None:
            ball = tree_and_pots(reader.db, stands_in.id, reader.today, pot).ball
        litres = soil_litres(inside, ball)
    others = [one for one in use.recipes(reader.db) if one.mix is not None]
    old = next((one for one in others if one.recipe.id == former), None)
    taken, wet = None, None
    if known.mix is not None:
        shown_in = inside or use.SAMPLE_POT
        layer = min(MOST_LAYER_MM, max(0.0, layer))
        taken = use.pot_of_soil(known.mix, litres, shown_in, layer, old.mix if old else None)
        wet = draw_wet(shown_in, taken.plain, taken.layered)
    context = {
        "known": known,
        "components": use.components(reader.db),
        "pots": shelf(reader.db),
        "on_shelf": on_shelf,
        "others": [one for one in others if one.recipe.id != recipe_id],
        "asked": {"pot": pot, "litres": litres, "layer": layer, "former": former},
        "taken": taken,
        "wet": wet,
        "old": old,
        "fields": filled.fields,
        "errors": filled.errors,
    }
    return reader.page("shelf/recipe.html", context, filled.status)


@router.get("/shelf/soil/recipes/{recipe_id}")
def show_recipe(
    reader: Reader,
    recipe_id: int,
    pot: str = "",
    litres: float = USUAL_LITRES,
    layer: str = "",
    units: str = MM,
    former: str = "",
) -> Response:
    known = use.recipe_of(reader.db, recipe_id)
    parts = known.recipe.parts or {}
    fields = {f"{use.PART}{key}": as_field(share) for key, share in parts.items()}
    filled = Filled({"recipe_name": known.recipe.name, **fields})
    asked = read_length(layer, units)
    layer_mm = USUAL_LAYER_MM if asked is None else asked
    return recipe_page(
        reader, filled, recipe_id, read_whole(pot), litres, layer_mm, read_whole(former)
    )


@router.post("/shelf/soil/recipes/{recipe_id}")
@shown_again_on(recipe_page)
def edit_recipe(studio: StudioDep, recipe_id: int, form: Annotated[OpenForm, Form()]) -> Response:
    use.keep_recipe(studio, form.by_name.get("recipe_name", ""), form.by_name, recipe_id)
    return RedirectResponse(f"/shelf/soil/recipes/{recipe_id}", 303)


@router.post("/shelf/soil/recipes/{recipe_id}/drop", dependencies=only(Role.OWNER))
def drop_recipe(studio: StudioDep, recipe_id: int) -> Response:
    use.drop_recipe(studio, recipe_id)
    return RedirectResponse("/shelf/soil", 303)
