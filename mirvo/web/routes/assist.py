"""Help on the root desk: proposals as they come, traces and snaps, and stopping them."""

import json
from collections.abc import Iterator
from typing import Any

from fastapi import Body, Request
from fastapi.responses import JSONResponse, Response, StreamingResponse

from mirvo.studio import assist as use
from mirvo.web.pages import routes, studio_of

router = routes(prefix="/photos/{photo_id}/assist")
Sent = Body(...)


@router.post("/propose")
def propose(request: Request, photo_id: int, sent: dict[str, Any] = Sent) -> StreamingResponse:
    told = use.propose(studio_of(request), photo_id, sent.get("marks"))
    return StreamingResponse(_lines(told), media_type="application/x-ndjson")


@router.post("/trace")
def trace(request: Request, photo_id: int, sent: dict[str, Any] = Sent) -> JSONResponse:
    found = use.trace(studio_of(request), photo_id, sent.get("marks"), sent.get("tip"))
    return JSONResponse(found)


@router.post("/width")
def width(request: Request, photo_id: int, sent: dict[str, Any] = Sent) -> JSONResponse:
    return JSONResponse(
        use.width(studio_of(request), photo_id, sent.get("marks"), sent.get("path"))
    )


@router.post("/flanks")
def flanks(request: Request, photo_id: int, sent: dict[str, Any] = Sent) -> JSONResponse:
    across = use.flanks(studio_of(request), photo_id, sent.get("width"), sent.get("path"))
    return JSONResponse({"width": across})


@router.post("/outline")
def outline(request: Request, photo_id: int, sent: dict[str, Any] = Sent) -> JSONResponse:
    return JSONResponse(use.outline(studio_of(request), photo_id, sent.get("rough")))


@router.post("/edge")
def edge(request: Request, photo_id: int, sent: dict[str, Any] = Sent) -> JSONResponse:
    return JSONResponse({"edge": use.edge(studio_of(request), photo_id, sent.get("rough"))})


@router.post("/ready")
def make_ready(request: Request, photo_id: int, sent: dict[str, Any] = Sent) -> Response:
    use.make_ready(studio_of(request), photo_id, sent.get("marks"))
    return Response(status_code=204)


@router.delete("")
def stop(request: Request, photo_id: int) -> Response:
    use.stop(studio_of(request))
    return Response(status_code=204)


def _lines(told: Iterator[dict[str, Any]]) -> Iterator[str]:
    for message in told:
        yield json.dumps(message) + "\n"
