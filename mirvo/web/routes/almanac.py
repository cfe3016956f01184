"""Almanac: the species and their figures, and the yard they stand in."""

from typing import Any

from fastapi import Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from mirvo.core.errors import BadInput
from mirvo.core.season import window_of
from mirvo.studio.context import YardForm
from mirvo.studio.species import add_entry, almanac, laid_aside
from mirvo.web.forms import fields_of, read_form
from mirvo.web.pages import page, routes, studio_of

router = routes()


@router.get("/almanac")
def show_almanac(request: Request) -> HTMLResponse:
    return _page(request, _yard_fields(request), {})


@router.post("/almanac/species")
async def add_species(request: Request) -> Response:
    fields = fields_of(await request.form())
    name, like = str(fields.get("new_name", "")), str(fields.get("like", ""))
    try:
        key = add_entry(studio_of(request), name, like)
    except BadInput as error:
        return _page(request, {**_yard_fields(request), **fields}, {"new_name": error.message}, 422)
    return RedirectResponse(f"/almanac/species/{key}", 303)


@router.post("/almanac/yard")
async def save_yard(request: Request) -> Response:
    fields = fields_of(await request.form())
    form, errors = read_form(YardForm, fields)
    if form is None:
        return _page(request, fields, errors, 422)
    studio_of(request).save_yard(form)
    return RedirectResponse("/almanac", 303)


def _yard_fields(request: Request) -> dict[str, Any]:
    yard = studio_of(request).yard()
    return {name: str(getattr(yard, name)) for name in YardForm.model_fields}


def _page(
    request: Request, fields: dict[str, Any], errors: dict[str, str], status: int = 200
) -> HTMLResponse:
    studio = studio_of(request)
    frost, today = studio.yard().last_frost, studio.today
    found = [(one, window_of(one.species, frost, today, today)) for one in almanac(studio)]
    context = {
        "parts": [
            ("In your yard", [line for line in found if line[0].trees]),
            ("Others", [line for line in found if not line[0].trees]),
        ],
        "aside": laid_aside(studio),
        "fields": fields,
        "errors": errors,
    }
    return page(request, "almanac/almanac.html", context, status)
