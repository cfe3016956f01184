"""The season's materials list."""

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from mirvo.studio.shelf.materials import season_list
from mirvo.web.reader import Reader

router = APIRouter()


@router.get("/materials")
def show_list(reader: Reader) -> HTMLResponse:
    season = season_list(reader.db, reader.today)
    return reader.page("shelf/materials.html", {"season": season})
