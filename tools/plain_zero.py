"""Take the stroke out of the zero of the text font, as its licence allows.

The font has no plain zero of its own, and dates and running text are to have one. The two halves
of the zero's inside, which the stroke parts, are joined to one. Run once after a new version of
the font came in; needs the extra `fonts`:

    python -m tools.plain_zero FONT.woff2 PLAIN.woff2
"""

from __future__ import annotations

import sys
from typing import Any

from fontTools.ttLib import TTFont
from fontTools.ttLib.tables._g_l_y_f import GlyphCoordinates
from fontTools.varLib.iup import iup_delta

ZERO = "zero"
PHANTOMS = 4
FAMILY, VERSION = 1, 5


def joined(ends: list[int]) -> list[int]:
    """Order of the points with both halves of the inside in one contour.

    ends : last point of the outside, of the lower left half and of the upper right half.
    """
    outside, lower, upper = ends
    # The stroke's corners: the lower half begins at its own with the fifth point, the upper with
    # the second.
    left = list(range(outside + 5, lower + 1)) + list(range(outside + 1, outside + 5))
    right = [*range(lower + 2, upper + 1), lower + 1]
    return [*range(outside + 1), *left, *right]


def without_stroke(font: Any) -> None:
    """Change the zero of a variable font in place; its weights change with it."""
    glyphs = font["glyf"]
    zero = glyphs[ZERO]
    points, ends, flags = zero.getCoordinates(glyphs)
    if zero.numberOfContours != 3:
        raise SystemExit("The zero of this font is drawn otherwise; nothing was changed.")
    order = joined(list(ends))
    # Points that say nothing of a weight follow their neighbours, and those change.
    for weight in font["gvar"].variations[ZERO]:
        given = weight.coordinates
        corners = [*points, *((0, 0),) * PHANTOMS]
        whole = iup_delta(given, corners, list(ends))
        ahead, phantom = whole[: len(points)], whole[len(points) :]
        weight.coordinates = [ahead[one] for one in order] + list(phantom)
    zero.coordinates = GlyphCoordinates([points[one] for one in order])
    zero.flags = bytearray(flags[one] for one in order)
    zero.endPtsOfContours, zero.numberOfContours = [ends[0], ends[2]], 2
    zero.recalcBounds(glyphs)
    for name in font["name"].names:
        if name.nameID == VERSION:
            name.string = f"{name.toUnicode()}; zero without stroke"


def main(source: str, target: str) -> None:
    font = TTFont(source)
    without_stroke(font)
    font.flavor = "woff2"
    font.save(target)


if __name__ == "__main__":
    main(*sys.argv[1:])
