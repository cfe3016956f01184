"""Shapes as SVG. Written here and not by a template: a page of bases has thousands of them."""

from __future__ import annotations

import re
from collections.abc import Iterable

from markupsafe import Markup

from mirvo.web.drawings.scene import Link, Shape

# What cannot stand in an id that others refer to.
IN_IDS = str.maketrans("/?&=", "----")
# As Markup's own escape has them; that would make an object of each of thousands of numbers.
ESCAPES = str.maketrans({"&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&#34;", "'": "&#39;"})
HAS_TO_ESCAPE = re.compile("[&<>\"']").search


def svg(shapes: Iterable[Shape]) -> Markup:
    """Shapes, a line each."""
    return Markup("\n".join(map(_shape, shapes)))  # noqa: S704 # escaped below


def _shape(shape: Shape) -> str:
    attributes = "".join(
        [f' {name}="{_escaped(value)}"' for name, value in shape.attributes.items()]
    )
    drawn = f'<{shape.name} class="{shape.role}"{attributes}>{_escaped(shape.text)}</{shape.name}>'
    return drawn if shape.link is None else f"{_link(shape.link)}{drawn}</a>"


def _escaped(text: str) -> str:
    # Nearly all are numbers, which looking at is quicker than translating.
    return text.translate(ESCAPES) if HAS_TO_ESCAPE(text) else text


def _link(link: Link) -> str:
    href, current = _escaped(link.href), ' aria-current="true"' if link.chosen else ""
    return (
        f'<a id="at-{_escaped(link.href.translate(IN_IDS))}" href="{href}"'
        f' aria-label="{_escaped(link.label)}"{current} hx-get="{href}"'
        f' hx-target="#{link.into}" hx-select="#{link.into}" hx-swap="outerHTML">'
    )
