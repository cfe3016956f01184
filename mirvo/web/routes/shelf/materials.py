"""The season's materials list, as a page and as text, and what of it lies on the shelf."""

from typing import Annotated

from fastapi import APIRouter, Form
from fastapi.responses import RedirectResponse, Response

from mirvo.studio.shelf.materials import as_text, season_list
from mirvo.studio.shelf.supplies import UNITS, SupplyFields, drop_supply, set_supply, supplies
from mirvo.web.access import Role, only
from mirvo.web.form_models import FormModel
from mirvo.web.forms import Filled, shown_again_on
from mirvo.web.paging import page_of
from mirvo.web.reader import Reader, StudioDep

router = APIRouter(dependencies=only(Role.HELPER))


class SupplyForm(SupplyFields, FormModel):
    """Something on the shelf, as it is filled in."""


TREES = 60


def materials_page(reader: Reader, filled: Filled, page: str = "") -> Response:
    """The season's list, and the form of what lies on the shelf."""
    season = season_list(reader.db, reader.today)
    counted = supplies(reader.db)
    context = {
        "season": season,
        "shown": page_of(season.trees, page, TREES),
        "supplies": counted,
        "names": sorted({item.name for item in season.together if item.name != "soil"}),
        "units": [(unit, unit or "pieces") for unit in UNITS],
        "fields": filled.fields,
        "errors": filled.errors,
    }
    return reader.page("shelf/materials.html", context, filled.status)


@router.get("/materials")
def show_list(reader: Reader, page: str = "") -> Response:
    return materials_page(reader, Filled(), page)


@router.get("/materials.txt")
def as_plain_text(reader: Reader) -> Response:
    return Response(as_text(season_list(reader.db, reader.today)), media_type="text/plain")


@router.post("/materials/supplies")
@shown_again_on(materials_page)
def keep_supply(studio: StudioDep, form: Annotated[SupplyForm, Form()]) -> Response:
    set_supply(studio, form)
    return RedirectResponse("/materials#supplies", 303)


@router.post("/materials/supplies/{supply_id}/drop", dependencies=only(Role.OWNER))
def stop_counting(studio: StudioDep, supply_id: int) -> Response:
    drop_supply(studio, supply_id)
    return RedirectResponse("/materials#supplies", 303)
