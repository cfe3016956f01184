"""One species of the almanac: its figures, shipped and the studio's own."""

from typing import Annotated

from fastapi import APIRouter, Form
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from mirvo.core.almanac import Entry, Species, figures_of, groups
from mirvo.core.season import next_window
from mirvo.studio.almanac import species as use
from mirvo.studio.yard.settings import yard_of
from mirvo.studio.yard.weather import place_of
from mirvo.web.forms import Filled, as_field, shown_again_on
from mirvo.web.reader import Reader, StudioDep

router = APIRouter()


def species_page(reader: Reader, filled: Filled, key: str) -> HTMLResponse:
    """The form of a species, as kept or as filled in."""
    entry, today = use.entry_of(reader.db, key), reader.today
    shipped = {} if entry.shipped is None else _fields(entry.shipped)
    context = {
        "entry": entry,
        "window": next_window(entry.species, place_of(yard_of(reader.db)), today, today),
        "shipped": {name: f"As shipped: {shipped[name]}" for name in entry.changed},
        "fields": filled.fields or _fields(entry.species),
        "errors": filled.errors,
        "groups": [(name, name) for name in groups()],
    }
    return reader.page("almanac/species.html", context, filled.status)


@router.get("/almanac/species/{key}")
def show(reader: Reader, key: str) -> HTMLResponse:
    return species_page(reader, Filled(), key)


@router.post("/almanac/species/{key}")
@shown_again_on(species_page)
def keep(studio: StudioDep, key: str, form: Annotated[Entry, Form()]) -> Response:
    use.keep_entry(studio, key, form)
    return RedirectResponse(f"/almanac/species/{key}", 303)


@router.post("/almanac/species/{key}/aside")
@shown_again_on(species_page)
def lay_aside(studio: StudioDep, key: str) -> Response:
    own = use.lay_aside(studio, key)
    # An own species has no page left to go back to.
    return RedirectResponse("/almanac" if own else f"/almanac/species/{key}", 303)


@router.post("/almanac/species/{key}/back")
def put_back(studio: StudioDep, key: str) -> Response:
    use.put_back(studio, key)
    return RedirectResponse(f"/almanac/species/{key}", 303)


def _fields(species: Species) -> dict[str, str]:
    return {name: as_field(value) for name, value in figures_of(species).items()}
