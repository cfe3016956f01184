"""Trees: list, tree page, adding and editing."""

from datetime import date
from typing import Annotated

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from mirvo.core.almanac import rules
from mirvo.core.limits import trees as limits
from mirvo.core.limits.trees import TreeFields
from mirvo.records.database import DbSession
from mirvo.records.models import Tree
from mirvo.records.models.people import SHOWN_PARTS
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.ground.state_cache import kept_by_tree
from mirvo.studio.photos.photo_queries import photos_of
from mirvo.studio.records.aftercare import KEPT, kept_for_a_while
from mirvo.studio.records.answers import DeathFields, say_died
from mirvo.studio.records.watering import rhythm_of
from mirvo.studio.records.weights import water_use, watering_log
from mirvo.studio.standing.species import all_species
from mirvo.studio.standing.tree_list import BASES_BY, ORDERS, find_trees, left_out
from mirvo.studio.standing.tree_queries import load_tree
from mirvo.studio.yard import trees as use
from mirvo.studio.yard.sharing import guests_of, link_of
from mirvo.studio.yard.sheet import sheet_of
from mirvo.web.access import Role, only
from mirvo.web.drawings.ribbon import season_ribbon
from mirvo.web.drawings.scene import Scene
from mirvo.web.drawings.sheet import PHONE, PLANS, draw_sheet, draw_strip
from mirvo.web.drawings.tiles import draw_tiles
from mirvo.web.drawings.water_use import draw_water_use
from mirvo.web.drawings.years import years_chart
from mirvo.web.form_models import FormModel
from mirvo.web.forms import Filled, fields_from, shown_again_on
from mirvo.web.lengths import units_of_request
from mirvo.web.paging import page_of
from mirvo.web.reader import Reader, StudioDep, came_from
from mirvo.web.routes.yard.sharing import address_of

router = APIRouter(dependencies=only(Role.HELPER))
ENTERED = (*TreeFields.model_fields, "version")


class DeathForm(DeathFields, FormModel):
    """How a tree died, as it is filled in."""


class StrengthForm(FormModel):
    """How strong the artist calls a tree."""

    strength: str = ""


class TreeForm(TreeFields, FormModel):
    """A tree as it is filled in."""


class EditForm(TreeForm):
    """A tree's form with the version the edit began on."""

    version: int = 0


PAGE_ROWS = {"bases": 24, "ledger": 100}
# While letters are typed: each asks for a list anew.
TYPED_ROWS = 8


@router.get("/trees")
def list_trees(
    reader: Reader,
    q: str = "",
    tag: str = "",
    order: str = "due",
    back: bool = False,
    form: str = "bases",
    page: str = "",
) -> Response:
    typed = reader.wants_part and bool(q)
    found = find_trees(reader.db, reader.today, q, tag, order, back)
    size = TYPED_ROWS if typed else PAGE_ROWS.get(form, PAGE_ROWS["bases"])
    shown = page_of(found.rows, page, size)
    context = {
        "shown": shown,
        "left_out": left_out(reader.db, reader.today),
        "tiles": draw_tiles(shown.lines) if form == "bases" else None,
        "tags": found.tags,
        "typed": typed,
        "asked": {"q": q, "tag": tag, "order": order, "back": back, "form": form},
        "orders": ORDERS,
        "bases_by": BASES_BY,
    }
    template = "yard/_tree_rows.html" if reader.wants_part else "yard/trees.html"
    return reader.page(template, context)


def tree_form(reader: Reader, filled: Filled, tree_id: int | None = None) -> Response:
    """The form of a tree, new or kept; two saves at once are laid side by side."""
    tree = None if tree_id is None else load_tree(reader.db, tree_id)
    kept = {} if tree is None else _fields(tree)
    fields = filled.fields
    if "look_on" in filled.errors or "kept_since" in filled.errors:
        # Another form of the page was turned back; this one stays as it is kept.
        fields = {**kept, **fields}
    if tree is not None and "version" in filled.errors:
        # Sent again it is meant, so the next save is on top of the newer version.
        fields = {**fields, "version": str(tree.version)}
    context = {
        "fields": fields,
        "errors": filled.errors,
        "tree": tree,
        "species": all_species(yard_of(reader.db)),
        "containers": list(rules().containers),
        "limits": limits,
        "kept": kept,
        "guests": [] if tree is None else guests_of(reader.db, tree.id),
        "link": None if tree is None else link_of(reader.db, tree.id),
        "address": address_of(reader.request),
        "kept_parts": [] if tree is None else kept_for_a_while(reader.db, tree.id),
        "shown_parts": SHOWN_PARTS,
        "kept_kinds": [(kind, kind) for kind in KEPT],
    }
    return reader.page("yard/tree_form.html", context, filled.status)


@router.get("/trees/new")
def new_tree(reader: Reader) -> Response:
    return tree_form(reader, Filled())


@router.post("/trees")
@shown_again_on(tree_form)
def add_tree(studio: StudioDep, form: Annotated[TreeForm, Form()]) -> Response:
    return RedirectResponse(f"/trees/{use.add_tree(studio, form).id}", 303)


@kept_by_tree
def _plan_and_section(
    db: DbSession, tree_id: int, today: date, show: str, at: int | None, units: str
) -> tuple[Scene | None, Scene | None]:
    """For a wide screen and for a phone: half of what a sheet costs, and rests on records alone.

    units : the reader's, in which its lengths are written.
    """
    sheet = sheet_of(db, tree_id, today)
    dated = next((row for row in sheet.dated if row.id == at), None)
    return draw_sheet(sheet, show, dated), draw_sheet(sheet, show, dated, PHONE)


@kept_by_tree
def _dated_bases(db: DbSession, tree_id: int, today: date) -> dict[int, Scene]:
    return draw_strip(sheet_of(db, tree_id, today))


@router.get("/trees/{tree_id}", dependencies=only(Role.GUEST))
def show_tree(
    reader: Reader, tree_id: int, plan: str = PLANS[0], at: int | None = None
) -> Response:
    sheet = sheet_of(reader.db, tree_id, reader.today)
    show = plan if plan in PLANS else PLANS[0]
    # The newest is the base as it stands, computed since where it was worked.
    dated = next((row for row in sheet.dated[:-1] if row.id == at), None)
    wide, on_phone = _plan_and_section(
        reader.db,
        tree_id,
        reader.today,
        show,
        dated.id if dated else None,
        units_of_request.get(),
    )
    parent, children = use.offspring(reader.db, sheet.tree, reader.today)
    log = watering_log(reader.db, tree_id)
    water = water_use(reader.db, tree_id, log)
    context = {
        "sheet": sheet,
        "photos": photos_of(reader.db, tree_id),
        "parent": parent,
        "children": children,
        "tree": sheet.tree,
        "rhythm": rhythm_of(reader.db, tree_id, log),
        "water": water,
        "water_curve": None if water.since_work is None else draw_water_use(water.since_work),
        "died": fields_from(sheet.tree, tuple(DeathFields.model_fields)),
        "plan_and_section": wide,
        "on_phone": on_phone,
        "plans": PLANS,
        "show": show,
        "dated": dated,
        "strip": _dated_bases(reader.db, tree_id, reader.today),
        "ribbon": season_ribbon(sheet),
        "years": years_chart(sheet),
    }
    return reader.page("yard/sheet.html", context)


@router.post("/trees/{tree_id}/died", dependencies=only(Role.OWNER))
def died(studio: StudioDep, tree_id: int, form: Annotated[DeathForm, Form()]) -> Response:
    say_died(studio, tree_id, form)
    return RedirectResponse(f"/trees/{tree_id}", 303)


@router.post("/trees/{tree_id}/strength")
def say_strength(
    request: Request, studio: StudioDep, tree_id: int, form: Annotated[StrengthForm, Form()]
) -> Response:
    use.say_strength(studio, tree_id, form.strength)
    return RedirectResponse(came_from(request, f"/trees/{tree_id}"), 303)


@router.get("/trees/{tree_id}/edit")
def edit_form(reader: Reader, tree_id: int) -> Response:
    return tree_form(reader, Filled(_fields(load_tree(reader.db, tree_id))), tree_id)


@router.post("/trees/{tree_id}/edit")
@shown_again_on(tree_form)
def edit_tree(studio: StudioDep, tree_id: int, form: Annotated[EditForm, Form()]) -> Response:
    details = TreeFields.model_validate(form.model_dump(exclude={"version"}))
    use.edit_tree(studio, tree_id, details, form.version)
    return RedirectResponse(f"/trees/{tree_id}", 303)


def _fields(tree: Tree) -> dict[str, str]:
    return fields_from(tree, ENTERED)
