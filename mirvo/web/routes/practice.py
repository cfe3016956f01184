"""Practice profile: the studio's answers, presets, and what one tree has otherwise."""

from typing import Any

from fastapi import Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from mirvo.core.almanac.practice import questions
from mirvo.core.errors import BadInput
from mirvo.studio import practice as use
from mirvo.studio.effects import effects_on
from mirvo.studio.species import species_of
from mirvo.studio.trees import get_tree, list_trees
from mirvo.web.forms import fields_of
from mirvo.web.pages import page, routes, studio_of

router = routes()


@router.get("/almanac/practice")
def show(request: Request) -> HTMLResponse:
    return _studio_page(request, {})


@router.post("/almanac/practice")
async def save(request: Request) -> Response:
    fields = fields_of(await request.form())
    studio = studio_of(request)
    try:
        if "preset" in fields:
            use.take_preset(studio, fields["preset"])
        else:
            use.save_practice(studio, use.answers_from(fields))
    except BadInput as error:
        return _studio_page(request, {error.field: error.message}, 422)
    return RedirectResponse("/almanac/practice", 303)


@router.get("/trees/{tree_id}/practice")
def show_tree(request: Request, tree_id: int) -> HTMLResponse:
    return _tree_page(request, tree_id, {})


@router.post("/trees/{tree_id}/practice")
async def save_tree(request: Request, tree_id: int) -> Response:
    sent = {key: str(value) for key, value in (await request.form()).items()}
    try:
        use.save_tree_practice(studio_of(request), tree_id, use.answers_from(sent))
    except BadInput as error:
        return _tree_page(request, tree_id, {error.field: error.message}, 422)
    return RedirectResponse(f"/trees/{tree_id}/practice", 303)


def _studio_page(request: Request, errors: dict[str, str], status: int = 200) -> HTMLResponse:
    studio = studio_of(request)
    held = use.practice_for(studio.yard())
    rows = list_trees(studio)
    trees = [(row.tree, effects_on(studio, row.tree)) for row in rows]
    context: dict[str, Any] = {
        "questions": questions(),
        "held": held,
        "trees": trees,
        "errors": errors,
    }
    return page(request, "almanac/practice.html", context, status)


def _tree_page(
    request: Request, tree_id: int, errors: dict[str, str], status: int = 200
) -> HTMLResponse:
    studio = studio_of(request)
    tree = get_tree(studio, tree_id)
    context: dict[str, Any] = {
        "tree": tree,
        "species": species_of(studio.yard(), tree.species_key),
        "questions": questions(),
        "studio_held": use.practice_for(studio.yard()),
        "own": dict(tree.practice or {}),
        "effects": effects_on(studio, tree),
        "errors": errors,
    }
    return page(request, "trees/practice.html", context, status)
