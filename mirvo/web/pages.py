"""Templates: one environment, its filters, and how a page is answered."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from datetime import date
from functools import cache, wraps
from inspect import iscoroutinefunction, signature
from pathlib import Path
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse
from fastapi.routing import APIRoute
from jinja2 import Environment, FileSystemLoader, StrictUndefined
from markupsafe import Markup

from mirvo.core.almanac import rules
from mirvo.core.season import BUD_STAGES
from mirvo.studio.compost import Laid, on_heap
from mirvo.studio.context import Studio
from mirvo.web import wording
from mirvo.web.places import PLACES, TREE_PARTS

HERE = Path(__file__).parent
MOST_DIGITS = 12


class PageRoute(APIRoute):
    """A route whose page is read from one state of the database, each row once."""

    def __init__(self, path: str, endpoint: Callable[..., Any], **more: Any) -> None:
        asked = more.get("methods") or ()
        if "GET" in asked and not iscoroutinefunction(endpoint):
            endpoint = _from_one_state(endpoint)
        super().__init__(path, endpoint, **more)


def _from_one_state(endpoint: Callable[..., Any]) -> Callable[..., Any]:
    if hasattr(endpoint, "__wrapped__") or "request" not in signature(endpoint).parameters:
        return endpoint

    @wraps(endpoint)
    def read(**given: Any) -> Any:
        with studio_of(given["request"]).one_state():
            return endpoint(**given)

    return read


def routes(prefix: str = "") -> APIRouter:
    """An empty list of routes for a part of the application."""
    return APIRouter(prefix=prefix, route_class=PageRoute)


def studio_of(request: Request) -> Studio:
    """The opened studio, for handlers."""
    studio: Studio = request.app.state.studio
    return studio


def render(request: Request, template: str, context: dict[str, Any]) -> str:
    """A template as text with what every page needs."""
    studio = studio_of(request)
    return (
        environment()
        .get_template(template)
        .render(
            {
                "yard": studio.yard(),
                "today": studio.today,
                "place": request.url.path,
                "laid": _just_laid(request),
                **context,
            }
        )
    )


def _just_laid(request: Request) -> Laid | None:
    """What the page before this one laid on the compost heap, to be put back from here."""
    kind, _, number = request.query_params.get("laid", "").partition("-")
    short = number.isdecimal() and len(number) < MOST_DIGITS
    return on_heap(studio_of(request), kind, int(number)) if short else None


def page(
    request: Request, template: str, context: dict[str, Any] | None = None, status: int = 200
) -> HTMLResponse:
    return HTMLResponse(render(request, template, context or {}), status)


@cache
def environment() -> Environment:
    made = Environment(
        loader=FileSystemLoader(HERE / "templates"),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    made.filters["day"] = day
    made.filters["short_day"] = short_day
    made.filters["day_of_year"] = day_of_year
    made.filters["mm"] = mm
    made.filters["percent"] = percent
    made.filters["signed"] = signed
    made.globals["asset"] = asset
    made.globals["icon"] = icon
    made.globals["words"] = wording
    made.globals["bud_stages"] = BUD_STAGES
    made.globals["places"] = PLACES
    made.globals["tree_parts"] = TREE_PARTS
    made.globals["usual_pots"] = tuple(rules().plan.offered)
    made.globals["usual_plan"] = rules().plan
    made.globals["bud_groups"] = tuple(rules().phenology)
    return made


def day(value: date | None) -> str:
    """14 March 2026."""
    return "" if value is None else f"{value.day} {value:%B %Y}"


def short_day(value: date | None) -> str:
    """14 Mar 2026."""
    return "" if value is None else f"{value.day} {value:%b %Y}"


def day_of_year(value: str) -> str:
    """20 April, of a month and day as "04-20"."""
    found = date.fromisoformat(f"2000-{value}")
    return f"{found.day} {found:%B}"


def mm(value: float | None) -> str:
    """A length without needless digits, its unit left to the page."""
    return "" if value is None else f"{value:.0f}"


def percent(value: float | None) -> str:
    return "" if value is None else f"{value * 100:.0f} %"


def signed(value: float, digits: int = 0) -> str:
    """A difference with its sign; none where it rounds to nothing."""
    text = f"{value:+.{digits}f}"
    return text[1:] if float(text) == 0 else text


@cache
def asset(name: str) -> str:
    """Address of a shipped file with a hash of its content."""
    digest = hashlib.sha256((HERE / "static" / name).read_bytes()).hexdigest()[:10]
    return f"/static/{name}?v={digest}"


@cache
def icon(name: str) -> Markup:
    """An icon's drawing; it says nothing to screen readers, its button does."""
    return Markup((HERE / "templates" / "icons" / f"{name}.svg").read_text("utf-8"))  # noqa: S704
