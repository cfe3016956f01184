"""Almanac: the species and their figures, and the yard they stand in."""

from typing import Any

from fastapi import Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from mirvo.core.almanac import species
from mirvo.core.season import window_of
from mirvo.studio.context import YardForm
from mirvo.web.forms import fields_of, read_form
from mirvo.web.pages import page, routes, studio_of

router = routes()


@router.get("/almanac")
def show_almanac(request: Request) -> HTMLResponse:
    yard = studio_of(request).yard()
    fields = {name: str(getattr(yard, name)) for name in YardForm.model_fields}
    return _page(request, fields, {})


@router.post("/almanac/yard")
async def save_yard(request: Request) -> Response:
    fields = fields_of(await request.form())
    form, errors = read_form(YardForm, fields)
    if form is None:
        return _page(request, fields, errors, 422)
    studio_of(request).save_yard(form)
    return RedirectResponse("/almanac", 303)


def _page(
    request: Request, fields: dict[str, Any], errors: dict[str, str], status: int = 200
) -> HTMLResponse:
    studio = studio_of(request)
    frost, today = studio.yard().last_frost, studio.today
    entries = [(entry, window_of(entry, frost, today, today)) for entry in species()]
    context = {"entries": entries, "fields": fields, "errors": errors}
    return page(request, "almanac/almanac.html", context, status)
