"""The season's materials list."""

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from mirvo.studio.shelf.materials import season_list
from mirvo.web.paging import page_of
from mirvo.web.reader import Reader

router = APIRouter()
TREES = 60


@router.get("/materials")
def show_list(reader: Reader, page: str = "") -> HTMLResponse:
    season = season_list(reader.db, reader.today)
    shown = page_of(season.trees, page, TREES)
    return reader.page("shelf/materials.html", {"season": season, "shown": shown})
