"""Eye check: practice on a photo whose truth is known."""

from dataclasses import asdict
from typing import Any

from fastapi import Body, Request
from fastapi.responses import FileResponse, HTMLResponse, JSONResponse, RedirectResponse, Response

from mirvo.studio import eye as use
from mirvo.web.pages import page, routes, studio_of

router = routes(prefix="/eye")
Sent = Body(...)


@router.get("")
def show(request: Request) -> HTMLResponse:
    return page(request, "eye/eye.html", {"checks": use.checks(studio_of(request))})


@router.post("")
def begin(request: Request) -> Response:
    return RedirectResponse(f"/eye/{use.begin(studio_of(request))}", 303)


@router.get("/{check_id}")
def show_check(request: Request, check_id: int) -> HTMLResponse:
    check = use.get_check(studio_of(request), check_id)
    listed = [] if check.result else [asdict(one) for one in use.asked(check)]
    context = {"check": check, "asked": listed, "size": use.SIZE}
    return page(request, "eye/check.html", context)


@router.get("/{check_id}/photo.jpg")
def picture(request: Request, check_id: int) -> FileResponse:
    studio = studio_of(request)
    return FileResponse(use.picture(studio, use.get_check(studio, check_id)))


@router.put("/{check_id}/round")
def save_round(request: Request, check_id: int, sent: dict[str, Any] = Sent) -> JSONResponse:
    check = use.save_round(studio_of(request), check_id, sent.get("points"))
    return JSONResponse({"done": check.result is not None})
