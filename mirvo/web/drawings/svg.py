"""Shapes as SVG. Written here and not by a template: a page of bases has thousands of them."""

from __future__ import annotations

from collections.abc import Iterable

from markupsafe import Markup, escape

from mirvo.web.drawings.scene import Link, Shape

# What cannot stand in an id that others refer to.
IN_IDS = str.maketrans("/?&=", "----")


def svg(shapes: Iterable[Shape]) -> Markup:
    """Shapes, a line each."""
    return Markup("\n".join(map(_shape, shapes)))  # noqa: S704 # escaped below


def _shape(shape: Shape) -> str:
    attributes = "".join(f' {name}="{escape(value)}"' for name, value in shape.attributes.items())
    drawn = f'<{shape.name} class="{shape.role}"{attributes}>{escape(shape.text)}</{shape.name}>'
    return drawn if shape.link is None else f"{_link(shape.link)}{drawn}</a>"


def _link(link: Link) -> str:
    href, current = escape(link.href), ' aria-current="true"' if link.chosen else ""
    return (
        f'<a id="at-{escape(link.href.translate(IN_IDS))}" href="{href}"'
        f' aria-label="{escape(link.label)}"{current} hx-get="{href}" hx-target="#{link.into}"'
        f' hx-select="#{link.into}" hx-swap="outerHTML">'
    )
