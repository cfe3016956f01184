"""Pages for print as PDF: headings, facts, tables, drawings and photos, one after the other."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape

from mirvo.formats.fonts import BOLD, REGULAR

MARGIN_MM = 15.0
# A frame keeps 6 points of its own on each side.
WIDTH_MM = 210.0 - 2 * MARGIN_MM - 4.3
INK, QUIET, RULE = "#23211C", "#5C574B", "#C9C0AC"
PLAIN, STRONG = "Atkinson", "Atkinson-Bold"
PHOTOS_ACROSS, PHOTO_GAP_MM = 3, 4.0
# No word of a table is allowed to fill a page.
MOST_LETTERS = 600


@dataclass(frozen=True)
class Heading:
    """A heading; of a whole document where it is the first."""

    text: str
    large: bool = False


@dataclass(frozen=True)
class Words:
    """A paragraph."""

    text: str
    quiet: bool = False


@dataclass(frozen=True)
class Rows:
    """A table. widths : of its columns, in parts of the whole; without a header it is facts."""

    rows: Sequence[Sequence[str]]
    widths: Sequence[float]
    header: Sequence[str] = ()


@dataclass(frozen=True)
class Picture:
    """A drawing as PNG; width in mm."""

    content: bytes
    width_mm: float


@dataclass(frozen=True)
class Pictures:
    """Pictures side by side with a line beneath each. files : of photos, or PNGs of drawings."""

    files: Sequence[tuple[Path | bytes, str]]
    across: int = PHOTOS_ACROSS


Part = Heading | Words | Rows | Picture | Pictures


def document_pdf(title: str, parts: Sequence[Part]) -> bytes:
    """The parts as pages of A4, with the title and the page's number at each foot."""
    from reportlab.lib.units import mm  # heavy: only where such a document is made
    from reportlab.platypus import SimpleDocTemplate

    _know_fonts()
    out = io.BytesIO()
    pages = SimpleDocTemplate(
        out,
        title=title,
        leftMargin=MARGIN_MM * mm,
        rightMargin=MARGIN_MM * mm,
        topMargin=MARGIN_MM * mm,
        bottomMargin=MARGIN_MM * mm,
    )

    def foot(canvas: Any, page: Any) -> None:
        canvas.setFont(PLAIN, 8)
        canvas.setFillColor(QUIET)
        canvas.drawString(MARGIN_MM * mm, 9 * mm, title)
        canvas.drawRightString((210 - MARGIN_MM) * mm, 9 * mm, str(page.page))

    made = [flowable for part in parts for flowable in _flowables(part)]
    pages.build(made, onFirstPage=foot, onLaterPages=foot)
    return out.getvalue()


def _know_fonts() -> None:
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont

    for name, path in ((PLAIN, REGULAR), (STRONG, BOLD)):
        if name not in pdfmetrics.getRegisteredFontNames():
            pdfmetrics.registerFont(TTFont(name, str(path)))


def _flowables(part: Part) -> list[Any]:
    from reportlab.platypus import Spacer

    if isinstance(part, Heading):
        return [Spacer(1, 6), _words(part.text, STRONG, 20 if part.large else 12.5), Spacer(1, 3)]
    if isinstance(part, Words):
        return [_words(part.text, PLAIN, 9.5, QUIET if part.quiet else INK), Spacer(1, 3)]
    if isinstance(part, Rows):
        return [_table(part), Spacer(1, 4)] if part.rows else []
    if isinstance(part, Picture):
        return [_picture(part.content, part.width_mm), Spacer(1, 4)]
    return [_side_by_side(part), Spacer(1, 4)] if part.files else []


def _words(text: str, font: str, size: float, colour: str = INK) -> Any:
    from reportlab.lib.styles import ParagraphStyle
    from reportlab.platypus import Paragraph

    style = ParagraphStyle(
        font, fontName=font, fontSize=size, leading=size * 1.25, textColor=colour, splitLongWords=1
    )
    short = text if len(text) <= MOST_LETTERS else f"{text[:MOST_LETTERS]}…"
    return Paragraph(escape(short).replace("\n", "<br/>"), style)


def _table(part: Rows) -> Any:
    from reportlab.lib.units import mm
    from reportlab.platypus import Table, TableStyle

    body = [[_words(str(cell), PLAIN, 8.8) for cell in row] for row in part.rows]
    if part.header:
        body.insert(0, [_words(title, STRONG, 8.2, QUIET) for title in part.header])
    else:
        body = [[_words(str(row[0]), PLAIN, 8.8, QUIET), *cells[1:]] for row, cells in
                zip(part.rows, body, strict=True)]  # fmt: skip
    whole = sum(part.widths)
    widths = [WIDTH_MM * mm * width / whole for width in part.widths]
    style = [
        ("LINEBELOW", (0, 0), (-1, -1), 0.4, RULE),
        ("VALIGN", (0, 0), (-1, -1), "TOP"),
        ("LEFTPADDING", (0, 0), (-1, -1), 0),
        ("RIGHTPADDING", (0, 0), (-1, -1), 4),
        ("TOPPADDING", (0, 0), (-1, -1), 2),
        ("BOTTOMPADDING", (0, 0), (-1, -1), 2.5),
    ]
    return Table(
        body, widths, repeatRows=1 if part.header else 0, style=TableStyle(style), hAlign="LEFT"
    )


def _picture(content: Path | bytes, width_mm: float, most_mm: float = 230.0) -> Any:
    from PIL import Image as Opened
    from reportlab.lib.units import mm
    from reportlab.platypus import Image

    source: Any = io.BytesIO(content) if isinstance(content, bytes) else str(content)
    with Opened.open(source) as opened:
        wide, high = opened.size
    if isinstance(content, bytes):
        source = io.BytesIO(content)
    width = min(width_mm, most_mm * wide / high)
    return Image(source, width * mm, width * high / wide * mm, hAlign="LEFT")


def _side_by_side(part: Pictures) -> Any:
    from reportlab.lib.units import mm
    from reportlab.platypus import Table, TableStyle

    each = (WIDTH_MM - PHOTO_GAP_MM * (part.across - 1)) / part.across
    cells = [
        [_picture(source, each, each), _words(said, PLAIN, 8, QUIET)] for source, said in part.files
    ]
    rows = [cells[at : at + part.across] for at in range(0, len(cells), part.across)]
    rows[-1] += [[] for _ in range(part.across - len(rows[-1]))]
    style = TableStyle(
        [
            ("VALIGN", (0, 0), (-1, -1), "BOTTOM"),
            ("LEFTPADDING", (0, 0), (-1, -1), 0),
            ("RIGHTPADDING", (0, 0), (-1, -1), 0),
        ]
    )
    return Table(rows, [(each + PHOTO_GAP_MM) * mm] * part.across, style=style, hAlign="LEFT")
