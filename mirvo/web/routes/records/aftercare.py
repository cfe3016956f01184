"""Looking after trees: ticking tasks, noting a watering or a weight."""

from typing import Annotated

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from mirvo.core.limits.care import WeightFields
from mirvo.studio.records import aftercare as use
from mirvo.studio.records.watering import note_watering
from mirvo.studio.records.weights import weigh as keep_weight
from mirvo.web.access import Role, only
from mirvo.web.form_models import FormModel
from mirvo.web.forms import shown_again_on
from mirvo.web.reader import StudioDep, came_from
from mirvo.web.routes.yard.trees import tree_form

router = APIRouter(dependencies=only(Role.HELPER))


class KeptForm(use.KeptFields, FormModel):
    """Something kept on a tree for a while, as it is filled in."""


class TickForm(FormModel):
    """open : the task is to do again."""

    open: str = ""


@router.post("/care/{task_id}")
def tick(
    request: Request, studio: StudioDep, task_id: int, form: Annotated[TickForm, Form()]
) -> Response:
    use.tick(studio, task_id, done=not form.open)
    return RedirectResponse(came_from(request, "/"), 303)


@router.post("/trees/{tree_id}/waterings")
def water(studio: StudioDep, tree_id: int) -> Response:
    note_watering(studio, tree_id)
    return RedirectResponse(f"/trees/{tree_id}", 303)


class WeightForm(WeightFields, FormModel):
    """What a tree in its pot weighs, as it is typed."""


@router.post("/trees/{tree_id}/weights")
def weigh(studio: StudioDep, tree_id: int, form: Annotated[WeightForm, Form()]) -> Response:
    keep_weight(studio, tree_id, form.grams)
    return RedirectResponse(f"/trees/{tree_id}#water", 303)


@router.post("/trees/{tree_id}/kept")
@shown_again_on(tree_form)
def keep_for_a_while(
    studio: StudioDep, tree_id: int, form: Annotated[KeptForm, Form()]
) -> Response:
    use.keep_for_a_while(studio, tree_id, form)
    return RedirectResponse(f"/trees/{tree_id}/edit#kept", 303)
