"""The season's materials list."""

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse

from mirvo.studio.materials import season_list
from mirvo.web.pages import page, studio_of

router = APIRouter()


@router.get("/materials")
def show_list(request: Request) -> HTMLResponse:
    return page(request, "materials/materials.html", {"season": season_list(studio_of(request))})
