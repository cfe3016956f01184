"""Bench: what wants doing now, moving a tree to another week, buds seen on the round."""

from datetime import date

from fastapi import Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from starlette.concurrency import run_in_threadpool

from mirvo.core.errors import BadInput
from mirvo.studio.backups import backup_is_due
from mirvo.studio.bench import bench, move_tree
from mirvo.studio.trees import see_buds
from mirvo.web.forms import fields_of
from mirvo.web.pages import page, routes, studio_of

router = routes()


@router.get("/")
def show_bench(request: Request) -> HTMLResponse:
    studio = studio_of(request)
    context = {"bench": bench(studio), "backup_due": backup_is_due(studio)}
    return page(request, "bench/bench.html", context)


@router.post("/trees/{tree_id}/week")
async def move(request: Request, tree_id: int) -> Response:
    week = fields_of(await request.form()).get("week")
    try:
        day = None if week is None else date.fromisoformat(str(week))
    except ValueError:
        raise BadInput("week", f"'{week}' is not a date") from None
    await run_in_threadpool(move_tree, studio_of(request), tree_id, day)
    return RedirectResponse("/", 303)


@router.post("/trees/{tree_id}/buds")
async def buds(request: Request, tree_id: int) -> Response:
    fields = fields_of(await request.form())
    stage = str(fields.get("stage", ""))
    await run_in_threadpool(see_buds, studio_of(request), tree_id, stage)
    return RedirectResponse(f"/trees/{tree_id}" if "from_tree" in fields else "/", 303)
