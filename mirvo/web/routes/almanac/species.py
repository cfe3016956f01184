"""One species of the almanac: its figures, shipped and the studio's own, and what is known of it
here."""

from typing import Annotated

from fastapi import APIRouter, Form
from fastapi.responses import RedirectResponse, Response
from pydantic import StringConstraints

from mirvo.core.almanac import Entry, Species, figures_of, groups, reason_for
from mirvo.core.limits.base import PastDay
from mirvo.core.season import next_window, windows_ahead
from mirvo.core.season.growth import layering_window
from mirvo.studio.almanac.experience import own_experience
from mirvo.studio.exchange.experience import experience_of_others
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.standing import seasons
from mirvo.studio.standing import species as use
from mirvo.studio.standing.weather import place_of, usual_outlook
from mirvo.web.access import Role, only
from mirvo.web.form_models import FormModel
from mirvo.web.forms import Filled, as_field, shown_again_on
from mirvo.web.reader import Reader, StudioDep

router = APIRouter(dependencies=only(Role.HELPER))


class OpenedForm(seasons.OpenedFields, FormModel):
    """The day a species opened, as it is filled in."""


class EntryForm(Entry, FormModel):
    """An entry as filled in, and why it was changed."""

    why: Annotated[str, StringConstraints(strip_whitespace=True, max_length=300)] = ""


class SeenForm(FormModel):
    """A note of a season, to be taken back."""

    seen_on: PastDay


def species_page(reader: Reader, filled: Filled, key: str) -> Response:
    """The form of a species, as kept or as filled in."""
    entry, today, yard = use.entry_of(reader.db, key), reader.today, yard_of(reader.db)
    shipped = {} if entry.shipped is None else _fields(entry.shipped)
    outlook, place = usual_outlook(yard, entry.species, today), place_of(yard)
    group = entry.species.group
    reasons = {name: reason_for(name, group) for name in Entry.model_fields}
    hints = {
        name: f"As shipped: {shipped[name]}. {reasons[name]}".strip() for name in entry.changed
    }
    context = {
        "entry": entry,
        "window": next_window(entry.species, place, today, today, outlook),
        "later_windows": windows_ahead(entry.species, place, today, outlook)[1:],
        "layering": layering_window(entry.species, place, today, outlook)
        if entry.species.ground_layers
        else None,
        "hints": {**reasons, **hints},
        "fields": filled.fields or _fields(entry.species),
        "errors": filled.errors,
        "groups": [(name, name) for name in groups()],
        "changes": use.changes_of(reader.db, key),
        "seasons": seasons.seasons_of(yard, entry.species, today),
        "experience": own_experience(reader.db, key, today),
        "others": experience_of_others(reader.db, key),
    }
    return reader.page("almanac/species.html", context, filled.status)


@router.get("/almanac/species/{key}")
def show(reader: Reader, key: str) -> Response:
    return species_page(reader, Filled(), key)


@router.post("/almanac/species/{key}", dependencies=only(Role.OWNER))
@shown_again_on(species_page)
def keep(studio: StudioDep, key: str, form: Annotated[EntryForm, Form()]) -> Response:
    entry = Entry.model_validate(form.model_dump(exclude={"why"}))
    use.keep_entry(studio, key, entry, form.why)
    return RedirectResponse(f"/almanac/species/{key}", 303)


@router.post("/almanac/species/{key}/changes/{change_id}/back", dependencies=only(Role.OWNER))
@shown_again_on(species_page)
def take_back(studio: StudioDep, key: str, change_id: int) -> Response:
    use.take_back(studio, key, change_id)
    return RedirectResponse(f"/almanac/species/{key}#changes", 303)


@router.post("/almanac/species/{key}/opened")
@shown_again_on(species_page)
def note_opened(studio: StudioDep, key: str, form: Annotated[OpenedForm, Form()]) -> Response:
    seasons.note_opened(studio, key, form)
    return RedirectResponse(f"/almanac/species/{key}#seasons", 303)


@router.post("/almanac/species/{key}/opened/drop", dependencies=only(Role.OWNER))
@shown_again_on(species_page)
def forget_opened(studio: StudioDep, key: str, form: Annotated[SeenForm, Form()]) -> Response:
    seasons.forget_seen(studio, seasons.OPENED, key, form.seen_on)
    return RedirectResponse(f"/almanac/species/{key}#seasons", 303)


@router.post("/almanac/species/{key}/aside", dependencies=only(Role.OWNER))
@shown_again_on(species_page)
def lay_aside(studio: StudioDep, key: str) -> Response:
    own = use.lay_aside(studio, key)
    # An own species has no page left to go back to.
    return RedirectResponse("/almanac" if own else f"/almanac/species/{key}", 303)


@router.post("/almanac/species/{key}/back", dependencies=only(Role.OWNER))
def put_back(studio: StudioDep, key: str) -> Response:
    use.put_back(studio, key)
    return RedirectResponse(f"/almanac/species/{key}", 303)


def _fields(species: Species) -> dict[str, str]:
    return {name: as_field(value) for name, value in figures_of(species).items()}
