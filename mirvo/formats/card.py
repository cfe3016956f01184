"""The calibration card at true size, as SVG and as PDF, with a line to check the printer by.

Both are drawn from one list of black rectangles and words on an A5 sheet, mm, y down.
"""

from __future__ import annotations

import io
from dataclasses import dataclass
from xml.sax.saxutils import escape

import numpy as np

from mirvo.core.measure.calibration import card_layout

SHEET_MM = (210.0, 148.0)
FIRST_MARKER_MM = (30.0, 12.0)
# Four cells of code and a black border all round.
CELLS = 6
CHECK_LINE_MM = 100.0
CHECK_FROM_MM = (55.0, 131.0)
INK_WIDTH_MM = 0.3
SCALE_WORDS = (
    "Print at 100%. This line should measure 100 mm; enter in the Kit what it does measure."
)
USE_WORDS = (
    "Lay the whole card flat beside the trunk, level with the roots if you can,",
    "and enter how high it lies above them. Leave it in place for every photo of a set.",
)


@dataclass(frozen=True)
class Words:
    """A line of text: its middle and size, mm."""

    text: str
    x: float
    y: float
    size: float = 3.2


def squares() -> list[tuple[bool, tuple[float, float, float, float]]]:
    """Dark squares and the light cells upon them, in order: x, y, width, height in mm.

    Cells of a light row are joined, so that no seam shows between them.
    """
    import cv2  # heavy: only where a card is made

    book = cv2.aruco.getPredefinedDictionary(cv2.aruco.DICT_4X4_50)
    drawn = []
    for number, corners in enumerate(card_layout().reshape(4, 4, 2)):
        left, top = corners[0] - card_layout()[0] + FIRST_MARKER_MM
        side = float(corners[1][0] - corners[0][0])
        cell = side / CELLS
        drawn.append((True, (left, top, side, side)))
        light = cv2.aruco.generateImageMarker(book, number, CELLS) > 127
        for row, line in enumerate(light):
            # Where light begins and ends in a row.
            edges = np.flatnonzero(np.diff([0, *line.astype(int), 0])).reshape(-1, 2)
            for start, end in edges:
                box = (left + start * cell, top + row * cell, (end - start) * cell, cell)
                drawn.append((False, box))
    return drawn


def words() -> list[Words]:
    """Everything printed beside the markers."""
    x, y = CHECK_FROM_MM
    middle = SHEET_MM[0] / 2
    return [
        Words("Mirvo card", middle, 62.0, 6.0),
        Words("TOP", middle, 24.0, 3.6),
        *(Words(text, middle, 74.0 + 5 * i, 2.9) for i, text in enumerate(USE_WORDS)),
        Words(SCALE_WORDS, x + CHECK_LINE_MM / 2, y + 6.0, 2.9),
    ]


def check_line() -> list[tuple[float, float, float, float]]:
    """Segments of the 100 mm line and its end ticks: x1, y1, x2, y2 in mm."""
    x, y = CHECK_FROM_MM
    ends = (x, x + CHECK_LINE_MM)
    return [(x, y, ends[1], y), *((end, y - 2.5, end, y + 2.5) for end in ends)]


def card_svg() -> str:
    """The sheet as SVG, one user unit a millimetre."""
    width, height = SHEET_MM
    boxes = "".join(
        f'<path fill="{"#000" if dark else "#fff"}" d="M{x:g} {y:g}h{w:g}v{h:g}h{-w:g}z"/>'
        for dark, (x, y, w, h) in squares()
    )
    lines = "".join(f'<path d="M{a:g} {b:g}L{c:g} {d:g}"/>' for a, b, c, d in check_line())
    texts = "".join(
        f'<text x="{word.x:g}" y="{word.y:g}" font-size="{word.size:g}">{escape(word.text)}</text>'
        for word in words()
    )
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width:g}mm" height="{height:g}mm" '
        f'viewBox="0 0 {width:g} {height:g}"><title>Mirvo card, print at 100%</title>'
        f'<rect width="{width:g}" height="{height:g}" fill="#fff"/>'
        f'<g shape-rendering="crispEdges">{boxes}</g>'
        f'<g fill="none" stroke="#000" stroke-width="{INK_WIDTH_MM}">{lines}</g>'
        f'<g font-family="sans-serif" text-anchor="middle">{texts}</g></svg>'
    )


def card_pdf() -> bytes:
    """The sheet as a one-page PDF of A5, landscape."""
    from reportlab.lib.units import mm  # heavy: only where a card is made
    from reportlab.pdfgen.canvas import Canvas

    width, height = SHEET_MM
    out = io.BytesIO()
    # Invariant: without the time of day the same card is the same file.
    page = Canvas(out, pagesize=(width * mm, height * mm), invariant=True)
    page.setTitle("Mirvo card, print at 100%")
    for dark, (x, y, w, h) in squares():
        page.setFillGray(0 if dark else 1)
        page.rect(x * mm, (height - y - h) * mm, w * mm, h * mm, stroke=0, fill=1)
    page.setFillGray(0)
    page.setLineWidth(INK_WIDTH_MM * mm)
    for a, b, c, d in check_line():
        page.line(a * mm, (height - b) * mm, c * mm, (height - d) * mm)
    for word in words():
        page.setFont("Helvetica", word.size * mm)
        page.drawCentredString(word.x * mm, (height - word.y) * mm, word.text)
    page.showPage()
    page.save()
    return out.getvalue()
