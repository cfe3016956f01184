"""Trees: list, tree page, adding and editing."""

from typing import Any

from fastapi import Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from mirvo.core.almanac import rules
from mirvo.core.errors import BadInput, Conflict
from mirvo.records.models import Tree
from mirvo.studio import trees as use
from mirvo.studio.care import rhythm_of
from mirvo.studio.sheet import sheet_of
from mirvo.studio.species import all_species
from mirvo.web.drawings.ribbon import season_ribbon
from mirvo.web.drawings.sheet import draw_sheet
from mirvo.web.drawings.years import years_chart
from mirvo.web.forms import fields_of, read_form
from mirvo.web.pages import page, routes, studio_of

router = routes()


@router.get("/trees")
def list_trees(request: Request, q: str = "") -> HTMLResponse:
    rows = use.list_trees(studio_of(request), q)
    part = request.headers.get("hx-request") == "true"
    template = "trees/_rows.html" if part else "trees/list.html"
    return page(request, template, {"rows": rows, "q": q})


@router.get("/trees/new")
def new_tree(request: Request) -> HTMLResponse:
    return _form(request, {}, {}, None)


@router.post("/trees")
async def add_tree(request: Request) -> Response:
    fields = fields_of(await request.form())
    form, errors = read_form(use.TreeForm, fields)
    if form is not None:
        try:
            tree = use.add_tree(studio_of(request), form)
            return RedirectResponse(f"/trees/{tree.id}", 303)
        except BadInput as error:
            errors = {error.field: error.message}
    return _form(request, fields, errors, None, 422)


@router.get("/trees/{tree_id}")
def show_tree(request: Request, tree_id: int) -> HTMLResponse:
    sheet = sheet_of(studio_of(request), tree_id)
    return page(
        request,
        "trees/sheet.html",
        {
            "sheet": sheet,
            "tree": sheet.tree,
            "rhythm": rhythm_of(studio_of(request), tree_id),
            "plan_and_section": draw_sheet(sheet),
            "ribbon": season_ribbon(sheet),
            "years": years_chart(sheet),
        },
    )


@router.get("/trees/{tree_id}/edit")
def edit_form(request: Request, tree_id: int) -> HTMLResponse:
    tree = use.get_tree(studio_of(request), tree_id)
    return _form(request, _fields(tree), {}, tree)


@router.post("/trees/{tree_id}/edit")
async def edit_tree(request: Request, tree_id: int) -> Response:
    studio = studio_of(request)
    fields = fields_of(await request.form())
    form, errors = read_form(use.TreeForm, fields)
    version = int(fields["version"]) if str(fields.get("version", "")).isdigit() else 0
    kept, status = use.get_tree(studio, tree_id), 422
    if form is not None:
        try:
            use.edit_tree(studio, tree_id, form, version)
            return RedirectResponse(f"/trees/{tree_id}", 303)
        except Conflict as error:
            errors, status = {"version": error.message}, 409
            fields["version"] = str(kept.version)
        except BadInput as error:
            errors = {error.field: error.message}
    return _form(request, fields, errors, kept, status)


def _fields(tree: Tree) -> dict[str, Any]:
    names = (*use.TreeForm.model_fields, "version")
    found = {name: getattr(tree, name) for name in names}
    return {
        name: f"{value:g}" if isinstance(value, float) else str(value)
        for name, value in found.items()
        if value is not None
    }


def _form(
    request: Request,
    fields: dict[str, Any],
    errors: dict[str, str],
    tree: Tree | None,
    status: int = 200,
) -> HTMLResponse:
    context = {
        "fields": fields,
        "errors": errors,
        "tree": tree,
        "species": all_species(studio_of(request).yard()),
        "containers": list(rules().containers),
        "use": use,
        "kept": _fields(tree) if tree is not None else {},
    }
    return page(request, "trees/form.html", context, status)
