"""Root desk: the page, and keeping marks with the figures they give."""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import JSONResponse, Response
from pydantic import StrictInt

from mirvo.core.measure.drafts import SideDraft
from mirvo.core.measure.records import RootPlane
from mirvo.core.rootwork.cuts import HALF
from mirvo.core.rootwork.design import faults_for
from mirvo.studio.measuring import desk as use
from mirvo.studio.measuring.photo_sets import letters_elsewhere, members_of_set
from mirvo.studio.measuring.root_plane import root_plane_of_day, views_of_day
from mirvo.studio.measuring.roots_of_tree import letters_at_hand
from mirvo.studio.standing.tree_queries import design_of, load_tree
from mirvo.web.access import Role, only
from mirvo.web.drawings.wheel import draw_wheel
from mirvo.web.form_models import SentModel
from mirvo.web.reader import Context, PageReader, Reader

router = APIRouter(dependencies=only(Role.HELPER))
WHEEL_PX = 330.0


class SentMarks(SentModel):
    """Marks as they stand in the browser, and the revision they were changed from."""

    revision: StrictInt
    marks: Any = None


@router.get("/photos/{photo_id}/desk")
def show_desk(reader: Reader, photo_id: int) -> Response:
    state = use.open_desk(reader.db, reader.studio, photo_id)
    tree = load_tree(reader.db, state.photo.tree_id)
    context = {**_context(reader, state), "tree": tree, "state": state}
    return reader.page("measuring/desk.html", context)


@router.get("/photos/{photo_id}/marks")
def show_marks(reader: Reader, photo_id: int) -> JSONResponse:
    state = use.open_desk(reader.db, reader.studio, photo_id)
    return JSONResponse({"revision": state.revision, "marks": state.marks.as_json()})


@router.put("/photos/{photo_id}/marks")
def save_marks(reader: Reader, photo_id: int, sent: SentMarks) -> JSONResponse:
    state = use.save_marks(reader.studio, photo_id, sent.marks, sent.revision)
    # What is shown rests on what was just kept, so it is read anew.
    with reader.studio.reading() as db:
        fresh = PageReader(reader.request, reader.studio, db)
        context = _context(fresh, state)
        panel = fresh.render(context["panel"], context)
    problem = state.found.problem
    return JSONResponse(
        {
            "revision": state.revision,
            "problem": problem and {"field": problem.field, "message": problem.message},
            "missing": state.found.missing,
            "letters": context["letters"],
            "panel": panel,
        }
    )


def _context(reader: PageReader, state: use.DeskState) -> Context:
    side = isinstance(state.marks, SideDraft)
    return {
        "found": state.found,
        "doubt": state.doubt,
        "tree_id": state.photo.tree_id,
        "marks": state.marks,
        "here": state.photo.id,
        "half": HALF,
        **(_side_context(reader, state) if side else _top_context(reader, state)),
    }


def _top_context(reader: PageReader, state: use.DeskState) -> Context:
    photo, measured = state.photo, state.found.top
    members = members_of_set(reader.db, photo.tree_id, photo.taken_on)
    return {
        "panel": "measuring/_figures.html",
        "view": "top",
        "wheel": None if measured is None else draw_wheel(measured, WHEEL_PX),
        "letters": letters_at_hand(letters_elsewhere(members, photo)),
        "faults": {}
        if measured is None
        else {
            root.label: faults_for(design_of(reader.db, photo.tree_id), root.faults)
            for root in measured.roots
        },
        # A photo that is in no set shows no set.
        "members": members if any(member.photo.id == photo.id for member in members) else [],
    }


def _side_context(reader: PageReader, state: use.DeskState) -> Context:
    photo = state.photo
    day = (photo.tree_id, photo.taken_on)
    plane: RootPlane | None = root_plane_of_day(reader.db, reader.studio, *day)
    return {
        "panel": "measuring/_side_figures.html",
        "view": "side",
        "letters": letters_at_hand([]),
        "plane": plane,
        "views": views_of_day(reader.db, *day),
    }
