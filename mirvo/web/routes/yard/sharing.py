"""Trees shown to others: what guests see, and the page behind a tree's link."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, Request
from fastapi.responses import FileResponse, RedirectResponse, Response

from mirvo.core.errors import NotFound
from mirvo.core.typed_values import read_whole
from mirvo.studio.photos.photo_queries import photos_of
from mirvo.studio.yard import sharing as use
from mirvo.studio.yard.shared_view import shared_photo, shared_view
from mirvo.web.access import Role, only
from mirvo.web.drawings.sheet import PHONE, draw_sheet
from mirvo.web.drawings.years import years_chart
from mirvo.web.form_models import OpenForm
from mirvo.web.reader import Reader, StudioDep

router = APIRouter(dependencies=only(Role.OWNER))


@router.get("/guest", dependencies=only(Role.GUEST))
def show_guest(reader: Reader) -> Response:
    """The trees a guest was shown; for others it is as if there were none."""
    person = reader.request.state.signed_in
    trees = use.trees_seen_by(reader.db, person.person_id or 0)
    newest = {tree.id: next(iter(photos_of(reader.db, tree.id)), None) for tree in trees}
    return reader.page("yard/guest.html", {"trees": trees, "newest": newest})


@router.post("/sharing/trees/{tree_id}")
def let_see(studio: StudioDep, tree_id: int, form: Annotated[OpenForm, Form()]) -> Response:
    """The guests that are ticked see the tree."""
    named = (name.removeprefix("guest-") for name in form.by_name if name.startswith("guest-"))
    use.let_guests_see(studio, tree_id, (n for n in map(read_whole, named) if n is not None))
    return _back(tree_id)


@router.post("/sharing/trees/{tree_id}/link")
def make_link(studio: StudioDep, tree_id: int) -> Response:
    use.share_tree(studio, tree_id)
    return _back(tree_id)


@router.post("/sharing/trees/{tree_id}/parts")
def choose_parts(studio: StudioDep, tree_id: int, form: Annotated[OpenForm, Form()]) -> Response:
    """What is ticked is shown behind the link."""
    named = (name.removeprefix("part-") for name in form.by_name if name.startswith("part-"))
    use.show_parts(studio, tree_id, named)
    return _back(tree_id)


@router.post("/sharing/trees/{tree_id}/withdraw")
def withdraw(studio: StudioDep, tree_id: int) -> Response:
    use.withdraw_link(studio, tree_id)
    return _back(tree_id)


@router.get("/shared/{secret}", dependencies=only(Role.ANYONE))
def show_shared(reader: Reader, secret: str) -> Response:
    """A tree to look at, for anybody who has its link."""
    view = shared_view(reader.db, secret, reader.today)
    context = {
        "view": view,
        "secret": secret,
        # The picture in the plan has an address of its own, which a link does not open.
        "plan_and_section": None if view.drawn is None else draw_sheet(view.drawn),
        "on_phone": None if view.drawn is None else draw_sheet(view.drawn, sizes=PHONE),
        "years": None if view.charted is None else years_chart(view.charted),
    }
    return reader.page("yard/shared.html", context)


@router.get("/shared/{secret}/{photo_id}/{size}.jpg", dependencies=only(Role.ANYONE))
def shared_picture(reader: Reader, secret: str, photo_id: int, size: str) -> FileResponse:
    photo = shared_photo(reader.db, secret, photo_id)
    if photo is None:
        raise NotFound("photo", "there is no such photo")
    path = reader.studio.photos.derivative(photo.digest, size)
    return FileResponse(path, media_type="image/jpeg")


def address_of(request: Request) -> str:
    """Where other devices find this server; where it is asked from, as long as it is not known."""
    known: str = getattr(request.app.state, "address", "")
    return known or str(request.base_url).rstrip("/")


def _back(tree_id: int) -> RedirectResponse:
    return RedirectResponse(f"/trees/{tree_id}/edit#sharing", 303)
