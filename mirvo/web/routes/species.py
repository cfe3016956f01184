"""One species of the almanac: its figures, shipped and the studio's own."""

from typing import Any

from fastapi import Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from mirvo.core.almanac import Entry, figures_of, groups
from mirvo.core.errors import BadInput
from mirvo.core.season import window_of
from mirvo.studio import species as use
from mirvo.web.forms import fields_of, read_form
from mirvo.web.pages import page, routes, studio_of

router = routes()


@router.get("/almanac/species/{key}")
def show(request: Request, key: str) -> HTMLResponse:
    entry = use.entry_of(studio_of(request), key)
    return _page(request, entry, _said(figures_of(entry.species)), {})


@router.post("/almanac/species/{key}")
async def keep(request: Request, key: str) -> Response:
    studio = studio_of(request)
    found, fields = use.entry_of(studio, key), fields_of(await request.form())
    form, errors = read_form(Entry, fields)
    if form is not None:
        try:
            use.keep_entry(studio, key, form)
            return RedirectResponse(f"/almanac/species/{key}", 303)
        except BadInput as error:
            errors = {error.field: error.message}
    return _page(request, found, fields, errors, 422)


@router.post("/almanac/species/{key}/aside")
def lay_aside(request: Request, key: str) -> Response:
    studio = studio_of(request)
    entry = use.entry_of(studio, key)
    try:
        use.lay_aside(studio, key)
    except BadInput as error:
        fields = _said(figures_of(entry.species))
        return _page(request, entry, fields, {error.field: error.message}, 409)
    own = entry.shipped is None
    return RedirectResponse("/almanac" if own else f"/almanac/species/{key}", 303)


@router.post("/almanac/species/{key}/back")
def put_back(request: Request, key: str) -> Response:
    use.put_back(studio_of(request), key)
    return RedirectResponse(f"/almanac/species/{key}", 303)


def _page(
    request: Request,
    entry: use.AlmanacEntry,
    fields: dict[str, Any],
    errors: dict[str, str],
    status: int = 200,
) -> HTMLResponse:
    studio = studio_of(request)
    today = studio.today
    shipped = {} if entry.shipped is None else _said(figures_of(entry.shipped))
    context = {
        "entry": entry,
        "window": window_of(entry.species, studio.yard().last_frost, today, today),
        "shipped": {name: f"As shipped: {shipped[name]}" for name in entry.changed},
        "fields": fields,
        "errors": errors,
        "groups": [(name, name) for name in groups()],
    }
    return page(request, "almanac/species.html", context, status)


def _said(figures: dict[str, Any]) -> dict[str, str]:
    """Figures as a form holds them; what is not ticked is empty."""
    said = {}
    for name, value in figures.items():
        if isinstance(value, bool):
            said[name] = "on" if value else ""
        else:
            said[name] = f"{value:g}" if isinstance(value, float) else str(value)
    return said
