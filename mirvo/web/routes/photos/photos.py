"""Photos: intake of several files, the simulated camera, and the pictures themselves."""

from collections.abc import Callable, Iterator
from typing import Annotated

from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import FileResponse, RedirectResponse, Response

from mirvo.core.errors import BadInput
from mirvo.core.limits.base import PastDay, RowNumber
from mirvo.core.limits.measuring import PhotoFields
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.jobs import Report
from mirvo.studio.measuring.moving import move_photo
from mirvo.studio.measuring.photo_facts import edit_photo, file_details
from mirvo.studio.measuring.photo_sets import shoot_set
from mirvo.studio.measuring.turntable import shoot_turntable
from mirvo.studio.photos.intake import Intake, take_in
from mirvo.studio.photos.photo_queries import (
    KINDS,
    MEASURED_ON,
    load_photo,
    photos_with_state,
    view_photo,
)
from mirvo.studio.photos.simulated import shoot_from_above
from mirvo.studio.standing.tree_list import tree_names
from mirvo.studio.standing.tree_queries import load_tree
from mirvo.web.access import Role, only
from mirvo.web.form_models import FormModel
from mirvo.web.forms import Filled, shown_again_on, wants_json
from mirvo.web.reader import ASK_AGAIN, KEEP_FOR_LONG, PageReader, Reader, StudioDep
from mirvo.web.routes.jobs import job_begun

router = APIRouter(dependencies=only(Role.HELPER))
Files = list[UploadFile]


class PhotoForm(PhotoFields, FormModel):
    """What can be said of a photo, as it is filled in."""


class IntakeForm(FormModel):
    """Files put in together; the day as each file says where it is left open."""

    kind: str = "top"
    taken_on: PastDay | None = None
    files: Files = []  # noqa: RUF012  pydantic copies it


def sent(files: Files) -> Iterator[tuple[str, bytes]]:
    """Name and content of the files of a form's field, read one after the other: a whole day's
    photos would not fit into memory at once."""
    for file in files:
        # A field left empty sends one file without a name.
        if file.filename:
            yield file.filename, file.file.read()


def photos_page(
    reader: Reader, tree_id: int, results: list[Intake], filled: Filled, photo_id: int = 0
) -> Response:
    """The photos of a tree; `results` of files put in, `filled` of the photo put right."""
    photos = photos_with_state(reader.db, tree_id)
    context = {
        "tree": load_tree(reader.db, tree_id),
        "photos": photos,
        # A tree that exists nowhere else has no other camera.
        "simulated": any(photo.simulated for photo, _ in photos),
        "measured_on": MEASURED_ON,
        "results": results,
        "kinds": KINDS,
        "refused": filled if filled.errors else None,
        "refused_photo": photo_id,
    }
    return reader.page("photos/photos.html", context, filled.status)


def intake_page(reader: Reader, filled: Filled, tree_id: int) -> Response:
    """What became of files whose form was turned back: none went in."""
    message = next(iter(filled.errors.values()))
    # Said where the other results stand, with no file's name.
    results = [Intake("", None, message)]
    if reader.wants_part:
        return reader.page("photos/_intake.html", {"results": results}, filled.status)
    return photos_page(reader, tree_id, results, Filled(status=filled.status))


def facts_page(reader: Reader, filled: Filled, photo_id: int) -> Response:
    """The photos of a tree, with one whose day or kind cannot be kept."""
    return photos_page(reader, load_photo(reader.db, photo_id).tree_id, [], filled, photo_id)


@router.get("/trees/{tree_id}/photos", dependencies=only(Role.GUEST))
def list_photos(reader: Reader, tree_id: int) -> Response:
    return photos_page(reader, tree_id, [], Filled())


@router.post("/trees/{tree_id}/photos")
@shown_again_on(intake_page)
def put_in(
    reader: Reader,
    tree_id: int,
    form: Annotated[IntakeForm, Form(media_type="multipart/form-data")],
) -> Response:
    # An empty form is a slip; it must not look as if something had been put in.
    if not any(file.filename for file in form.files):
        raise BadInput("files", "Choose photos first.")
    files = sent(form.files)
    results = take_in(reader.studio, tree_id, files, form.kind, taken_on=form.taken_on)
    if reader.wants_part:
        return reader.page("photos/_intake.html", {"results": results})
    refused = any(result.refused for result in results)
    return photos_page(reader, tree_id, results, Filled(status=422 if refused else 200))


def moving_page(reader: Reader, filled: Filled, photo_id: int) -> Response:
    """One photo, with what is wrong about the tree it was to be moved to."""
    return _photo_page(reader, filled, photo_id)


@router.get("/photos/{photo_id}", dependencies=only(Role.GUEST))
def show_photo(
    reader: Reader, photo_id: int, beside: int | None = None, over: bool = False
) -> Response:
    return _photo_page(reader, Filled(), photo_id, beside, over)


def _photo_page(
    reader: PageReader,
    filled: Filled,
    photo_id: int,
    beside: int | None = None,
    over: bool = False,
) -> Response:
    view = view_photo(reader.db, photo_id, beside)
    context = {
        "view": view,
        "tree": load_tree(reader.db, view.photo.tree_id),
        "kinds": KINDS,
        "measured_on": MEASURED_ON,
        "over": over,
        "details": [] if reader.looks_on else file_details(reader.studio, view.photo),
        "other_trees": [] if reader.looks_on else tree_names(reader.db),
        "errors": filled.errors,
    }
    return reader.page("photos/photo.html", context, filled.status)


@router.post("/photos/{photo_id}")
@shown_again_on(facts_page)
def put_right(studio: StudioDep, photo_id: int, form: Annotated[PhotoForm, Form()]) -> Response:
    photo = edit_photo(studio, photo_id, form)
    return RedirectResponse(f"/trees/{photo.tree_id}/photos", 303)


class MoveForm(FormModel):
    """The tree a photo shows."""

    tree_id: RowNumber


@router.post("/photos/{photo_id}/tree")
@shown_again_on(moving_page)
def move(studio: StudioDep, photo_id: int, form: Annotated[MoveForm, Form()]) -> Response:
    move_photo(studio, photo_id, form.tree_id)
    return RedirectResponse(f"/photos/{photo_id}", 303)


@router.post("/trees/{tree_id}/photos/simulated")
def shoot_simulated(request: Request, studio: StudioDep, tree_id: int) -> Response:
    return _shoot(request, studio, tree_id, shoot_from_above)


@router.post("/trees/{tree_id}/photos/turntable")
def shoot_on_turntable(request: Request, studio: StudioDep, tree_id: int) -> Response:
    return _shoot(request, studio, tree_id, shoot_turntable)


@router.post("/trees/{tree_id}/photos/set")
def shoot_in_set(request: Request, studio: StudioDep, tree_id: int) -> Response:
    return _shoot(request, studio, tree_id, shoot_set)


@router.get("/photos/{photo_id}/{size}.jpg", dependencies=only(Role.GUEST))
def picture(reader: Reader, photo_id: int, size: str, v: str = "") -> FileResponse:
    photo = load_photo(reader.db, photo_id)
    path = reader.studio.photos.derivative(photo.digest, size)
    # By its number alone it may be another photo tomorrow, or another yard's.
    headers = KEEP_FOR_LONG if v and photo.digest.startswith(v) else ASK_AGAIN
    return FileResponse(path, media_type="image/jpeg", headers=headers)


def _shoot(
    request: Request, studio: Studio, tree_id: int, how: Callable[[Studio, int, Report], int]
) -> Response:
    """Take photos with the simulated camera; on to the desk of the first."""
    with studio.reading() as db:
        load_tree(db, tree_id)
    job = studio.jobs.begin(
        "Taking photos",
        lambda report: how(studio, tree_id, report),
        page="/photos/{}/desk",
        back=f"/trees/{tree_id}/photos",
    )
    return job_begun(job) if wants_json(request) else RedirectResponse(f"/jobs/{job.key}", 303)
