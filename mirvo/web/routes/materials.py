"""The season's materials list."""

from fastapi import Request
from fastapi.responses import HTMLResponse

from mirvo.studio.materials import season_list
from mirvo.web.pages import page, routes, studio_of

router = routes()


@router.get("/materials")
def show_list(request: Request) -> HTMLResponse:
    return page(request, "materials/materials.html", {"season": season_list(studio_of(request))})
