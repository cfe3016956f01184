"""Almanac: the species and their figures, and the yard they stand in."""

from typing import Annotated

from fastapi import APIRouter, Form, UploadFile
from fastapi.responses import RedirectResponse, Response
from pydantic import Field

from mirvo.core.errors import BadInput
from mirvo.core.limits.base import PastDay
from mirvo.core.season import next_window
from mirvo.studio.ground.settings import YardFields, save_yard, yard_of
from mirvo.studio.records.aftercare import replan_yard
from mirvo.studio.standing.seasons import PLANT, PlantFields, forget_seen, note_plant, plants_seen
from mirvo.studio.standing.species import add_entry, almanac, laid_aside
from mirvo.studio.standing.weather import (
    nights_near,
    place_of,
    put_night,
    take_nights,
    usual_outlook,
)
from mirvo.web.access import Role, only
from mirvo.web.form_models import FormModel
from mirvo.web.forms import Filled, fields_from, shown_again_on
from mirvo.web.reader import Reader, StudioDep
from mirvo.web.templating import day_of_year

router = APIRouter(dependencies=only(Role.HELPER))
MAX_FILE = 4 * 1024 * 1024


class NightForm(FormModel):
    """The lowest temperature of one night, or a thermometer's file."""

    night: PastDay | None = None
    low_c: Annotated[float, Field(allow_inf_nan=False)] | None = None
    file: UploadFile | None = None


class NewSpecies(FormModel):
    """A species of the studio's own; like : whose figures it begins with."""

    new_name: str = ""
    like: str = ""


class PlantForm(PlantFields, FormModel):
    """What a plant showed, as it is filled in."""


class EditedYard(YardFields, FormModel):
    """The yard's settings with the version they were changed on."""

    version: int | None = None


def almanac_page(reader: Reader, filled: Filled) -> Response:
    """The almanac, with the forms of the yard and of a new species."""
    yard, today = yard_of(reader.db), reader.today
    place = place_of(yard)
    found = [
        (
            entry,
            next_window(
                entry.species, place, today, today, usual_outlook(yard, entry.species, today)
            ),
        )
        for entry in almanac(reader.db)
    ]
    # What was filled in wins over what is kept, so that nothing typed is lost.
    kept = fields_from(yard_of(reader.db), tuple(YardFields.model_fields))
    for frost in ("last_frost", "first_frost"):
        kept[frost] = day_of_year(kept[frost]) if kept[frost] else ""
    # Sent again it is meant, so the next save is on top of the newer version.
    version = {"version": str(yard_of(reader.db).version)}
    nights, source = nights_near(reader.db, today)
    context = {
        "parts": [
            ("In your yard", [line for line in found if line[0].trees]),
            ("Others", [line for line in found if not line[0].trees]),
        ],
        "aside": laid_aside(reader.db),
        "fields": {**kept, **filled.fields, **version},
        "kept": kept if "version" in filled.errors else {},
        "errors": filled.errors,
        "nights": nights,
        "nights_source": source,
        "plants": plants_seen(yard),
    }
    return reader.page("almanac/almanac.html", context, filled.status)


@router.get("/almanac")
def show_almanac(reader: Reader) -> Response:
    return almanac_page(reader, Filled())


@router.get("/almanac/glossary")
def show_glossary(reader: Reader) -> Response:
    return reader.page("almanac/glossary.html")


@router.post("/almanac/species")
@shown_again_on(almanac_page)
def add_species(studio: StudioDep, form: Annotated[NewSpecies, Form()]) -> Response:
    key = add_entry(studio, form.new_name, form.like)
    return RedirectResponse(f"/almanac/species/{key}", 303)


@router.post("/almanac/yard", dependencies=only(Role.OWNER))
@shown_again_on(almanac_page)
def keep_yard(studio: StudioDep, form: Annotated[EditedYard, Form()]) -> Response:
    save_yard(studio, form, form.version)
    # The frosts may be others now, and aftercare goes by them.
    replan_yard(studio)
    return RedirectResponse("/almanac", 303)


@router.post("/almanac/nights", dependencies=only(Role.OWNER))
@shown_again_on(almanac_page)
def keep_nights(
    studio: StudioDep, form: Annotated[NightForm, Form(media_type="multipart/form-data")]
) -> Response:
    content = b"" if form.file is None else form.file.file.read(MAX_FILE)
    if content:
        take_nights(studio, content)
    elif form.night is None or form.low_c is None:
        raise BadInput("night", "Give a night and its lowest temperature, or a file.")
    else:
        put_night(studio, form.night, form.low_c)
    return RedirectResponse("/almanac", 303)


@router.post("/almanac/plants")
@shown_again_on(almanac_page)
def keep_plant(studio: StudioDep, form: Annotated[PlantForm, Form()]) -> Response:
    note_plant(studio, form)
    return RedirectResponse("/almanac#plants", 303)


@router.post("/almanac/plants/drop", dependencies=only(Role.OWNER))
@shown_again_on(almanac_page)
def drop_plant(studio: StudioDep, form: Annotated[PlantForm, Form()]) -> Response:
    if form.plant_on is not None:
        forget_seen(studio, PLANT, form.plant, form.plant_on)
    return RedirectResponse("/almanac#plants", 303)
