"""Dossier and year book as pages and PDF; drawings, figures and days of a tree as files."""

from __future__ import annotations

from collections.abc import Callable

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from mirvo.core.errors import NotFound
from mirvo.formats.calendar import calendar_file
from mirvo.formats.dossier import document_pdf
from mirvo.formats.spreadsheet import Sheet as Table
from mirvo.formats.spreadsheet import write_csv
from mirvo.studio.exchange.tables_out import measurements_table, roots_table
from mirvo.studio.photos.photo_queries import KINDS
from mirvo.studio.records.record import record_of
from mirvo.studio.records.root_sessions import load_session
from mirvo.studio.tree_queries import load_tree
from mirvo.studio.yard.calendar import entries_of
from mirvo.studio.yard.dossier import YearBook, dossier_of, year_book
from mirvo.studio.yard.settings import yard_of
from mirvo.studio.yard.sheet import Sheet, sheet_of
from mirvo.web.dossier_parts import CAUTION, book_parts, dossier_parts
from mirvo.web.drawings.file import as_png, as_svg
from mirvo.web.drawings.filmstrip import draw_filmstrip
from mirvo.web.drawings.record import draw_record_section, draw_record_wheel
from mirvo.web.drawings.scene import Scene
from mirvo.web.drawings.sheet import draw_section, draw_sheet, draw_strip
from mirvo.web.drawings.tradeoff import draw_tradeoff
from mirvo.web.drawings.year import draw_small_wheel
from mirvo.web.drawings.years import years_chart, years_charts
from mirvo.web.reader import Reader

router = APIRouter()
PDF = "application/pdf"
FIRST_YEAR, LAST_YEAR = 1900, 2300


def _drawings() -> dict[str, Callable[[Sheet], Scene | None]]:
    return {
        "sheet": lambda sheet: draw_sheet(sheet, "drawing"),
        "section": lambda sheet: None if sheet.path is None else draw_section(sheet, sheet.path),
        "years": years_chart,
        "film": lambda sheet: None if sheet.path is None else draw_filmstrip(sheet, sheet.path),
        "tradeoff": lambda sheet: (
            None if sheet.path is None else draw_tradeoff(sheet.path, "", None)
        ),
    }


@router.get("/trees/{tree_id}/drawings/{name}.{kind}")
def drawing(reader: Reader, tree_id: int, name: str, kind: str) -> Response:
    """A drawing of a tree as SVG or PNG: sheet, section, years, film and tradeoff of its path, or a
    chart of the Years by its place on that page, such as chart-0."""
    sheet, draw = sheet_of(reader.db, tree_id, reader.today), _drawings().get(name)
    scene = None if draw is None else draw(sheet)
    if draw is None:
        charts = {f"chart-{number}": one for number, one in enumerate(years_charts(sheet))}
        scene = charts.get(name)
    return _drawn(scene, f"tree-{tree_id}-{name}", kind)


@router.get("/sessions/{session_id}/drawings/{name}.{kind}")
def drawing_of_record(reader: Reader, session_id: int, name: str, kind: str) -> Response:
    """A drawing of a session's record as SVG or PNG: wheel or section."""
    session = load_session(reader.db, session_id)
    record = record_of(reader.db, session, load_tree(reader.db, session.tree_id))
    draw = {"wheel": draw_record_wheel, "section": draw_record_section}.get(name)
    scene = None if draw is None else draw(record)
    return _drawn(scene, f"session-{session_id}-{name}", kind)


def _drawn(scene: Scene | None, name: str, kind: str) -> Response:
    if scene is None or kind not in ("svg", "png"):
        raise NotFound("drawing", "there is no such drawing yet")
    file_name = f"{name}.{kind}"
    if kind == "svg":
        return _file(as_svg(scene).encode(), "image/svg+xml", file_name)
    return _file(as_png(scene), "image/png", file_name)


@router.get("/trees/{tree_id}/figures.csv")
def figures(reader: Reader, tree_id: int) -> Response:
    """What was measured of a tree, a row a day."""
    content = write_csv(_of_tree(reader, tree_id, measurements_table(reader.db, reader.today)))
    return _file(content, "text/csv", f"tree-{tree_id}-figures.csv")


@router.get("/trees/{tree_id}/roots.csv")
def roots(reader: Reader, tree_id: int) -> Response:
    """Each root of a tree on each day it was measured."""
    content = write_csv(_of_tree(reader, tree_id, roots_table(reader.db, reader.today)))
    return _file(content, "text/csv", f"tree-{tree_id}-roots.csv")


def _of_tree(reader: Reader, tree_id: int, table: Table) -> Table:
    name = load_tree(reader.db, tree_id).name
    return Table(table.name, table.header, [row for row in table.rows if row[0] == name])


@router.get("/trees/{tree_id}/calendar.ics")
def calendar(reader: Reader, tree_id: int) -> Response:
    """Window and tasks of one tree for another calendar."""
    tree = load_tree(reader.db, tree_id)
    entries = entries_of(reader.db, reader.today, of_tree=tree_id)
    content = calendar_file(tree.name, entries, reader.studio.now)
    return _file(content, "text/calendar", f"tree-{tree_id}.ics")


@router.get("/trees/{tree_id}/dossier")
def show_dossier(reader: Reader, tree_id: int) -> HTMLResponse:
    found = dossier_of(reader.db, tree_id, reader.today)
    context = {
        "found": found,
        "tree": found.tree,
        "sheet": found.sheet,
        "to_scale": draw_sheet(found.sheet, "drawing"),
        "strip": draw_strip(found.sheet),
        "years": years_chart(found.sheet),
        "photo_kinds": KINDS,
        "caution": CAUTION,
    }
    return reader.page("exchange/dossier.html", context)


@router.get("/trees/{tree_id}/dossier.pdf")
def dossier_pdf(reader: Reader, tree_id: int) -> Response:
    found = dossier_of(reader.db, tree_id, reader.today)
    parts = dossier_parts(reader.studio, found, yard_of(reader.db).name, reader.today)
    content = document_pdf(found.tree.name, parts)
    return _file(content, PDF, f"tree-{tree_id}-dossier.pdf")


@router.get("/yearbook")
def show_this_year(reader: Reader) -> HTMLResponse:
    return _book_page(reader, reader.today.year)


@router.get("/yearbook/{year}")
def show_year(reader: Reader, year: int) -> HTMLResponse:
    return _book_page(reader, year)


@router.get("/yearbook/{year}/book.pdf")
def year_pdf(reader: Reader, year: int) -> Response:
    book = _book(reader, year)
    title = f"{yard_of(reader.db).name} {year}"
    return _file(document_pdf(title, book_parts(title, book)), PDF, f"year-book-{year}.pdf")


def _book(reader: Reader, year: int) -> YearBook:
    if not FIRST_YEAR <= year <= LAST_YEAR:
        raise NotFound("year", "there is no such year")
    return year_book(reader.db, year, reader.today)


def _book_page(reader: Reader, year: int) -> HTMLResponse:
    book = _book(reader, year)
    wheels = {
        one.row.tree.id: draw_small_wheel(one.row.tree.id, one.last)
        for one in book.trees
        if one.last is not None
    }
    return reader.page("exchange/year_book.html", {"book": book, "wheels": wheels})


def _file(content: bytes, media_type: str, name: str) -> Response:
    header = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Response(content, media_type=media_type, headers=header)
