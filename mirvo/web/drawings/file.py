"""A drawing as a file of its own: SVG with its styles inside, and PNG made of that."""

from __future__ import annotations

import re
from collections.abc import Mapping
from functools import cache
from pathlib import Path

from markupsafe import escape

from mirvo.formats.fonts import FONT_FILES
from mirvo.web.drawings.scene import Scene
from mirvo.web.drawings.svg import svg

STYLES = Path(__file__).parents[1] / "styles.css"
TEMPLATE = Path(__file__).parents[1] / "templates" / "drawings" / "drawing.svg"
# A rule as the stylesheet writes it: one a line.
RULE = re.compile(r"^  (\.[^@{}]+) \{ ([^{}]*) \}$", re.M)
SIMPLE = re.compile(r"(?:\.drawing )?(?:\.[a-z0-9-]+)+|\.drawing")
COLOUR = re.compile(r"^  (--[a-z-]+): (.*);$", re.M)
BY_DAY = re.compile(r"light-dark\(\s*([^,]+),[^)]*\)")
FONT = re.compile(r"font: (?:(\d+) )?([\d.]+(?:px|rem))(?:/[\d.]+)? (.+)")
PX_PER_REM = 15.0
# Print asks for about 300 dots an inch, a screen for twice its own.
ZOOM = 3.0
WORDS = "Atkinson Hyperlegible Next"
ROOT = (
    "text { font-family: 'Atkinson Hyperlegible Next', sans-serif; font-size: 15px; "
    "fill: #23211C; }"
)
# Words at the right edge may be a little wider than a browser sets them.
ROOM_PX = 18.0


def find_scene(context: object, key: str) -> Scene | None:
    """The drawing of a key among what a page shows; None where there is none."""
    if isinstance(context, Scene):
        return context if context.key == key else None
    if isinstance(context, Mapping):
        context = list(context.values())
    if not isinstance(context, (list, tuple)):
        return None
    return next((found for one in context if (found := find_scene(one, key))), None)


def as_svg(scene: Scene) -> str:
    """The drawing as an SVG file that needs nothing beside it, by day."""
    width, height = f"{scene.width + ROOM_PX:.0f}", f"{scene.height:.0f}"
    mode = f" {scene.mode}" if scene.mode else ""
    body = str(svg(scene.shapes))
    # Photos under a drawing have addresses of the studio, which a file does not reach.
    body = re.sub(r"<image\b[^>]*>(?:</image>)?", "", body)
    body = re.sub(r"</?a\b[^>]*>", "", body)
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" class="drawing{mode}" '
        f'viewBox="0 0 {width} {height}" width="{width}" height="{height}" role="img">\n'
        f"<title>{escape(scene.title)}</title>\n<desc>{escape(scene.description)}</desc>\n"
        f"<style>\n{ROOT}\n{_styles_of(scene)}\n</style>\n{_patterns()}\n{body}\n</svg>\n"
    )


def as_png(scene: Scene, zoom: float = ZOOM) -> bytes:
    """The drawing as a picture on white, `zoom` px for each px of the drawing."""
    import resvg_py  # only where a picture is made

    return bytes(
        resvg_py.svg_to_bytes(
            svg_string=as_svg(scene),
            background="#ffffff",
            zoom=zoom,
            skip_system_fonts=True,
            font_files=[str(path) for path in FONT_FILES],
            font_family=WORDS,
            sans_serif_family=WORDS,
        )
    )


def _styles_of(scene: Scene) -> str:
    """The rules of the stylesheet that speak of the drawing's shapes."""
    used = {"drawing", "grain", "hatch-gap", "hatch-cut", "hatch-frost", *scene.mode.split()}
    used |= {word for shape in scene.shapes for word in shape.role.split()}
    kept = []
    for selectors, said in _rules():
        fitting = [one for one in selectors if set(re.findall(r"[a-z][a-z0-9-]*", one)) <= used]
        if fitting:
            kept.append(f"{', '.join(fitting)} {{ {said} }}")
    return "\n".join(kept)


@cache
def _rules() -> tuple[tuple[tuple[str, ...], str], ...]:
    """Selectors and declarations of all plain rules, every colour as it is by day."""
    text = STYLES.read_text("utf-8")
    named = {name: BY_DAY.sub(r"\1", value) for name, value in COLOUR.findall(text)}
    found = []
    for selectors, said in RULE.findall(text):
        # What depends on more than a shape's role has no place in a file.
        if ":" in selectors:
            continue
        plain = tuple(one.strip() for one in selectors.split(",") if SIMPLE.fullmatch(one.strip()))
        if plain:
            found.append((plain, _by_day(said, named)))
    return tuple(found)


def _by_day(said: str, named: dict[str, str]) -> str:
    parts = []
    for declaration in said.split(";"):
        text = re.sub(r"var\((--[a-z-]+)\)", lambda name: named.get(name[1], name[0]), declaration)
        text = BY_DAY.sub(r"\1", text.strip())
        # Renderers of drawings know the long names only.
        font = FONT.fullmatch(text)
        if font:
            weight, size, family = font.groups()
            px = float(size[:-3]) * PX_PER_REM if size.endswith("rem") else float(size[:-2])
            text = f"font-weight: {weight or 400}; font-size: {px:g}px; font-family: {family}"
        if text:
            parts.append(text)
    return "; ".join(parts)


@cache
def _patterns() -> str:
    """The hatches as the pages have them."""
    text = TEMPLATE.read_text("utf-8")
    return text[text.index("<defs>") : text.index("</defs>") + len("</defs>")]
