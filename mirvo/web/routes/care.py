"""Looking after trees: ticking tasks, one tap for a watering."""

from fastapi import Request
from fastapi.responses import RedirectResponse, Response

from mirvo.studio import care as use
from mirvo.web.forms import fields_of
from mirvo.web.pages import routes, studio_of

router = routes()


@router.post("/care/{task_id}")
async def tick(request: Request, task_id: int) -> Response:
    fields = fields_of(await request.form())
    use.tick(studio_of(request), task_id, fields.get("open") is None)
    return RedirectResponse(_back(request), 303)


@router.post("/trees/{tree_id}/waterings")
def water(request: Request, tree_id: int) -> Response:
    use.water(studio_of(request), tree_id)
    return RedirectResponse(f"/trees/{tree_id}", 303)


def _back(request: Request) -> str:
    """The page the tick came from, of this site only."""
    came = request.headers.get("referer", "")
    path = came.removeprefix(str(request.base_url).rstrip("/"))
    return path if path.startswith("/") and not path.startswith("//") else "/"
