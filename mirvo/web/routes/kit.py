"""Kit: what one needs beside the photos; the calibration card to print."""

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, Response

from mirvo.formats.card import card_pdf, card_svg
from mirvo.web.pages import page

router = APIRouter(prefix="/kit")


@router.get("")
def show(request: Request) -> HTMLResponse:
    return page(request, "kit/kit.html")


@router.get("/card.pdf")
def pdf() -> Response:
    return _file(card_pdf(), "application/pdf", "mirvo-card.pdf")


@router.get("/card.svg")
def svg() -> Response:
    return Response(card_svg(), media_type="image/svg+xml")


def _file(content: bytes, media_type: str, name: str) -> Response:
    header = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Response(content, media_type=media_type, headers=header)
