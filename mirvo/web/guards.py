"""What a request passes before it is answered: who may come in, how much may be sent, and the
headers of every answer."""

from __future__ import annotations

import ipaddress
import socket
from collections.abc import Collection
from urllib.parse import urlsplit

from fastapi import Request
from fastapi.responses import Response
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import MutableHeaders
from starlette.exceptions import HTTPException
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from mirvo.core.typed_values import read_whole
from mirvo.studio.ground.context import Studio
from mirvo.web.access import authorize
from mirvo.web.form_models import day_of_request
from mirvo.web.lengths import units_of_request
from mirvo.web.preferences import preferences_of
from mirvo.web.reader import SHARED

POLICY = (
    "default-src 'self'; img-src 'self' blob: data:; style-src 'self'; script-src 'self'; "
    "object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)
HEADERS = {
    "Content-Security-Policy": POLICY,
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    # Pages of other sites can neither show what is here nor hold on to its windows.
    "Cross-Origin-Resource-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
}
# Behind a tree's link: nobody keeps it, finds it, or tells another site of it.
HEADERS_OF_LINKS = {
    "Cache-Control": "no-store",
    "Referrer-Policy": "no-referrer",
    "X-Robots-Tag": "noindex, nofollow",
}
NO_SUCH_NAME = (
    "Mirvo does not answer under the name {}. Name it in MIRVO_NAMES where it is started."
)
# A session's photos from a good camera, and then some.
MAX_BODY = 400 * 1024 * 1024
TOO_MUCH = "Too much at once: send at most 400 MB."
WORKER = "/static/js/worker.js"
# Endings of names in a home network.
HOME = (".local", ".lan", ".home.arpa")
FOR_A_YEAR = "public, max-age=31536000, immutable"


class Guard:
    """Turns away what may not come in, and sends everything out with the headers of this site."""

    def __init__(self, app: ASGIApp, names: Collection[str]) -> None:
        self.app = app
        self.names = own_hosts(names)

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
                if request.url.path.startswith(SHARED):
                    headers.update(HEADERS_OF_LINKS)
                elif _on_signed_in_device(request) and "Cache-Control" not in headers:
                    # The next one at this device goes back to no page of whoever signed out.
                    headers["Cache-Control"] = "no-store"
                if request.url.path == WORKER:
                    # It lies among the scripts and keeps pages all over the site.
                    headers["Service-Worker-Allowed"] = "/"
            await send(message)

        studio: Studio = request.app.state.studio
        day_of_request.set(lambda: studio.today)
        units_of_request.set(preferences_of(request).units)
        refused = refuse_foreign(request, self.names) or await run_in_threadpool(authorize, request)
        await (refused or self.app)(scope, receive, guarded)


def _on_signed_in_device(request: Request) -> bool:
    person = getattr(request.state, "signed_in", None)
    return person is not None and person.sign_in_id is not None


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


def refuse_foreign(request: Request, names: Collection[str]) -> Response | None:
    """A foreign name for this computer, writing from another site's page, or a body beyond all
    use is turned away."""
    host = request.headers.get("host", "")
    if not _is_own(host, names, request.scope.get("server")):
        return Response(NO_SUCH_NAME.format(host[:60]), 421)
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


def own_hosts(named: Collection[str]) -> frozenset[str]:
    """Names this computer answers to: its own in the home network, and those that were named."""
    own = socket.gethostname().lower().partition(".")[0]
    of_home = {f"{own}{ending}" for ending in HOME} if own else set()
    return frozenset({"localhost", own, *of_home, *named} - {""})


def _is_own(host: str, names: Collection[str], server: tuple[str, int | None] | None) -> bool:
    """Whether a request's host is on the list, or the address of this computer it came in at.

    A page of another site can have its own name lead here, and would then read all there is.
    """
    try:
        name = urlsplit(f"//{host}").hostname or ""
    except ValueError:
        return False
    if name in names:
        return True
    try:
        address = ipaddress.ip_address(name)
    except ValueError:
        return server is not None and name == server[0]
    if address.is_loopback:
        return True
    return server is not None and _same_address(address, server[0])


def _same_address(asked: ipaddress.IPv4Address | ipaddress.IPv6Address, at: str) -> bool:
    try:
        here = ipaddress.ip_address(at.partition("%")[0])
    except ValueError:
        return False
    mapped = getattr(here, "ipv4_mapped", None)
    return asked in (here, mapped)
