"""Dossier and year book as pages and PDF; drawings, figures and days of a tree as files."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import Response

from mirvo.core.errors import NotFound
from mirvo.formats.calendar import calendar_file
from mirvo.formats.dossier import document_pdf
from mirvo.formats.spreadsheet import Sheet as Table
from mirvo.formats.spreadsheet import write_csv
from mirvo.studio.exchange.tables_out import measurements_table, roots_table
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.standing.tree_queries import load_tree
from mirvo.studio.yard.calendar import entries_of
from mirvo.studio.yard.dossier import YearBook, dossier_of, year_book
from mirvo.web.access import Role, only
from mirvo.web.dossier_parts import CAUTION, book_parts, dossier_parts
from mirvo.web.drawings.sheet import draw_sheet, draw_strip
from mirvo.web.drawings.year import draw_small_wheel
from mirvo.web.drawings.years import years_chart
from mirvo.web.reader import Reader

router = APIRouter(dependencies=only(Role.OWNER))
PDF = "application/pdf"
FIRST_YEAR, LAST_YEAR = 1900, 2300


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
def show_dossier(reader: Reader, tree_id: int) -> Response:
    found = dossier_of(reader.db, tree_id, reader.today)
    context = {
        "found": found,
        "tree": found.tree,
        "sheet": found.sheet,
        "to_scale": draw_sheet(found.sheet, "drawing"),
        "strip": draw_strip(found.sheet),
        "years": years_chart(found.sheet),
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
def show_this_year(reader: Reader) -> Response:
    return _book_page(reader, reader.today.year)


@router.get("/yearbook/{year}")
def show_year(reader: Reader, year: int) -> Response:
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


def _book_page(reader: Reader, year: int) -> Response:
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
