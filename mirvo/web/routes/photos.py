"""Photos: intake of several files, the simulated camera, and the pictures themselves."""

from datetime import date
from typing import Any

from fastapi import Request
from fastapi.responses import FileResponse, HTMLResponse, RedirectResponse, Response
from pydantic import BaseModel
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import FormData, UploadFile

from mirvo.core.errors import BadInput
from mirvo.studio import photos as use
from mirvo.studio.context import Studio
from mirvo.studio.photo_facts import PhotoForm, edit_photo
from mirvo.studio.photo_sets import shoot_set
from mirvo.studio.side_views import shoot_turntable
from mirvo.studio.trees import get_tree
from mirvo.web.forms import fields_of, read_form
from mirvo.web.pages import page, routes, studio_of

router = routes()
MOST_FILES = 200
KEEP_FOR_LONG = {"Cache-Control": "private, max-age=31536000, immutable"}


@router.get("/trees/{tree_id}/photos")
def list_photos(request: Request, tree_id: int) -> HTMLResponse:
    return _page(request, tree_id, [])


async def sent_files(form: FormData, name: str) -> list[tuple[str, bytes]]:
    """Name and content of the files sent under one field."""
    return [
        (item.filename or "photo", await item.read())
        for item in form.getlist(name)
        if isinstance(item, UploadFile) and item.filename
    ]


@router.post("/trees/{tree_id}/photos")
async def take_in(request: Request, tree_id: int) -> Response:
    async with request.form(max_files=MOST_FILES) as form:
        fields = fields_of(form)
        files = await sent_files(form, "files")
    part = request.headers.get("hx-request") == "true"
    said, errors = read_form(IntakeForm, fields)
    try:
        results = await run_in_threadpool(_put_in, studio_of(request), tree_id, files, said)
    except BadInput as error:
        errors = {error.field: error.message}
    if errors:
        results = [use.Intake(name, None, next(iter(errors.values()))) for name, _ in files]
    if part:
        return page(request, "trees/_intake.html", {"results": results})
    refused = any(result.refused for result in results)
    return _page(request, tree_id, results, 422 if refused or not results else 200)


class IntakeForm(BaseModel):
    """What is said of files put in together; the day as each file says where it is left open."""

    kind: str = "top"
    taken_on: date | None = None


def _put_in(
    studio: Studio, tree_id: int, files: list[tuple[str, bytes]], said: IntakeForm | None
) -> list[use.Intake]:
    if said is None:
        return []
    return use.take_in(studio, tree_id, files, said.kind, taken_on=said.taken_on)


@router.post("/photos/{photo_id}")
async def put_right(request: Request, photo_id: int) -> Response:
    studio, fields = studio_of(request), fields_of(await request.form())
    photo = use.get_photo(studio, photo_id)
    form, errors = read_form(PhotoForm, fields)
    if form is not None:
        try:
            edit_photo(studio, photo_id, form)
            return RedirectResponse(f"/trees/{photo.tree_id}/photos", 303)
        except BadInput as error:
            errors = {error.field: error.message}
    return _page(request, photo.tree_id, [], 422, (photo_id, fields, errors))


@router.post("/trees/{tree_id}/photos/simulated")
def take_simulated(request: Request, tree_id: int) -> Response:
    photo = use.take_simulated(studio_of(request), tree_id)
    return RedirectResponse(f"/photos/{photo.id}/desk", 303)


@router.post("/trees/{tree_id}/photos/turntable")
def take_turntable(request: Request, tree_id: int) -> Response:
    first = shoot_turntable(studio_of(request), tree_id)
    return RedirectResponse(f"/photos/{first}/desk", 303)


@router.post("/trees/{tree_id}/photos/set")
def take_set(request: Request, tree_id: int) -> Response:
    first = shoot_set(studio_of(request), tree_id)
    return RedirectResponse(f"/photos/{first}/desk", 303)


@router.get("/photos/{photo_id}/{size}.jpg")
def picture(request: Request, photo_id: int, size: str) -> FileResponse:
    studio = studio_of(request)
    photo = use.get_photo(studio, photo_id)
    path = studio.photos.derivative(photo.digest, size)
    return FileResponse(path, media_type="image/jpeg", headers=KEEP_FOR_LONG)


def _page(
    request: Request,
    tree_id: int,
    results: list[use.Intake],
    status: int = 200,
    refused: tuple[int, dict[str, Any], dict[str, str]] | None = None,
) -> HTMLResponse:
    studio = studio_of(request)
    context = {
        "tree": get_tree(studio, tree_id),
        "photos": use.photos_of_tree(studio, tree_id),
        "results": results,
        "kinds": use.KINDS,
        "refused": refused,
    }
    return page(request, "trees/photos.html", context, status)
