"""Almanac: the species and their figures, and the yard they stand in."""

from typing import Annotated

from fastapi import APIRouter, Form
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from mirvo.core.forms import FormModel
from mirvo.core.season import window_of
from mirvo.studio.almanac.species import add_entry, almanac, laid_aside
from mirvo.studio.yard.settings import YardForm, save_yard, yard_of
from mirvo.web.forms import Filled, fields_from, shown_again_on
from mirvo.web.reader import Reader, StudioDep

router = APIRouter()


class NewSpecies(FormModel):
    """A species of the studio's own; like : whose figures it begins with."""

    new_name: str = ""
    like: str = ""


def almanac_page(reader: Reader, filled: Filled) -> HTMLResponse:
    """The almanac, with the forms of the yard and of a new species."""
    frost, today = yard_of(reader.db).last_frost, reader.today
    found = [(entry, window_of(entry.species, frost, today, today)) for entry in almanac(reader.db)]
    # What was filled in wins over what is kept, so that nothing typed is lost.
    kept = fields_from(yard_of(reader.db), tuple(YardForm.model_fields))
    context = {
        "parts": [
            ("In your yard", [line for line in found if line[0].trees]),
            ("Others", [line for line in found if not line[0].trees]),
        ],
        "aside": laid_aside(reader.db),
        "fields": {**kept, **filled.fields},
        "errors": filled.errors,
    }
    return reader.page("almanac/almanac.html", context, filled.status)


@router.get("/almanac")
def show_almanac(reader: Reader) -> HTMLResponse:
    return almanac_page(reader, Filled())


@router.post("/almanac/species")
@shown_again_on(almanac_page)
def add_species(studio: StudioDep, form: Annotated[NewSpecies, Form()]) -> Response:
    key = add_entry(studio, form.new_name, form.like)
    return RedirectResponse(f"/almanac/species/{key}", 303)


@router.post("/almanac/yard")
@shown_again_on(almanac_page)
def keep_yard(studio: StudioDep, form: Annotated[YardForm, Form()]) -> Response:
    save_yard(studio, form)
    return RedirectResponse("/almanac", 303)
