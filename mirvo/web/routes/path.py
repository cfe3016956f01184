"""Path: target, the three paths and their steps."""

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from starlette.concurrency import run_in_threadpool

from mirvo.core.errors import BadInput
from mirvo.studio import path as use
from mirvo.studio.sheet import path_of_school, sheet_of
from mirvo.web.drawings.sheet import draw_section
from mirvo.web.drawings.years import path_chart
from mirvo.web.forms import fields_of, read_form
from mirvo.web.pages import page, studio_of

router = APIRouter()


@router.get("/trees/{tree_id}/path")
def show_path(request: Request, tree_id: int, school: str = "") -> HTMLResponse:
    return _page(request, tree_id, school, None, {})


@router.post("/trees/{tree_id}/target")
async def set_target(request: Request, tree_id: int) -> Response:
    fields = fields_of(await request.form())
    form, errors = read_form(use.TargetForm, fields)
    if form is not None:
        try:
            await run_in_threadpool(use.set_target, studio_of(request), tree_id, form)
            return RedirectResponse(f"/trees/{tree_id}/path", 303)
        except BadInput as error:
            errors = {error.field: error.message}
    return await run_in_threadpool(_page, request, tree_id, "", fields, errors, 422)


@router.post("/trees/{tree_id}/holds")
async def hold(request: Request, tree_id: int) -> Response:
    fields = fields_of(await request.form())
    studio, year = studio_of(request), str(fields.get("hold_year", ""))
    try:
        if not year.isdigit():
            raise BadInput("hold_year", "Please give a year, such as 2029.")
        if "release" in fields:
            await run_in_threadpool(use.release_year, studio, tree_id, int(year))
        else:
            why = str(fields.get("why", ""))
            await run_in_threadpool(use.hold_year, studio, tree_id, int(year), why)
    except BadInput as error:
        errors = {error.field: error.message}
        return await run_in_threadpool(_page, request, tree_id, "", None, errors, 422)
    return RedirectResponse(f"/trees/{tree_id}/path", 303)


def _page(
    request: Request,
    tree_id: int,
    school: str,
    fields: dict[str, Any] | None,
    errors: dict[str, str],
    status: int = 200,
) -> HTMLResponse:
    studio = studio_of(request)
    view = use.path_view(studio, tree_id, compute=not errors)
    sheet = sheet_of(studio, tree_id)
    schools = ("gentle", "steady", "bold")
    chosen = school if school in schools else studio.yard().school
    path = None if view.result is None else path_of_school(view.result, chosen)
    context = {
        "view": view,
        "tree": view.tree,
        "sheet": sheet,
        "path": path,
        "chosen": chosen,
        "earlier": use.earlier_plans(studio, tree_id),
        "fields": _fields(view) if fields is None else fields,
        "errors": errors,
        "cuts": {cut.label: cut for cut in view.cuts},
        "section": None if path is None else draw_section(sheet, path),
        "chart": None if path is None or view.case is None else path_chart(sheet, path),
    }
    return page(request, "path/path.html", context, status)


def _fields(view: use.PathView) -> dict[str, Any]:
    target = view.target
    if target is None:
        return {"spread_ratio": "2.0", "basis": "flare", "largest_gap_deg": "90"}
    values = {name: getattr(target, name) for name in use.TargetForm.model_fields}
    return {
        name: f"{value:g}" if isinstance(value, float) else str(value)
        for name, value in values.items()
        if value is not None
    }
