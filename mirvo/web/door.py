"""The door: who may come in from other devices, and what they may do."""

from __future__ import annotations

import ipaddress
import re
from urllib.parse import quote

from fastapi import Request
from fastapi.responses import JSONResponse, RedirectResponse, Response

from mirvo.records.models.people import GUEST, OWNER
from mirvo.studio.context import Studio
from mirvo.studio.yard.people import THIS_COMPUTER, SignedIn, signed_in
from mirvo.studio.yard.sharing import guest_sees
from mirvo.web.reader import SHARED, open_reader

COOKIE = "mirvo-signed-in"
SIGN_IN = "/sign-in"
# Without signing in: the sign-in itself and what its page needs. The calendar's address is a
# secret of its own, and programs show their token.
OPEN = ("/static/", "/calendar/", "/api/v1/", SHARED)
# What helpers may not: throw away, take everything away, and say who comes in and sees what.
OWNERS_ONLY = (
    *("/compost", "/kit/backup.zip", "/kit/people", "/kit/reachable", "/kit/devices"),
    *("/sharing", "/kit/restore", "/exchange"),
)
NOT_FOR_HELPERS = "Only an owner of this studio may do that."
# What guests may look at, of the trees they are let see; the rest is as if it were not there.
GUESTS_PAGE = "/guest"
NOT_FOR_GUESTS = "You are a guest here: look at the trees that were shown to you."
FOR_GUESTS = (
    re.compile(r"/(trees)/([0-9]{1,12})(?:/(?:photos|sessions|years|path|time))?"),
    re.compile(r"/(photos)/([0-9]{1,12})(?:/[a-z]+\.jpg)?"),
    re.compile(r"/(sessions)/([0-9]{1,12})"),
    re.compile(r"/(measurements)/([0-9]{1,12})/(?:plan|base)\.jpg"),
)
ANY_GUEST = (GUESTS_PAGE, "/sign-out", "/manifest.webmanifest")
FIRST = "Sign in first; what you entered is kept on this device."


def admit(request: Request) -> Response | None:
    """An answer to whoever may not come in; None lets the request through.

    Who it is stands in `request.state.signed_in` from then on.
    """
    person = _who(request)
    path = request.url.path
    request.state.signed_in = person
    if path == SIGN_IN or path.startswith(OPEN):
        return None
    if person is None:
        return _to_the_door(request)
    if person.role == GUEST:
        return _for_guest(request, person)
    if person.role != OWNER and path.startswith(OWNERS_ONLY):
        return _said(request, 403, NOT_FOR_HELPERS)
    return None


def _for_guest(request: Request, person: SignedIn) -> Response | None:
    """Guests look at what they are let see, and change nothing."""
    path = request.url.path
    if path in ANY_GUEST:
        return None
    if path == "/":
        return RedirectResponse(GUESTS_PAGE, 303)
    if request.method not in ("GET", "HEAD"):
        return _said(request, 403, NOT_FOR_GUESTS)
    named = next((found for pattern in FOR_GUESTS if (found := pattern.fullmatch(path))), None)
    studio: Studio = request.app.state.studio
    with studio.reading() as db:
        sees = named is not None and guest_sees(db, person.person_id or 0, named[1], int(named[2]))
    return None if sees else _said(request, 404, NOT_FOR_GUESTS)


def _who(request: Request) -> SignedIn | None:
    if is_this_computer(request):
        return THIS_COMPUTER
    token = request.cookies.get(COOKIE, "")
    studio: Studio = request.app.state.studio
    return signed_in(studio, token) if token else None


def is_this_computer(request: Request) -> bool:
    """Whether a request comes from this computer itself, and was not handed on by another."""
    if "x-forwarded-for" in request.headers or "forwarded" in request.headers:
        return False
    try:
        # No address at all: a socket of this computer's own.
        return request.client is None or ipaddress.ip_address(request.client.host).is_loopback
    except ValueError:
        return True


def _to_the_door(request: Request) -> Response:
    asks_for_part = request.headers.get("hx-request") == "true"
    if asks_for_part:
        return Response(FIRST, 401, headers={"HX-Redirect": SIGN_IN}, media_type="text/plain")
    if request.method in ("GET", "HEAD") and "json" not in request.headers.get("accept", ""):
        return RedirectResponse(f"{SIGN_IN}?to={quote(request.url.path)}", 303)
    return _said(request, 401, FIRST)


def _said(request: Request, status: int, words: str) -> Response:
    if "json" in request.headers.get("accept", ""):
        return JSONResponse({"field": "", "message": words}, status)
    with open_reader(request) as reader:
        return reader.page("problem.html", {"message": words}, status)
