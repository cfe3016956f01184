"""Several together: trees of others to look at, and experience by species given and taken."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, UploadFile
from fastapi.responses import RedirectResponse, Response

from mirvo.core.errors import BadInput
from mirvo.studio.exchange import experience, others
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.standing.species import species_of
from mirvo.web.access import Role, only
from mirvo.web.drawings.year import draw_small_wheel
from mirvo.web.form_models import FormModel
from mirvo.web.forms import shown_again_on
from mirvo.web.reader import Reader, StudioDep
from mirvo.web.routes.exchange.exchange import exchange_page

router = APIRouter(dependencies=only(Role.OWNER))


class SentExperience(FormModel):
    """Experience of others, and whose it is."""

    experience: UploadFile | None = None
    source: str = ""


class SentOthers(FormModel):
    """An exchange file to look at."""

    others: UploadFile | None = None


class SourceForm(FormModel):
    """Whose experience goes."""

    source: str = ""


@router.get("/exchange/experience.json")
def give_experience(reader: Reader) -> Response:
    """Counts, shares and answers by species; no tree, no day, no name."""
    content = experience.experience_file(reader.db, reader.studio).model_dump_json(indent=1)
    header = {"Content-Disposition": 'attachment; filename="mirvo-experience.json"'}
    return Response(content, media_type="application/json", headers=header)


@router.post("/exchange/experience")
@shown_again_on(exchange_page)
def take_experience(
    studio: StudioDep, form: Annotated[SentExperience, Form(media_type="multipart/form-data")]
) -> Response:
    content = b"" if form.experience is None else form.experience.file.read(2 << 20)
    experience.take_experience(studio, content, form.source)
    return RedirectResponse("/exchange#club", 303)


@router.post("/exchange/experience/drop")
def drop_experience(studio: StudioDep, form: Annotated[SourceForm, Form()]) -> Response:
    experience.drop_experience(studio, form.source)
    return RedirectResponse("/exchange#club", 303)


@router.post("/exchange/others")
@shown_again_on(exchange_page)
def keep_others(
    studio: StudioDep, form: Annotated[SentOthers, Form(media_type="multipart/form-data")]
) -> Response:
    if form.others is None or not form.others.filename:
        raise BadInput("others", "Choose an exchange file first.")
    name = others.keep_to_look_at(studio, form.others.file)
    return RedirectResponse(f"/exchange/others/{name}", 303)


@router.get("/exchange/others/{name}")
def show_others(reader: Reader, name: str) -> Response:
    found, trees = others.trees_in(reader.studio, name)
    wheels = {
        tree.number: draw_small_wheel(tree.number, tree.measured)
        for tree in trees
        if tree.measured is not None
    }
    yard = yard_of(reader.db)
    species = {tree.number: species_of(yard, tree.species_key) for tree in trees}
    context = {"found": found, "trees": trees, "wheels": wheels, "species": species}
    return reader.page("exchange/others.html", context)


@router.get("/exchange/others/{name}/{digest}.jpg")
def others_photo(studio: StudioDep, name: str, digest: str) -> Response:
    return Response(others.photo_in(studio, name, digest), media_type="image/jpeg")


@router.post("/exchange/others/{name}/drop")
def drop_others(studio: StudioDep, name: str) -> Response:
    others.drop_file(studio, name)
    return RedirectResponse("/exchange#club", 303)
