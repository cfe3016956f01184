"""The application factory: reads as a table of contents."""

from __future__ import annotations

from collections.abc import Collection
from pathlib import Path

from fastapi import Depends, FastAPI
from starlette.staticfiles import StaticFiles

from mirvo.studio.ground.context import Studio
from mirvo.studio.path.replanner import Replanner
from mirvo.web.access import AccessTable
from mirvo.web.guards import BoundedBodies, Guard
from mirvo.web.later import Later
from mirvo.web.problems import configure_errors
from mirvo.web.reader import plans_settled
from mirvo.web.routes import jobs
from mirvo.web.routes.almanac import almanac, practice, species
from mirvo.web.routes.bench_session import session
from mirvo.web.routes.exchange import club, dossier, exchange, tables
from mirvo.web.routes.measuring import assist, desk, eye_check, years
from mirvo.web.routes.path import compare, path, plans
from mirvo.web.routes.photos import photos
from mirvo.web.routes.records import aftercare, root_sessions
from mirvo.web.routes.shelf import labels, materials, pots, soil
from mirvo.web.routes.yard import (
    bench,
    compost,
    family,
    find,
    former,
    kit,
    people,
    repair,
    sharing,
    trees,
    triage,
)

# Pages that say how trees stand, and those that do not.
PARTS = (
    *(bench, trees, triage, kit, compost, sharing, family),
    *(session, root_sessions, aftercare),
    *(path, plans, compare, materials, pots, soil, labels, exchange, tables, club, dossier),
)
OTHER_PARTS = (
    *(photos, desk, assist, years, eye_check),
    *(almanac, species, practice),
    *(find, former, people, repair, jobs),
)
# Whole applications: files that are open to all, and the interface, which asks for tokens.
STATIC_AT, API_AT = "/static", "/api/v1"
MOUNTED = (STATIC_AT, API_AT)
STATIC = Path(__file__).parent / "static"


def create_app(studio: Studio, names: Collection[str] = ()) -> FastAPI:
    """The web application on one opened data folder. names : of this computer that are its own,
    beside addresses and names of the home."""
    app = FastAPI(title="Mirvo", docs_url=None, redoc_url=None, openapi_url=None)
    app.state.studio = studio
    app.state.access = AccessTable([part.router for part in (*PARTS, *OTHER_PARTS)], MOUNTED)
    studio.replanner = Replanner(studio)
    app.add_middleware(BoundedBodies)
    app.add_middleware(Guard, names=names)
    configure_errors(app)
    configure_static(app)
    configure_api(app, studio)
    configure_routes(app)
    return app


def configure_routes(app: FastAPI) -> None:
    for part in PARTS:
        app.include_router(part.router, dependencies=[Depends(plans_settled)])
    for part in OTHER_PARTS:
        app.include_router(part.router)


def configure_api(app: FastAPI, studio: Studio) -> None:
    """The interface for programs; it has errors and a description of its own. Few yards are asked
    by programs, and building its many models takes a tenth of a start."""

    def made() -> FastAPI:
        from mirvo.web.api import create_api

        return create_api(studio)

    app.mount(API_AT, Later(made), name="api")


def configure_static(app: FastAPI) -> None:
    app.mount(STATIC_AT, StaticFiles(directory=STATIC), name="static")
