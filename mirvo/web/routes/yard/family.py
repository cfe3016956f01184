"""The family of a tree: what it came from and what came from it."""

from typing import Annotated

from fastapi import APIRouter, Form
from fastapi.responses import RedirectResponse, Response

from mirvo.core.limits.base import RowNumber
from mirvo.core.limits.trees import GRAFT_KINDS, GraftFields
from mirvo.studio.yard.family import (
    Member,
    add_graft,
    batch_of,
    drop_graft,
    family_of,
    grafts_of,
    set_parent,
)
from mirvo.web.access import Role, only
from mirvo.web.drawings.scene import Scene
from mirvo.web.drawings.year import draw_small_wheel
from mirvo.web.form_models import FormModel
from mirvo.web.forms import Filled, shown_again_on
from mirvo.web.reader import Reader, StudioDep

router = APIRouter(dependencies=only(Role.HELPER))


class GraftForm(GraftFields, FormModel):
    """A graft as it is filled in."""


class ParentForm(FormModel):
    """The tree another one came from; none of these when empty."""

    parent_id: RowNumber | None = None


def family_page(reader: Reader, filled: Filled, tree_id: int) -> Response:
    """All members, the eldest first."""
    family = family_of(reader.db, tree_id, reader.today)
    context = {
        "tree": family.tree,
        "family": family,
        "wheels": _wheels(family.eldest),
        "errors": filled.errors,
        "fields": filled.fields,
        "grafts": grafts_of(reader.db, tree_id),
        "graft_kinds": [(kind, kind) for kind in GRAFT_KINDS],
        "batch": batch_of(reader.db, family.tree, reader.today),
    }
    return reader.page("yard/family.html", context, filled.status)


def _wheels(member: Member) -> dict[int, Scene]:
    measured, drawn = member.row.measured, {}
    if measured is not None:
        drawn[member.row.tree.id] = draw_small_wheel(member.row.tree.id, measured)
    for child in member.children:
        drawn |= _wheels(child)
    return drawn


@router.get("/trees/{tree_id}/family")
def show_family(reader: Reader, tree_id: int) -> Response:
    return family_page(reader, Filled(), tree_id)


@router.post("/trees/{tree_id}/family")
@shown_again_on(family_page)
def came_from(studio: StudioDep, tree_id: int, form: Annotated[ParentForm, Form()]) -> Response:
    set_parent(studio, tree_id, form.parent_id)
    return RedirectResponse(f"/trees/{tree_id}/family", 303)


@router.post("/trees/{tree_id}/grafts")
@shown_again_on(family_page)
def note_graft(studio: StudioDep, tree_id: int, form: Annotated[GraftForm, Form()]) -> Response:
    add_graft(studio, tree_id, form)
    return RedirectResponse(f"/trees/{tree_id}/family#grafts", 303)


@router.post("/trees/{tree_id}/grafts/{graft_id}/drop", dependencies=only(Role.OWNER))
def take_graft_back(studio: StudioDep, tree_id: int, graft_id: int) -> Response:
    drop_graft(studio, tree_id, graft_id)
    return RedirectResponse(f"/trees/{tree_id}/family#grafts", 303)
