"""Templates: one environment, its filters and what every template may use."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from datetime import date
from functools import cache
from pathlib import Path
from urllib.parse import urlencode

from jinja2 import Environment, FileSystemLoader, StrictUndefined
from markupsafe import Markup, escape

from mirvo.core.almanac import rules
from mirvo.core.rootwork.kinds import kind_name
from mirvo.core.season import BUD_STAGES, Window, frost_day
from mirvo.core.sentences import first_upper
from mirvo.records.models import Photo
from mirvo.studio.photos.photo_queries import kind_said
from mirvo.text import advice
from mirvo.web import lengths, wording
from mirvo.web.drawings.svg import svg
from mirvo.web.places import PLACES, TREE_PARTS

HERE = Path(__file__).parent
ANY_YEAR = 2001
DIGEST_SHOWN = 12


@cache
def environment() -> Environment:
    made = Environment(
        loader=FileSystemLoader(HERE / "templates"),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    made.filters["format"] = formatted
    made.filters["day"] = day
    made.filters["short_day"] = wording.short_day
    made.filters["days"] = days
    made.filters["day_of_year"] = day_of_year
    made.filters["whole"] = whole
    # Of the number of things there is `count`.
    made.filters["length"] = lengths.length
    made.filters["length_text"] = lengths.length_text
    made.filters["in_units"] = lengths.in_units
    made.filters["signed_length"] = lengths.signed_length
    made.filters["per_length"] = lengths.per_length
    made.filters["margin"] = lengths.margin
    made.filters["in_field"] = lengths.in_field
    made.filters["lengths_in"] = lengths.lengths_in
    made.filters["percent"] = percent
    made.filters["signed"] = signed
    made.filters["plus_minus"] = wording.plus_minus
    made.filters["first_upper"] = first_upper
    made.filters["headline"] = advice.headline
    made.filters["what_today"] = advice.what_today
    made.filters["reason_text"] = advice.reason_text
    made.filters["refused_text"] = advice.refused_text
    made.filters["device_words"] = wording.device_words
    made.filters["column_words"] = wording.column_words
    made.filters["photo_kind"] = kind_said
    made.filters["address"] = address
    made.filters["picture"] = picture
    made.filters["svg"] = svg
    made.globals["length_unit"] = lengths.unit
    made.globals["in_inches"] = lengths.in_inches
    made.globals["bare_unit"] = lengths.bare_unit
    made.globals["typed_unit"] = lengths.typed_unit
    made.globals["sizes"] = lengths.sizes
    made.globals["options"] = options
    made.globals["asset"] = asset
    made.globals["icon"] = icon
    made.globals["words"] = wording
    made.globals["advice"] = advice
    made.globals["kind_name"] = kind_name
    made.globals["bud_stages"] = BUD_STAGES
    made.globals["places"] = PLACES
    made.globals["tree_parts"] = TREE_PARTS
    made.globals["usual_pots"] = tuple(rules().plan.offered)
    made.globals["usual_depths"] = {
        name: container.depth_mm for name, container in rules().containers.items()
    }
    made.globals["usual_plan"] = rules().plan
    made.globals["bud_groups"] = tuple(rules().phenology)
    return made


def day(value: date | None) -> str:
    """14 March 2026."""
    return "" if value is None else f"{value.day} {value:%B %Y}"


def days(window: Window) -> str:
    """The days of a window: 16 Mar to 4 May 2027."""
    return wording.days(window.start, window.end)


def day_of_year(value: str) -> str:
    """20 April, of a month and day as "04-20"."""
    found = frost_day(value, ANY_YEAR)
    return f"{found.day} {found:%B}"


def whole(value: float | None) -> str:
    """A number without needless digits, its unit left to the page; nothing for None."""
    return "" if value is None else _whole(value)


def percent(value: float | None) -> str:
    return "" if value is None else f"{_whole(value * 100)}%"


def formatted(pattern: str, *values: object) -> str:
    """A number as a pattern writes it, "%.1f"; what rounds to nothing from below has no sign."""
    text = pattern % values
    return text[1:] if text.startswith("-") and not text.strip("-0.") else text


def _whole(value: float) -> str:
    return formatted("%.0f", round(value))


def signed(value: float, digits: int = 0) -> str:
    """A difference with its sign; none where it rounds to nothing."""
    text = f"{value:+.{digits}f}"
    return text[1:] if float(text) == 0 else text


def options(lines: Iterable[tuple[object, str]], chosen: object) -> Markup:
    """Lines of a list to choose from, by value and what is read; a shelf has a thousand."""
    made = '<option value="{}"{}>{}</option>'
    texts = (
        made.format(escape(value), " selected" * (str(value) == str(chosen)), escape(said))
        for value, said in lines
    )
    return Markup("".join(texts))  # noqa: S704 # each part is escaped above


def address(fields: dict[str, object]) -> str:
    """Fields as an address holds them after its question mark; what says nothing is left out."""
    return urlencode({name: value for name, value in fields.items() if value})


def picture(photo: Photo, size: str) -> str:
    """Address of a photo in a size of `SIZES`. It bears what the photo is, so that no browser shows
    another yard's photo of the same number in its place."""
    return f"/photos/{photo.id}/{size}.jpg?v={photo.digest[:DIGEST_SHOWN]}"


@cache
def asset(name: str) -> str:
    """Address of a shipped file with a hash of its content."""
    digest = hashlib.sha256((HERE / "static" / name).read_bytes()).hexdigest()[:10]
    return f"/static/{name}?v={digest}"


@cache
def icon(name: str) -> Markup:
    """An icon's drawing; it says nothing to screen readers, its button does."""
    return Markup((HERE / "templates" / "icons" / f"{name}.svg").read_text("utf-8"))  # noqa: S704
