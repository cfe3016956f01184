"""Sessions: recording a root session, its preview, its record and its correction."""

from typing import Annotated, Any
from urllib.parse import quote

from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import RedirectResponse, Response
from pydantic import model_validator

from mirvo.core.almanac import rules
from mirvo.core.limits.care import AnswerFields
from mirvo.core.limits.sessions import SessionFields
from mirvo.core.rootwork import KINDS
from mirvo.core.rootwork.bench import fields_for
from mirvo.core.rootwork.cut_order import roots_to_cut
from mirvo.core.rootwork.cuts import HALF
from mirvo.core.typed_values import read_number
from mirvo.records.models import RootSession
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.photos.intake import take_in
from mirvo.studio.photos.photo_queries import compared_photos, photos_of_session
from mirvo.studio.records import root_sessions as use
from mirvo.studio.records.aftercare import tasks_of_session
from mirvo.studio.records.answers import answers_seen, experience_with, put_answer
from mirvo.studio.records.corrections import correct_session, form_of_session, roots_to_tick
from mirvo.studio.records.record import record_of
from mirvo.studio.records.session_form import ENTERED
from mirvo.studio.shelf.pots import pot_choices
from mirvo.studio.shelf.soil import recipe_choices
from mirvo.studio.standing.species import species_of_tree
from mirvo.studio.standing.standing import standing_of
from mirvo.studio.standing.tree_queries import cuts_of, load_tree, sessions_of
from mirvo.web.access import Role, only
from mirvo.web.drawings.record import draw_record_section, draw_record_wheel
from mirvo.web.form_models import FormModel
from mirvo.web.forms import Fields, Filled, as_field, fields_from, shown_again_on
from mirvo.web.reader import PageReader, Reader, StudioDep, came_from
from mirvo.web.routes.photos.photos import Files, sent

router = APIRouter(dependencies=only(Role.HELPER))
ROOT, PART = "root-", "part-"


class EnteredSession(SessionFields, FormModel):
    """A session's form as its page sends it: a pair of fields for each root, and photos."""

    photos_before: Files = []  # noqa: RUF012  pydantic copies it
    photos_after: Files = []  # noqa: RUF012

    @model_validator(mode="before")
    @classmethod
    def _gather_roots(cls, fields: Any) -> Any:
        """root-A and part-A become one root done."""
        # Built in code the roots are there already.
        if not isinstance(fields, dict) or "roots" in fields:
            return fields
        labels = [name.removeprefix(ROOT) for name in fields if name.startswith(ROOT)]
        roots = [
            {
                "label": label,
                "action": fields[f"{ROOT}{label}"],
                "part": _share(fields.get(f"{PART}{label}")),
            }
            for label in labels
        ]
        return {**fields, "roots": roots}


def _share(percent: Any) -> float:
    """The part cut off, given in percent; half of the root where that is no number."""
    given = read_number(str(percent or ""))
    # More than the whole root is a slip of the finger.
    return HALF if given is None else min(given / 100, 1.0)


class FollowUpForm(FormModel):
    """Photos taken after a session."""

    kind: str = "follow-up"
    files: Files = []  # noqa: RUF012


class Correction(EnteredSession):
    """The form of a record to be put right, with the version it was filled in on."""

    version: int | None = None


Entered = Annotated[EnteredSession, Form(media_type="multipart/form-data")]


@router.get("/trees/{tree_id}/sessions", dependencies=only(Role.GUEST))
def list_sessions(reader: Reader, tree_id: int) -> Response:
    context = {
        "tree": load_tree(reader.db, tree_id),
        "sessions": sessions_of(reader.db, tree_id),
        "cuts": cuts_of(reader.db, tree_id),
    }
    return reader.page("records/sessions.html", context)


def new_page(reader: Reader, filled: Filled, tree_id: int) -> Response:
    """The form of a session to be recorded."""
    return _form_page(reader, filled, tree_id, None)


def correction_page(reader: Reader, filled: Filled, session_id: int) -> Response:
    """The form of a record to be put right."""
    session = use.load_session(reader.db, session_id)
    return _form_page(reader, filled, session.tree_id, session)


@router.get("/trees/{tree_id}/sessions/new")
def new_session(reader: Reader, tree_id: int) -> Response:
    fields: Fields = {"done_on": reader.today.isoformat()}
    last = next(iter(sessions_of(reader.db, tree_id)), None)
    if last is not None:
        depth = last.ball_depth_after
        fields |= {
            "pot_before": last.pot_after,
            "pot_id": load_tree(reader.db, tree_id).pot_id or "",
            "container_after": last.container_after,
            "ball_depth_before": "" if depth is None else as_field(depth),
        }
    return new_page(reader, Filled(fields), tree_id)


def preview_part(reader: Reader, filled: Filled, tree_id: int) -> Response:
    """Why what is entered so far gives no share yet."""
    context = {"estimate": None, "errors": filled.errors}
    return reader.page("records/_share.html", context)


@router.post("/trees/{tree_id}/sessions/preview")
@shown_again_on(preview_part)
def preview(reader: Reader, tree_id: int, form: Entered) -> Response:
    estimate = use.preview_session(reader.db, reader.studio, tree_id, form)
    return reader.page("records/_share.html", {"estimate": estimate, "errors": {}})


@router.post("/trees/{tree_id}/sessions")
@shown_again_on(new_page)
def record(studio: StudioDep, tree_id: int, form: Entered) -> Response:
    kept = use.record_session(studio, tree_id, form)
    photos = (("before", form.photos_before), ("after", form.photos_after))
    refused = [
        sentence for kind, files in photos for sentence in _put_in(studio, kept, files, kind)
    ]
    return _to_record(kept.id, refused)


@router.get("/sessions/{session_id}/edit")
def correction(reader: Reader, session_id: int) -> Response:
    session = use.load_session(reader.db, session_id)
    return correction_page(reader, Filled(_fields_of(reader, session)), session_id)


@router.post("/sessions/{session_id}/edit")
@shown_again_on(correction_page)
def correct(
    studio: StudioDep,
    session_id: int,
    form: Annotated[Correction, Form(media_type="multipart/form-data")],
) -> Response:
    correct_session(studio, session_id, form, form.version)
    return _to_record(session_id, [])


@router.get("/sessions/{session_id}", dependencies=only(Role.GUEST))
def show_session(reader: Reader, session_id: int, refused: str = "") -> Response:
    return _record_page(reader, Filled(), session_id, refused)


def answer_page(reader: Reader, filled: Filled, session_id: int) -> Response:
    """A record, with what is wrong with the answer that was filled in."""
    return _record_page(reader, filled, session_id, "")


def _record_page(reader: PageReader, filled: Filled, session_id: int, refused: str) -> Response:
    session = use.load_session(reader.db, session_id)
    tree = load_tree(reader.db, session.tree_id)
    record = record_of(reader.db, session, tree)
    context = {
        "record": record,
        "wheel": draw_record_wheel(record),
        "section": draw_record_section(record),
        "fields_of_answer": filled.fields,
        "errors": filled.errors,
        "answered": answers_seen(reader.db, session),
        "experience": experience_with(reader.db, tree.species_key),
        "stands": standing_of(reader.db, session.tree_id, reader.today),
        "session": session,
        "tree": tree,
        "tasks": tasks_of_session(reader.db, session_id),
        "refused": refused,
        "cuts": record.cuts,
        "fields": fields_for(session.kind),
        "compared": compared_photos(reader.db, session),
        "photos": photos_of_session(reader.db, session_id),
    }
    return reader.page("records/record.html", context, filled.status)


class AnswerForm(AnswerFields, FormModel):
    """What is seen of a tree today, as it is filled in."""

    shoots_today: bool = False


@router.post("/sessions/{session_id}/answers")
@shown_again_on(answer_page)
def answer(
    request: Request, studio: StudioDep, session_id: int, form: Annotated[AnswerForm, Form()]
) -> Response:
    put_answer(studio, session_id, form, form.shoots_today)
    return RedirectResponse(came_from(request, f"/sessions/{session_id}"), 303)


@router.post("/sessions/{session_id}/photos")
def follow_up(
    reader: Reader,
    session_id: int,
    form: Annotated[FollowUpForm, Form(media_type="multipart/form-data")],
) -> Response:
    session = use.load_session(reader.db, session_id)
    return _to_record(session_id, _put_in(reader.studio, session, form.files, form.kind))


def _put_in(studio: Studio, session: RootSession, files: list[UploadFile], kind: str) -> list[str]:
    """Sentences about the photos of a session that could not be taken in."""
    results = take_in(studio, session.tree_id, sent(files), kind, session.id)
    return [result.refused for result in results if result.refused]


def _to_record(session_id: int, refused: list[str]) -> Response:
    # The record is kept whatever becomes of its photos; what was refused is said there.
    suffix = f"?refused={quote('; '.join(refused))}" if refused else ""
    return RedirectResponse(f"/sessions/{session_id}{suffix}", 303)


def _fields_of(reader: PageReader, session: RootSession) -> dict[str, str]:
    """A record as the fields of its form."""
    form = form_of_session(reader.db, session)
    fields = fields_from(form, (*ENTERED, "measurement_id"))
    for root in form.roots:
        fields[f"{ROOT}{root.label}"] = root.action
        fields[f"{PART}{root.label}"] = as_field(root.part * 100)
    return fields


def _form_page(
    reader: PageReader, filled: Filled, tree_id: int, session: RootSession | None
) -> Response:
    tree = load_tree(reader.db, tree_id)
    base = roots_to_tick(reader.db, tree_id, session)
    last = next(iter(sessions_of(reader.db, tree_id)), None)
    context = {
        "tree": tree,
        "session": session,
        "species": species_of_tree(yard_of(reader.db), tree),
        "fields": filled.fields,
        "errors": filled.errors,
        "kept": _fields_of(reader, session) if session and "version" in filled.errors else {},
        "kinds": KINDS,
        "containers": list(rules().containers),
        "pots": pot_choices(reader.db, tree),
        "recipes": recipe_choices(reader.db),
        "base": base,
        "advice": {cut.label: cut for cut in roots_to_cut(base.roots if base else ())},
        "left_over": last if session is None and last and last.next_time else None,
        "estimate": None,
    }
    return reader.page("records/form.html", context, filled.status)
