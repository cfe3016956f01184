"""What programs write: by the same forms and use cases as people."""

from __future__ import annotations

from typing import Annotated, Any, Literal
from uuid import uuid4

from fastapi import APIRouter, Form, Query, UploadFile

from mirvo.core.errors import BadInput, Conflict
from mirvo.core.limits.base import PastDay
from mirvo.core.limits.care import WeightFields
from mirvo.core.limits.sessions import SessionFields
from mirvo.core.limits.shelf import PotFields
from mirvo.core.limits.trees import TreeFields
from mirvo.records.models import CareTask, RootSession, ShelfPot, Tree
from mirvo.studio.bench_session.entries import save_entries
from mirvo.studio.bench_session.session import running_session
from mirvo.studio.exchange.tokens import NIGHTS, PHOTOS, WEIGHINGS, WRITE
from mirvo.studio.photos.intake import take_in
from mirvo.studio.records import aftercare
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.records.weights import water_use, weigh
from mirvo.studio.shelf.pots import add_pot
from mirvo.studio.standing.tree_queries import load_tree
from mirvo.studio.standing.weather import THERMOMETER, put_night
from mirvo.studio.yard.trees import add_tree, edit_tree
from mirvo.web.api.access import MOST, StudioDep, may
from mirvo.web.api.models import (
    NightIn,
    NightOut,
    PotRow,
    SessionRow,
    TakenIn,
    TaskIn,
    TaskRow,
    TickIn,
    TreeRow,
    WeighingIn,
    WeighingOut,
    WeightOut,
)
from mirvo.web.api.records import Number, row_of
from mirvo.web.form_models import FormModel

router = APIRouter()
FIELD_OF = {"offcuts": "offcuts_g", "ball": "ball_g"}


@router.post("/trees", status_code=201, response_model=TreeRow, dependencies=[may(WRITE)])
def new_tree(studio: StudioDep, tree: TreeFields) -> Any:
    """Add a tree."""
    number = add_tree(studio, tree).id
    with studio.reading() as db:
        return row_of(db, Tree, number)


@router.put("/trees/{tree_id}", response_model=TreeRow, dependencies=[may(WRITE)])
def change_tree(
    studio: StudioDep,
    tree_id: Number,
    tree: TreeFields,
    version: Annotated[int, Query(ge=0, le=MOST, description="The `version` it was read with.")],
) -> Any:
    """Change a tree; 409 when somebody else did since it was read."""
    edit_tree(studio, tree_id, tree, version)
    with studio.reading() as db:
        return row_of(db, Tree, tree_id)


@router.post(
    "/trees/{tree_id}/sessions",
    status_code=201,
    response_model=SessionRow,
    dependencies=[may(WRITE)],
)
def new_session(studio: StudioDep, tree_id: Number, session: SessionFields) -> Any:
    """Record a root session; its share, budget and aftercare are worked out."""
    number = record_session(studio, tree_id, session).id
    with studio.reading() as db:
        return row_of(db, RootSession, number)


@router.post(
    "/trees/{tree_id}/tasks", status_code=201, response_model=TaskRow, dependencies=[may(WRITE)]
)
def new_task(studio: StudioDep, tree_id: Number, task: TaskIn) -> Any:
    """Add something to look at on a day."""
    number = aftercare.set_task(studio, tree_id, task.text, task.due).id
    with studio.reading() as db:
        return row_of(db, CareTask, number)


@router.put("/tasks/{task_id}", response_model=TaskRow, dependencies=[may(WRITE)])
def tick_task(studio: StudioDep, task_id: Number, tick: TickIn) -> Any:
    """Say that a task is done, or open again."""
    aftercare.tick(studio, task_id, tick.done)
    with studio.reading() as db:
        return row_of(db, CareTask, task_id)


@router.post("/pots", status_code=201, response_model=PotRow, dependencies=[may(WRITE)])
def new_pot(studio: StudioDep, pot: PotFields) -> Any:
    """Put a pot on the shelf."""
    number = add_pot(studio, pot).id
    with studio.reading() as db:
        return row_of(db, ShelfPot, number)


@router.put("/nights", dependencies=[may(NIGHTS)])
def write_night(studio: StudioDep, night: NightIn) -> NightOut:
    """Keep the lowest temperature of a night; written again it is replaced."""
    put_night(studio, night.night, night.low_c, THERMOMETER)
    return NightOut(night=night.night, low_c=night.low_c, source=THERMOMETER)


@router.post("/trees/{tree_id}/weighings", status_code=201, dependencies=[may(WEIGHINGS)])
def write_weighing(studio: StudioDep, tree_id: Number, weighing: WeighingIn) -> WeighingOut:
    """Write a weight into the session that runs for a tree; 409 where none does."""
    with studio.reading() as db:
        load_tree(db, tree_id)
        bench = running_session(db, tree_id)
    if bench is None:
        raise Conflict("", "no session runs for this tree; begin one at the bench")
    entry = {
        "id": uuid4().hex,
        "field": FIELD_OF[weighing.what],
        "value": weighing.grams,
        "at": studio.now.isoformat(),
    }
    refused = save_entries(studio, bench.id, [entry]).refused
    if refused:
        raise BadInput(refused[0].field, refused[0].message)
    return WeighingOut(bench_session=bench.id, what=weighing.what, grams=weighing.grams)


@router.post("/trees/{tree_id}/weights", status_code=201, dependencies=[may(WEIGHINGS)])
def write_weight(studio: StudioDep, tree_id: Number, weight: WeightFields) -> WeightOut:
    """Keep what a tree in its pot weighs now; from two weighings follows the water it uses."""
    weigh(studio, tree_id, weight.grams)
    with studio.reading() as db:
        return WeightOut(grams=weight.grams, grams_a_day=water_use(db, tree_id).grams_a_day)


class PhotoIn(FormModel):
    """A photo of a tree. taken_on : by default as the file says, else today."""

    photo: UploadFile
    kind: Literal[
        "top", "side", "before", "after", "follow-up", "crown", "wound", "pot", "other"
    ] = "top"
    taken_on: PastDay | None = None


@router.post("/trees/{tree_id}/photos", status_code=201, dependencies=[may(PHOTOS)])
def new_photo(
    studio: StudioDep,
    tree_id: Number,
    sent: Annotated[PhotoIn, Form(media_type="multipart/form-data")],
) -> TakenIn:
    """Add a photo to a tree."""
    name = sent.photo.filename or "photo"
    files = [(name, sent.photo.file.read())]
    [taken] = take_in(studio, tree_id, files, sent.kind, taken_on=sent.taken_on)
    if taken.photo is None:
        raise BadInput("photo", taken.refused or "this photo cannot be used")
    remarks = [remark.text for remark in taken.remarks]
    return TakenIn(photo_id=taken.photo.id, file_name=name, remarks=remarks)
