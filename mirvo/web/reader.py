"""What an endpoint works with: the opened studio, and a page read from one state of it."""

from __future__ import annotations

import logging
import re
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import date
from typing import Annotated, Any

from fastapi import Depends, Request
from fastapi.responses import HTMLResponse, Response
from starlette.datastructures import URL

from mirvo.core.errors import NotFound
from mirvo.records.database import DbSession
from mirvo.records.models import Yard
from mirvo.records.models.people import GUEST, HELPER, OWNER
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.yard.compost import Laid, on_heap
from mirvo.web.drawings.file import as_png, as_svg, find_scene
from mirvo.web.drawings.scene import Scene
from mirvo.web.preferences import Preferences, preferences_of
from mirvo.web.templating import environment
from mirvo.web.tour import tour_step

log = logging.getLogger(__name__)
# In the address of a page that is shown before plans follow what was just kept.
UNSETTLED = "kept"
# Row numbers are far shorter; a longer one would not fit a column.
MAX_DIGITS = 12
# What a template is given, by name.
Context = dict[str, Any]
# Pictures whose address changes with what they show.
KEEP_FOR_LONG = {"Cache-Control": "private, max-age=31536000, immutable"}
# The name under which a page is asked for one of its drawings, and what a file may be.
DRAWING = "drawing"
FILE_TYPES = {"svg": "image/svg+xml", "png": "image/png"}
# Pages behind the link of a tree.
SHARED = "/shared/"
# What each may do, as a list of choices says it.
ROLE_WORDS = {
    OWNER: "owner: everything",
    HELPER: "helper: keep records",
    GUEST: "guest: look at trees shown to them",
}
ASK_AGAIN = {"Cache-Control": "private, no-cache"}


@dataclass(frozen=True)
class PageReader:
    """One request that is answered with what the studio holds: every row is read once."""

    request: Request
    studio: Studio
    db: DbSession

    @property
    def today(self) -> date:
        return self.studio.today

    @property
    def wants_part(self) -> bool:
        """Whether the page asks for a part of itself, to put it in place."""
        return self.request.headers.get("hx-request") == "true"

    @property
    def preferences(self) -> Preferences:
        """What this browser was told of how pages are shown."""
        return preferences_of(self.request)

    @property
    def looks_on(self) -> bool:
        """Whether somebody only looks: a guest, who has a tree's link, who is not in yet."""
        person = getattr(self.request.state, "signed_in", None)
        shared = self.request.url.path.startswith(SHARED)
        return shared or person is None or person.role == GUEST

    @property
    def owns(self) -> bool:
        """Whether they may throw away, give everything out, and say who comes in."""
        person = getattr(self.request.state, "signed_in", None)
        return not self.looks_on and person is not None and person.role == OWNER

    def render(self, template: str, context: Context) -> str:
        """A template as text, with what every page needs."""
        looks_on = self.looks_on
        asked_tour = self.request.query_params.get("tour", "")
        known = {
            "yard": context.get("yard") or yard_of(self.db),
            "today": self.today,
            "studio_key": self.studio.key,
            "place": self.request.url.path,
            "drawing_at": self.drawing_at,
            "laid": None if looks_on or "laid" in context else self._just_laid(),
            "looks_on": looks_on,
            "owns": self.owns,
            "role_words": ROLE_WORDS,
            "preferences": preferences_of(self.request),
            "signed_in": getattr(self.request.state, "signed_in", None),
            "tour": None if looks_on or "tour" in context else tour_step(self.db, asked_tour),
        }
        return environment().get_template(template).render({**known, **context})

    def render_alone(self, template: str, context: Context) -> str:
        """The same of a page that must open whatever the data hold: of the yard only its name."""
        try:
            return self.render(template, {"laid": None, "tour": None, **context})
        except Exception:
            log.exception("a page that must open goes on without the yard")
            return self.render(
                template, {"yard": Yard(name="Mirvo"), "laid": None, "tour": None} | context
            )

    def page(self, template: str, context: Context | None = None, status: int = 200) -> Response:
        """A template as an answer; where one of its drawings is asked for, that as a file."""
        asked = self.request.query_params.get(DRAWING)
        # A page that says what went wrong has none, whatever was asked for.
        if asked and status == 200 and self.request.method == "GET":
            return self._drawing(context or {}, asked)
        return HTMLResponse(self.render(template, context or {}), status)

    def _drawing(self, context: Context, asked: str) -> Response:
        key, _, kind = asked.rpartition(".")
        scene = find_scene(context, key)
        if scene is None or kind not in FILE_TYPES:
            raise NotFound("drawing", "there is no such drawing on this page")
        place = re.sub(r"[^a-z0-9]+", "-", self.request.url.path.lower()).strip("-") or "bench"
        header = {"Content-Disposition": f'attachment; filename="{place}-{key}.{kind}"'}
        content = as_svg(scene).encode() if kind == "svg" else as_png(scene)
        return Response(content, media_type=FILE_TYPES[kind], headers=header)

    def drawing_at(self, scene: Scene, kind: str, page: str = "") -> str:
        """Where a drawing is fetched as a file. page : the one it stands on, where the answer is
        not that page; "" where the page cannot be asked for again."""
        if not page and self.request.method != "GET":
            return ""
        asked = URL(page) if page else self.request.url
        asked = asked.include_query_params(**{DRAWING: f"{scene.key}.{kind}"})
        return f"{asked.path}?{asked.query}"

    def _just_laid(self) -> Laid | None:
        """What the page before this one laid on the compost heap, to be put back from here."""
        kind, _, number = self.request.query_params.get("laid", "").partition("-")
        # Whatever stands in an address may be made up, so nothing is read that is no number.
        short = number.isdecimal() and len(number) < MAX_DIGITS
        return on_heap(self.db, kind, int(number)) if short else None


def studio_of(request: Request) -> Studio:
    """The opened studio."""
    studio: Studio = request.app.state.studio
    return studio


def came_from(request: Request, otherwise: str) -> str:
    """The page of this site a form was sent from, to go on with there."""
    came = request.headers.get("referer", "")
    path = came.removeprefix(str(request.base_url).rstrip("/"))
    return path if path.startswith("/") and not path.startswith("//") else otherwise


def plans_settled(request: Request) -> None:
    """Before a page is read that says how trees stand: their plans follow their records.

    A page that only says that something was kept does not wait for what follows from it.
    """
    if request.method == "GET" and UNSETTLED not in request.query_params:
        studio_of(request).settle()


@contextmanager
def open_reader(request: Request) -> Iterator[PageReader]:
    """A reader, outside of an endpoint."""
    studio = studio_of(request)
    with studio.reading() as db:
        yield PageReader(request, studio, db)


def _reader(request: Request) -> Iterator[PageReader]:
    with open_reader(request) as reader:
        yield reader


StudioDep = Annotated[Studio, Depends(studio_of)]
Reader = Annotated[PageReader, Depends(_reader)]
