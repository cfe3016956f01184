"""The interface's application: its errors as problem details, its description as OpenAPI 3.1."""

from __future__ import annotations

from http import HTTPStatus
from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from sqlalchemy.exc import IntegrityError, OperationalError
from starlette.exceptions import HTTPException

from mirvo.core.complaints import form_complaint
from mirvo.core.errors import MirvoError
from mirvo.studio.ground.context import Studio
from mirvo.web.api.models import FieldProblem, Problem
from mirvo.web.api.records import router as records
from mirvo.web.api.writing import router as writing
from mirvo.web.problems import BROKEN, status_of

PROBLEM = "application/problem+json"
SAID = """The records of one Mirvo studio. Send the token with each request as
`Authorization: Bearer mirvo_…`; the Exchange page makes one and says what it may. Lists come in
pages: ask again with `after` set to `next` until that is null. Lengths are in mm; shares from 0 to
1 where a row holds them and in percent where a form asks for them; days as 2026-03-14."""
# What any request may be answered with.
ANSWERS: dict[int | str, dict[str, Any]] = {
    status: {"model": Problem, "content": {PROBLEM: {}}, "description": HTTPStatus(status).phrase}
    for status in (400, 401, 403, 404, 409, 413, 422, 503)
}


def create_api(studio: Studio) -> FastAPI:
    """The interface on one opened data folder, to be put under /api/v1."""
    api = FastAPI(
        title="Mirvo",
        version="1",
        description=SAID,
        docs_url=None,
        redoc_url=None,
        openapi_url="/openapi.json",
        responses=ANSWERS,
        separate_input_output_schemas=True,
    )
    api.state.studio = studio
    for kind in (
        *(MirvoError, RequestValidationError, HTTPException, RecursionError),
        *(IntegrityError, OperationalError),
    ):
        api.add_exception_handler(kind, _refused)
    api.include_router(records)
    api.include_router(writing)
    return api


def _refused(request: Request, error: Exception) -> JSONResponse:
    """Any error as problem details."""
    if isinstance(error, RequestValidationError):
        errors = [
            FieldProblem(
                field=".".join(str(part) for part in found["loc"]), message=form_complaint(found)
            )
            for found in error.errors()
        ]
        detail = f"{errors[0].field}: {errors[0].message}" if errors else "cannot be used"
        return problem(422, detail, errors)
    if isinstance(error, MirvoError):
        status = status_of(error)
        errors = [FieldProblem(field=error.field, message=error.message)] if error.field else []
        return problem(status, str(error), errors)
    if isinstance(error, HTTPException):
        return problem(error.status_code, str(error.detail), headers=dict(error.headers or {}))
    if isinstance(error, RecursionError):
        return problem(422, "What was sent is nested too deep to be read.")
    if isinstance(error, IntegrityError):
        return problem(409, "It contradicts what is kept; nothing was changed.")
    if isinstance(error, OperationalError):
        return problem(503, "The records are busy; nothing was changed. Send it again in a moment.")
    return problem(500, BROKEN)


def problem(
    status: int,
    detail: str,
    errors: list[FieldProblem] | None = None,
    headers: dict[str, str] | None = None,
) -> JSONResponse:
    """Problem details (RFC 9457)."""
    said = Problem(
        title=HTTPStatus(status).phrase, status=status, detail=detail, errors=errors or []
    )
    return JSONResponse(said.model_dump(), status, headers, PROBLEM)
