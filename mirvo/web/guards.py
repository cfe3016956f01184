"""What a request passes before it is answered: who may come in, how much may be sent, and the
headers of every answer."""

from __future__ import annotations

import ipaddress
from collections.abc import Collection
from urllib.parse import urlsplit

from fastapi import Request
from fastapi.responses import Response
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import MutableHeaders
from starlette.exceptions import HTTPException
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from mirvo.core.typed_values import read_whole
from mirvo.studio.context import Studio
from mirvo.web.door import admit
from mirvo.web.form_models import day_of_request

POLICY = (
    "default-src 'self'; img-src 'self' blob: data:; style-src 'self'; script-src 'self'; "
    "object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)
HEADERS = {
    "Content-Security-Policy": POLICY,
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
}
# A session's photos from a good camera, and then some.
MAX_BODY = 400 * 1024 * 1024
TOO_MUCH = "Too much at once: send at most 400 MB."
WORKER = "/static/js/worker.js"
# Names that no one outside the home network can have lead anywhere; others are named here.
HOME = (".local", ".lan", ".home.arpa")
FOR_A_YEAR = "public, max-age=31536000, immutable"


class Guard:
    """Turns away what may not come in, and sends everything out with the headers of this site."""

    def __init__(self, app: ASGIApp, names: Collection[str]) -> None:
        self.app = app
        self.names = names

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        request = Request(scope, receive)

        async def guarded(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                headers.update(HEADERS)
                # Its address changes with its content, so it may be kept for a year.
                if request.url.path.startswith("/static") and "v=" in request.url.query:
                    headers["Cache-Control"] = FOR_A_YEAR
                if request.url.path == WORKER:
                    # It lies among the scripts and keeps pages all over the site.
                    headers["Service-Worker-Allowed"] = "/"
            await send(message)

        studio: Studio = request.app.state.studio
        day_of_request.set(lambda: studio.today)
        refused = _refuse(request, self.names) or await run_in_threadpool(admit, request)
        await (refused or self.app)(scope, receive, guarded)


class BoundedBodies:
    """Bodies sent piece by piece, without a length, are bounded as they come in."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        taken = 0

        async def counted() -> Message:
            nonlocal taken
            message = await receive()
            taken += len(message.get("body", b""))
            if taken > MAX_BODY:
                raise HTTPException(413, TOO_MUCH)
            return message

        await self.app(scope, counted if scope["type"] == "http" else receive, send)


def _refuse(request: Request, names: Collection[str]) -> Response | None:
    """A foreign name for this computer, writing from another site's page, or a body beyond all
    use is turned away."""
    host = request.headers.get("host", "")
    if not _is_own(host, names):
        return Response("Mirvo does not answer under this name.", 421)
    if request.method in ("GET", "HEAD", "OPTIONS"):
        return None
    # Browsers say from which site a request comes; a form on another site must not write here.
    site = request.headers.get("sec-fetch-site", "same-origin")
    origin = request.headers.get("origin")
    if site not in ("same-origin", "none") or (
        origin is not None and urlsplit(origin).netloc != host
    ):
        return Response("Mirvo does not accept requests from other sites.", 403)
    length = read_whole(request.headers.get("content-length", "0"))
    if length is None or length > MAX_BODY:
        return Response(TOO_MUCH, 413)
    return None


def _is_own(host: str, names: Collection[str]) -> bool:
    """Whether a request's host can only mean this computer: an address, or a name of the home.

    A page of another site can have its own name lead here, and would then read all there is.
    """
    try:
        name = urlsplit(f"//{host}").hostname or ""
    except ValueError:
        return False
    if name in names or "." not in name or name.endswith(HOME):
        return bool(name)
    try:
        ipaddress.ip_address(name)
    except ValueError:
        return False
    return True
