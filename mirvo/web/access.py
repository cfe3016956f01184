"""Access, closed by default: each route declares who may use it, and the guard asks it.

A router or a route says `dependencies=only(Role.HELPER)`; what stands on the route holds, where
both say something. An application with a route that says nothing does not start.
"""

from __future__ import annotations

import ipaddress
from collections.abc import Iterable
from dataclasses import dataclass
from enum import IntEnum
from typing import Any
from urllib.parse import quote

from fastapi import APIRouter, Depends, Request
from fastapi.params import Depends as DependsOn
from fastapi.responses import JSONResponse, RedirectResponse, Response
from fastapi.routing import APIRoute
from starlette.routing import Match

from mirvo.core.errors import MirvoError
from mirvo.records.models.people import GUEST, HELPER, OWNER
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.people import THIS_COMPUTER, SignedIn, signed_in
from mirvo.studio.yard.sharing import guest_sees
from mirvo.web.reader import open_reader

COOKIE, KNOWN_DEVICE = "mirvo-signed-in", "mirvo-known-device"
SIGN_IN = "/sign-in"
NOT_FOR_HELPERS = "Only an owner of this studio may do that."
GUESTS_PAGE = "/guest"
NOT_FOR_GUESTS = "You are a guest here: look at the trees that were shown to you."
FIRST = "Sign in first; what you entered is kept on this device."
# What an address says where its route has names.
PathNumbers = dict[str, Any]
# What a number in an address is of, by its name there; guests see what is of a tree of theirs.
NUMBER_OF = {
    "tree_id": "trees",
    "photo_id": "photos",
    "session_id": "sessions",
    "measurement_id": "measurements",
}
# Set by whatever hands a request on from another computer.
FORWARDING = frozenset(
    (
        *("forwarded", "via", "x-forwarded", "x-real-ip", "x-client-ip", "x-cluster-client-ip"),
        *("x-original-forwarded-for", "x-originating-ip", "x-remote-ip", "x-remote-addr"),
        *(
            "true-client-ip",
            "cf-connecting-ip",
            "cf-ray",
            "fastly-client-ip",
            "x-envoy-external-address",
        ),
        *("x-appengine-user-ip", "x-azure-clientip", "x-proxyuser-ip", "wl-proxy-client-ip"),
    )
)
FORWARDED = "x-forwarded-"


class Role(IntEnum):
    """Who may use a route; each may what those before may."""

    ANYONE = 0
    GUEST = 1
    HELPER = 2
    OWNER = 3


ROLES = {GUEST: Role.GUEST, HELPER: Role.HELPER, OWNER: Role.OWNER}


@dataclass(frozen=True)
class Requirement:
    """The least role a route asks for."""

    role: Role

    def __call__(self, request: Request) -> None:
        """The second line: a route reached past the guard is answered to nobody."""
        if not getattr(request.state, "authorized", False):
            raise MirvoError("This was reached past the guard.")


def only(role: Role) -> list[DependsOn]:
    """The dependencies of a router or route that asks for a role."""
    return [Depends(Requirement(role))]


@dataclass(frozen=True)
class Declared:
    """A route and who may use it."""

    route: APIRoute
    role: Role


class AccessTable:
    """All routes of an application with who may use them; what stands in no row is closed.

    mounted : prefixes of whole applications that are open, or ask on their own.
    """

    def __init__(self, routers: Iterable[APIRouter], mounted: Iterable[str]) -> None:
        self.mounted = tuple(f"{prefix}/" for prefix in mounted)
        self.rows: list[Declared] = []
        for router in routers:
            for route in router.routes:
                if not isinstance(route, APIRoute):
                    raise RuntimeError(f"a route of a kind that declares nothing: {route!r}")
                self.rows.append(Declared(route, _declared(route)))

    def find(self, request: Request) -> tuple[Declared | None, PathNumbers]:
        """The route a request is for and what its address names; None for none."""
        partial: tuple[Declared | None, PathNumbers] = None, {}
        for row in self.rows:
            match, child = row.route.matches(request.scope)
            if match == Match.FULL:
                return row, dict(child.get("path_params", {}))
            if match == Match.PARTIAL and partial[0] is None:
                partial = row, dict(child.get("path_params", {}))
        return partial


def _declared(route: APIRoute) -> Role:
    """What a route says, the last where its router says something too."""
    found = [
        one.dependency for one in route.dependencies if isinstance(one.dependency, Requirement)
    ]
    if not found:
        raise RuntimeError(
            f"{sorted(route.methods or ())} {route.path} does not say who may use it"
        )
    return found[-1].role


def authorize(request: Request) -> Response | None:
    """An answer to whoever may not use what they ask for; None lets the request through.

    Who it is stands in `request.state.signed_in` from then on.
    """
    table: AccessTable = request.app.state.access
    person = _who(request)
    request.state.signed_in = person
    mounted = request.url.path.startswith(table.mounted)
    refused = None if mounted else _refusal(request, table, person)
    request.state.authorized = refused is None
    return refused


def _refusal(request: Request, table: AccessTable, person: SignedIn | None) -> Response | None:
    declared, named = table.find(request)
    role = Role.OWNER if declared is None else declared.role
    if declared is not None and role == Role.ANYONE:
        return None
    if person is None:
        return _to_sign_in(request)
    if person.role == GUEST:
        return _for_guest(request, person, declared, named)
    if declared is not None and ROLES.get(person.role, Role.ANYONE) < role:
        return _said(request, 403, NOT_FOR_HELPERS)
    return None


def _for_guest(
    request: Request, person: SignedIn, declared: Declared | None, named: PathNumbers
) -> Response | None:
    """Guests look at what they are let see, and change nothing but what is their own."""
    if request.url.path == "/":
        return RedirectResponse(GUESTS_PAGE, 303)
    if declared is None or declared.role > Role.GUEST:
        if request.method not in ("GET", "HEAD"):
            return _said(request, 403, NOT_FOR_GUESTS)
        return _said(request, 404, NOT_FOR_GUESTS)
    studio: Studio = request.app.state.studio
    for name, kind in NUMBER_OF.items():
        if name not in named:
            continue
        number = _number(named[name])
        with studio.reading() as db:
            seen = number is not None and guest_sees(db, person.person_id or 0, kind, number)
        if not seen:
            return _said(request, 404, NOT_FOR_GUESTS)
    return None


def _number(value: Any) -> int | None:
    text = str(value)
    # Longer ones are no row's number.
    return int(text) if text.isascii() and text.isdecimal() and len(text) <= 15 else None


def _who(request: Request) -> SignedIn | None:
    if is_this_computer(request):
        return THIS_COMPUTER
    token = request.cookies.get(COOKIE, "")
    studio: Studio = request.app.state.studio
    return signed_in(studio, token) if token else None


def is_this_computer(request: Request) -> bool:
    """Whether a request comes from this computer itself, and was not handed on by another."""
    names = request.headers.keys()
    if any(name in FORWARDING or name.startswith(FORWARDED) for name in names):
        return False
    try:
        # No address at all: a socket of this computer's own.
        return request.client is None or ipaddress.ip_address(request.client.host).is_loopback
    except ValueError:
        return False


def _to_sign_in(request: Request) -> Response:
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
