"""Addresses of former versions, led on to where the page stands now."""

from fastapi import APIRouter
from fastapi.responses import RedirectResponse

from mirvo.web.access import Role, only

router = APIRouter(dependencies=only(Role.HELPER))


@router.get("/visits/{bench_id}")
def bench_session(bench_id: int) -> RedirectResponse:
    return RedirectResponse(f"/bench-sessions/{bench_id}", 308)


@router.get("/trees/{tree_id}/visits/new")
def begin(tree_id: int) -> RedirectResponse:
    return RedirectResponse(f"/trees/{tree_id}/bench-sessions/new", 308)


@router.get("/eye")
def eye_checks() -> RedirectResponse:
    return RedirectResponse("/eye-checks", 308)


@router.get("/eye/{check_id}")
def eye_check(check_id: int) -> RedirectResponse:
    return RedirectResponse(f"/eye-checks/{check_id}", 308)
