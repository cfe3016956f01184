"""Session: recording a root session, its preview and its record."""

from typing import Any
from urllib.parse import quote

from fastapi import Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import FormData

from mirvo.core.almanac import rules
from mirvo.core.errors import BadInput
from mirvo.core.rootwork import KINDS
from mirvo.core.rootwork.advice import roots_to_cut
from mirvo.core.rootwork.bench import fields_for
from mirvo.records.models import Session
from mirvo.studio import sessions as use
from mirvo.studio.care import tasks_of_session
from mirvo.studio.corrections import correct_session, form_of_session, roots_to_tick
from mirvo.studio.photos import KINDS as PHOTO_KINDS
from mirvo.studio.photos import compared_photos, photos_of_session, take_in
from mirvo.studio.species import species_of
from mirvo.studio.trees import get_tree
from mirvo.web.forms import fields_of, read_form
from mirvo.web.pages import page, routes, studio_of
from mirvo.web.routes.photos import MOST_FILES, sent_files

router = routes()
PHOTO_FIELDS = (("photos_before", "before"), ("photos_after", "after"))


@router.get("/trees/{tree_id}/sessions")
def list_sessions(request: Request, tree_id: int) -> HTMLResponse:
    studio = studio_of(request)
    context = {
        "tree": get_tree(studio, tree_id),
        "sessions": use.sessions_of_tree(studio, tree_id),
        "kind_name": use.kind_name,
    }
    return page(request, "session/list.html", context)


@router.get("/trees/{tree_id}/sessions/new")
def new_session(request: Request, tree_id: int) -> HTMLResponse:
    studio = studio_of(request)
    before = use.sessions_of_tree(studio, tree_id)
    fields: dict[str, Any] = {"done_on": studio.today.isoformat()}
    if before:
        last = before[0]
        depth = last.ball_after.get("depth_mm")
        fields |= {
            "pot_before": last.pot_after,
            "container_after": last.container_after,
            "ball_depth_before": "" if depth is None else f"{depth:g}",
        }
    return _form(request, tree_id, fields, {})


@router.post("/trees/{tree_id}/sessions/preview")
async def preview(request: Request, tree_id: int) -> HTMLResponse:
    async with request.form(max_files=MOST_FILES) as sent:
        fields, _ = _entered(sent)
    form, errors = read_form(use.SessionForm, fields)
    reckoned = None
    if form is not None:
        try:
            reckoned = use.preview_session(studio_of(request), tree_id, form)
        except BadInput as error:
            errors = {error.field: error.message}
    return page(request, "session/_reckoning.html", {"reckoned": reckoned, "errors": errors})


@router.post("/trees/{tree_id}/sessions")
async def record(request: Request, tree_id: int) -> Response:
    async with request.form(max_files=MOST_FILES) as sent:
        fields, raw = _entered(sent)
        photos = [(kind, await sent_files(sent, name)) for name, kind in PHOTO_FIELDS]
    form, errors = read_form(use.SessionForm, fields)
    studio = studio_of(request)
    if form is not None:
        try:
            kept = await run_in_threadpool(use.record_session, studio, tree_id, form)
        except BadInput as error:
            errors = {error.field: error.message}
        else:
            refused = await run_in_threadpool(_take_in, request, kept, photos)
            suffix = f"?refused={quote('; '.join(refused))}" if refused else ""
            return RedirectResponse(f"/sessions/{kept.id}{suffix}", 303)
    return _form(request, tree_id, raw, errors, 422)


@router.get("/sessions/{session_id}/edit")
def correction(request: Request, session_id: int) -> HTMLResponse:
    session = use.get_session(studio_of(request), session_id)
    return _form(request, session.tree_id, _fields_of_record(session), {}, session=session)


@router.post("/sessions/{session_id}/edit")
async def correct(request: Request, session_id: int) -> Response:
    async with request.form(max_files=MOST_FILES) as sent:
        fields, raw = _entered(sent)
    studio = studio_of(request)
    form, errors = read_form(use.SessionForm, fields)
    if form is not None:
        try:
            await run_in_threadpool(correct_session, studio, session_id, form)
            return RedirectResponse(f"/sessions/{session_id}", 303)
        except BadInput as error:
            errors = {error.field: error.message}
    session = use.get_session(studio, session_id)
    return _form(request, session.tree_id, raw, errors, 422, session)


def _fields_of_record(session: Session) -> dict[str, Any]:
    """A record as the fields of its form."""
    form = form_of_session(session)
    fields: dict[str, Any] = {}
    for name, value in form.model_dump(exclude={"roots", "details"}).items():
        if isinstance(value, float):
            fields[name] = f"{value:g}"
        elif value not in (None, False):
            fields[name] = str(value)
    for root in form.roots:
        fields[f"root-{root.label}"] = root.action
        fields[f"part-{root.label}"] = f"{root.part * 100:g}"
    return fields


@router.get("/sessions/{session_id}")
def show_session(request: Request, session_id: int, refused: str = "") -> HTMLResponse:
    studio = studio_of(request)
    session = use.get_session(studio, session_id)
    tree = get_tree(studio, session.tree_id)
    context = {
        "session": session,
        "tree": tree,
        "kind_name": use.kind_name,
        "tasks": tasks_of_session(studio, session_id),
        "refused": refused,
        "decided": (session.details or {}).get("decided", {}),
        "fields": fields_for(session.kind),
        "compared": compared_photos(studio, session),
        "photos": photos_of_session(studio, session_id),
        "photo_kinds": PHOTO_KINDS,
    }
    return page(request, "session/record.html", context)


@router.post("/sessions/{session_id}/photos")
async def follow_up(request: Request, session_id: int) -> Response:
    studio = studio_of(request)
    session = use.get_session(studio, session_id)
    async with request.form(max_files=MOST_FILES) as sent:
        files = await sent_files(sent, "files")
        kind = str(sent.get("kind", "follow-up"))
    taken = await run_in_threadpool(take_in, studio, session.tree_id, files, kind, session_id)
    refused = "; ".join(one.refused for one in taken if one.refused)
    suffix = f"?refused={quote(refused)}" if refused else ""
    return RedirectResponse(f"/sessions/{session_id}{suffix}", 303)


def _take_in(
    request: Request, kept: Session, photos: list[tuple[str, list[tuple[str, bytes]]]]
) -> list[str]:
    """Sentences about the photos of a session that could not be taken in."""
    studio = studio_of(request)
    return [
        result.refused
        for kind, files in photos
        for result in take_in(studio, kept.tree_id, files, kind, kept.id)
        if result.refused
    ]


def _entered(sent: FormData) -> tuple[dict[str, Any], dict[str, Any]]:
    """Fields for the model (roots gathered) and the raw ones to fill the form again."""
    raw = fields_of(sent)
    labels = [name.removeprefix("root-") for name in raw if name.startswith("root-")]
    roots = []
    for label in labels:
        part = raw.get(f"part-{label}", "50")
        share = float(part) / 100 if part.replace(".", "", 1).isdigit() else 0.5
        roots.append({"label": label, "action": raw[f"root-{label}"], "part": min(share, 1.0)})
    return {**raw, "roots": roots, "matted": "matted" in raw}, raw


def _form(
    request: Request,
    tree_id: int,
    fields: dict[str, Any],
    errors: dict[str, str],
    status: int = 200,
    session: Session | None = None,
) -> HTMLResponse:
    studio = studio_of(request)
    tree = get_tree(studio, tree_id)
    measurement, roots = roots_to_tick(studio, tree_id, session)
    before = use.sessions_of_tree(studio, tree_id)
    context = {
        "tree": tree,
        "session": session,
        "species": species_of(studio.yard(), tree.species_key),
        "fields": fields,
        "errors": errors,
        "kinds": KINDS,
        "containers": list(rules().containers),
        "measurement": measurement,
        "roots": roots,
        "advice": {cut.label: cut for cut in roots_to_cut(roots)},
        "left_over": before[0] if not session and before and before[0].next_time else None,
        "reckoned": None,
    }
    return page(request, "session/form.html", context, status)
