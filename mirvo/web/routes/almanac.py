"""Almanac: the species and their figures."""

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse

from mirvo.core.almanac import species
from mirvo.core.season import window_of
from mirvo.web.pages import page, studio_of

router = APIRouter()


@router.get("/almanac")
def show_almanac(request: Request) -> HTMLResponse:
    studio = studio_of(request)
    frost, today = studio.yard().last_frost, studio.today
    entries = [(entry, window_of(entry, frost, today, today)) for entry in species()]
    return page(request, "almanac/almanac.html", {"entries": entries})
