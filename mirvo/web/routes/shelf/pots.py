"""The shelf of pots, a pot's page, and the pots of a tree."""

from typing import Annotated

from fastapi import APIRouter, Form, UploadFile
from fastapi.responses import FileResponse, RedirectResponse, Response

from mirvo.core.errors import BadInput
from mirvo.core.limits.base import RowNumber
from mirvo.core.limits.shelf import POT_CONDITIONS, PotFields
from mirvo.core.pot import SHAPES, proportions
from mirvo.studio.shelf import pots as use
from mirvo.studio.standing.pot_of_tree import load_pot, tree_in
from mirvo.web.access import Role, only
from mirvo.web.drawings.pots import draw_fit, draw_pot, shelf_scale
from mirvo.web.form_models import FormModel
from mirvo.web.forms import Filled, fields_from, shown_again_on
from mirvo.web.paging import page_of
from mirvo.web.reader import ASK_AGAIN, Reader, StudioDep

router = APIRouter(dependencies=only(Role.HELPER))
POTS = 60


class PotForm(PotFields, FormModel):
    """A pot as it is filled in."""


class EditForm(PotForm):
    """A pot's form with the version the edit began on."""

    version: int = 0


class PhotoForm(FormModel):
    """A photo of a pot."""

    pot_photo: UploadFile | None = None


class StandsForm(FormModel):
    """The pot a tree stands in; none of the shelf when empty."""

    pot_id: RowNumber | None = None


@router.get("/shelf")
def show_shelf(reader: Reader, page: str = "") -> Response:
    shown = page_of(use.shelf_order(reader.db), page, POTS)
    pots = use.on_shelf(reader.db, shown.lines)
    scale = shelf_scale([one.pot.inside for one in pots])
    drawings = {
        one.pot.id: draw_pot(f"pot-{one.pot.id}", one.pot.inside, one.pot.feet_mm, scale)
        for one in pots
    }
    return reader.page("shelf/shelf.html", {"shown": shown, "pots": pots, "drawings": drawings})


def pot_page(reader: Reader, filled: Filled, pot_id: RowNumber | None = None) -> Response:
    """The form of a pot, new or kept; two saves at once are laid side by side."""
    pot = None if pot_id is None else load_pot(reader.db, pot_id)
    kept = {} if pot is None else fields_from(pot, use.ENTERED)
    fields = filled.fields
    if pot is not None and "version" in filled.errors:
        # Sent again it is meant, so the next save is on top of the newer version.
        fields = {**fields, "version": str(pot.version)}
    to_scale = None
    if pot is not None:
        to_scale = draw_pot("pot", pot.inside, pot.feet_mm, shelf_scale([pot.inside]))
    context = {
        "pot": pot,
        "tree": None if pot is None else tree_in(reader.db, pot.id),
        "to_scale": to_scale,
        "fields": fields,
        "errors": filled.errors,
        "kept": kept,
        "shapes": SHAPES,
        "conditions": POT_CONDITIONS,
    }
    return reader.page("shelf/pot.html", context, filled.status)


@router.get("/shelf/pots/new")
def new_pot(reader: Reader) -> Response:
    return pot_page(reader, Filled())


@router.post("/shelf/pots")
@shown_again_on(pot_page)
def add_pot(studio: StudioDep, form: Annotated[PotForm, Form()]) -> Response:
    use.add_pot(studio, form)
    return RedirectResponse("/shelf", 303)


@router.get("/shelf/pots/{pot_id}")
def show_pot(reader: Reader, pot_id: int) -> Response:
    return pot_page(reader, Filled(fields_from(load_pot(reader.db, pot_id), use.ENTERED)), pot_id)


@router.post("/shelf/pots/{pot_id}")
@shown_again_on(pot_page)
def edit_pot(studio: StudioDep, pot_id: int, form: Annotated[EditForm, Form()]) -> Response:
    details = PotFields.model_validate(form.model_dump(exclude={"version"}))
    use.edit_pot(studio, pot_id, details, form.version)
    return RedirectResponse("/shelf", 303)


@router.post("/shelf/pots/{pot_id}/photo")
@shown_again_on(pot_page)
def keep_photo(
    studio: StudioDep,
    pot_id: int,
    form: Annotated[PhotoForm, Form(media_type="multipart/form-data")],
) -> Response:
    content = b"" if form.pot_photo is None else form.pot_photo.file.read()
    if not content:
        raise BadInput("pot_photo", "Choose a photo first.")
    name = (form.pot_photo.filename if form.pot_photo else "") or "photo"
    use.keep_pot_photo(studio, pot_id, name, content)
    return RedirectResponse(f"/shelf/pots/{pot_id}", 303)


@router.get("/shelf/pots/{pot_id}/photo/{size}.jpg")
def show_photo(reader: Reader, pot_id: int, size: str) -> FileResponse:
    pot = load_pot(reader.db, pot_id)
    path = reader.studio.photos.derivative(pot.photo_digest, size)
    return FileResponse(path, media_type="image/jpeg", headers=ASK_AGAIN)


def tree_pot_page(
    reader: Reader, filled: Filled, tree_id: int, chosen: int | None = None, turned: float = 0.0
) -> Response:
    """Which pot a tree stands in and how it goes into the others."""
    found = use.tree_and_pots(reader.db, tree_id, reader.today, chosen, turned)
    to_scale, looks = None, []
    if found.chosen is not None:
        pot = found.chosen.on_shelf.pot
        ball = found.ball.tilted(found.angle_deg)
        base = None if found.base is None else found.base.record
        fits, moved = found.chosen.now, found.moved
        to_scale = draw_fit(pot.inside, ball, fits, moved, base, pot.feet_mm)
        trunk = base.trunk_diameter_mm.value if base else found.stands.tree.trunk_mm
        looks = proportions(pot.inside, trunk, found.stands.tree.height_mm)
    context = {
        "tree": found.stands.tree,
        "found": found,
        "to_scale": to_scale,
        "looks": looks,
        "errors": filled.errors,
        "turned": turned,
    }
    return reader.page("shelf/tree_pot.html", context, filled.status)


@router.get("/trees/{tree_id}/pot")
def show_tree_pot(
    reader: Reader, tree_id: int, pot: int | None = None, turned: float = 0.0
) -> Response:
    return tree_pot_page(reader, Filled(), tree_id, pot, turned)


@router.post("/trees/{tree_id}/pot")
@shown_again_on(tree_pot_page)
def stand_in(studio: StudioDep, tree_id: int, form: Annotated[StandsForm, Form()]) -> Response:
    use.put_tree_in(studio, tree_id, form.pot_id)
    return RedirectResponse(f"/trees/{tree_id}/pot", 303)
