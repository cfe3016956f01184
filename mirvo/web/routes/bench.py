"""Bench: what wants doing now."""

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse

from mirvo.studio.bench import bench
from mirvo.web.pages import page, studio_of

router = APIRouter()


@router.get("/")
def show_bench(request: Request) -> HTMLResponse:
    return page(request, "bench/bench.html", {"bench": bench(studio_of(request))})
