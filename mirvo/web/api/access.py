"""Who asks, and what of it they may."""

from __future__ import annotations

from typing import Annotated

from fastapi import Depends, HTTPException, Query, Request, Security
from fastapi.params import Depends as DependsOn
from fastapi.security import HTTPAuthorizationCredentials, HTTPBearer, SecurityScopes

from mirvo.studio.exchange.tokens import SCOPES, Caller, caller_of
from mirvo.studio.ground.context import Studio
from mirvo.web.reader import Reader, StudioDep, studio_of

bearer = HTTPBearer(auto_error=False, description="A token of the Exchange page.")
# Numbers of rows; larger ones no table has.
MOST = 2**53
RowNumber = Annotated[int, Query(ge=0, le=MOST)]
Limit = Annotated[int, Query(ge=1, le=500, description="How many at most.")]
After = Annotated[int, Query(ge=0, le=MOST, description="The `next` of the page before.")]


def caller(
    request: Request,
    scopes: SecurityScopes,
    shown: Annotated[HTTPAuthorizationCredentials | None, Depends(bearer)],
) -> Caller:
    """The program that asks, where its token may do what it asks for."""
    studio: Studio = studio_of(request)
    found = None if shown is None else caller_of(studio, shown.credentials)
    if found is None:
        asks = {"WWW-Authenticate": "Bearer"}
        raise HTTPException(401, "Send the token of the Exchange page with the request.", asks)
    missing = [scope for scope in scopes.scopes if scope not in found.scopes]
    if missing:
        said = ", ".join(SCOPES[scope] for scope in missing)
        raise HTTPException(403, f"This token may not {said}.")
    return found


def may(scope: str) -> DependsOn:
    """A dependency: the token must be allowed this."""
    needed: DependsOn = Security(caller, scopes=[scope])
    return needed


__all__ = ["After", "Limit", "Reader", "RowNumber", "StudioDep", "may"]
