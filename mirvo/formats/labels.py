"""Labels of trees as PDF: name, species, last and next session, and a code that opens the tree.

The code is a QR code (ISO/IEC 18004) at error level M, so that it is still read with a quarter of
it under dirt. Sizes in mm; a sheet is filled row by row.
"""

from __future__ import annotations

import io
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import islice

A4_MM = (210.0, 297.0)
# Smaller modules than this a phone does not read from weathered paper.
LEAST_CODE_MM, CODE_SHARE = 15.0, 0.62
INSET_MM = 2.5
NAME_PT, SMALL_PT, LEAST_PT = 11.0, 7.5, 5.0
MOST_LABELS = 2000


@dataclass(frozen=True)
class Paper:
    """Labels on a sheet: how many across and down, the size of each, where the first begins, and
    from one to the next, mm. A tape has one label a page."""

    name: str
    across: int
    down: int
    size: tuple[float, float]
    first: tuple[float, float]
    step: tuple[float, float]
    sheet: tuple[float, float] = A4_MM

    @property
    def on_sheet(self) -> int:
        return self.across * self.down


PAPERS = {
    "70x37": Paper("70 × 37 mm, 24 on A4", 3, 8, (70, 37), (0, 0.5), (70, 37)),
    "99x38": Paper("99 × 38 mm, 14 on A4", 2, 7, (99.1, 38.1), (4.65, 15.15), (101.6, 38.1)),
    "63x34": Paper("64 × 34 mm, 24 on A4", 3, 8, (63.5, 33.9), (7.2, 12.9), (66.0, 33.9)),
    "105x74": Paper("105 × 74 mm, 8 on A4", 2, 4, (105, 74), (0, 0.5), (105, 74)),
}
TAPE = Paper("62 × 29 mm, one a piece", 1, 1, (62, 29), (0, 0), (62, 29), (62, 29))


@dataclass(frozen=True)
class Label:
    """What a label says. lines : beneath the name, each shrunk until it fits."""

    name: str
    lines: tuple[str, ...]
    address: str


def label_pdf(labels: Iterable[Label], paper: Paper, used: int = 0) -> bytes:
    """Sheets of labels.

    used : labels of the first sheet that are gone already, from its top left on.
    """
    from reportlab.lib.units import mm  # heavy: only where labels are made
    from reportlab.pdfgen.canvas import Canvas

    file = io.BytesIO()
    canvas = Canvas(file, pagesize=tuple(side * mm for side in paper.sheet))
    canvas.setTitle("Labels")
    place = max(0, min(used, paper.on_sheet - 1))
    drawn = False
    for label in islice(labels, MOST_LABELS):
        if drawn and place == 0:
            canvas.showPage()
        row, column = divmod(place, paper.across)
        x = paper.first[0] + column * paper.step[0]
        # From the sheet's foot, as PDF counts.
        y = paper.sheet[1] - paper.first[1] - row * paper.step[1] - paper.size[1]
        _draw(canvas, label, x, y, paper.size)
        place, drawn = (place + 1) % paper.on_sheet, True
    canvas.save()
    return file.getvalue()


def _draw(canvas: object, label: Label, x: float, y: float, size: tuple[float, float]) -> None:
    """One label, its lower left corner at x, y."""
    from reportlab.graphics import renderPDF
    from reportlab.graphics.barcode.qr import QrCodeWidget
    from reportlab.graphics.shapes import Drawing
    from reportlab.lib.units import mm

    wide, high = size
    side = max(min(LEAST_CODE_MM, high - INSET_MM), CODE_SHARE * high)
    code = QrCodeWidget(label.address, barLevel="M", barWidth=side * mm, barHeight=side * mm)
    drawing = Drawing(side * mm, side * mm)
    drawing.add(code)
    left, low = x + wide - side - INSET_MM / 2, y + (high - side) / 2
    renderPDF.draw(drawing, canvas, left * mm, low * mm)
    room = (wide - side - 2 * INSET_MM) * mm
    top = (y + high - INSET_MM) * mm
    lines = [(label.name, "Helvetica-Bold", NAME_PT)]
    lines += [(line, "Helvetica", SMALL_PT) for line in label.lines if line]
    for text, font, points in lines:
        for part in _in_two(text, font, points, room):
            fitted = _fitting(part, font, points, room)
            top -= fitted * 1.2
            canvas.setFont(font, fitted)  # type: ignore[attr-defined] # reportlab has no types
            canvas.drawString((x + INSET_MM) * mm, top, part)  # type: ignore[attr-defined]


def _wide(text: str, font: str, points: float) -> float:
    from reportlab.pdfbase.pdfmetrics import stringWidth

    return float(stringWidth(text, font, points))


def _in_two(text: str, font: str, points: float, room: float) -> Sequence[str]:
    """A text on one line, or on two where it is too long and has words to part it at."""
    if _wide(text, font, points) <= room or " " not in text:
        return (text,)
    words = text.split(" ")
    cuts = ((" ".join(words[:n]), " ".join(words[n:])) for n in range(1, len(words)))
    return min(cuts, key=lambda two: max(_wide(part, font, points) for part in two))


def _fitting(text: str, font: str, points: float, room: float) -> float:
    """Size at which a text fits its room, points."""
    wide = _wide(text, font, points)
    return points if wide <= room else max(LEAST_PT, points * room / wide)
