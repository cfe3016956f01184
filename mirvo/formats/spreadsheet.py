"""Tables as spreadsheet files (XLSX) and CSV, out and in.

What leaves is harmless: a text that a spreadsheet would run as a formula is marked as text (the
leading ' that spreadsheets themselves use). What comes in is read as values, never run.
"""

from __future__ import annotations

import csv
import io
import re
import zipfile
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from mirvo.core.errors import BadInput
from mirvo.core.typed_values import plain_text
from mirvo.formats.packing import UNREADABLE

Cell = str | float | int | bool | date | None
# With these a text is a formula to some spreadsheet.
RUNS = ("=", "+", "-", "@", "\t", "\r")
MARK = "'"
NUMBER = re.compile(r"[-+]?[0-9]+(?:[.,][0-9]+)?")
MAX_BYTES, MAX_UNPACKED = 20 << 20, 200 << 20
MAX_ROWS, MAX_COLUMNS, MAX_SHEETS, MAX_CELL = 20_000, 120, 20, 4000
DELIMITERS = ",;\t|"
XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"


@dataclass(frozen=True)
class Sheet:
    """A table. rows : in the order of the header."""

    name: str
    header: tuple[str, ...]
    rows: Sequence[Sequence[Cell]]


@dataclass(frozen=True)
class ReadRow:
    """A row as it was read; number : in the file, as a spreadsheet counts, from 1."""

    number: int
    cells: tuple[Cell, ...]


@dataclass(frozen=True)
class ReadSheet:
    """A table as it was read: its heading row, and the rows beneath that are not empty."""

    name: str
    header: tuple[str, ...]
    rows: tuple[ReadRow, ...]


def harmless(value: Cell) -> Cell:
    """A cell that no spreadsheet runs.

    >>> harmless("=1+1"), harmless("-5"), harmless("plain"), harmless(4.5)
    ("'=1+1", '-5', 'plain', 4.5)
    """
    if isinstance(value, str) and value.startswith(RUNS) and not NUMBER.fullmatch(value):
        return MARK + value
    return value


def _unmarked(value: str) -> str:
    """The text that was marked, as it was before."""
    marked = value.startswith(MARK) and value[1:].startswith(RUNS)
    return value[1:] if marked else value


def write_csv(sheet: Sheet) -> bytes:
    """A table as CSV: comma, UTF-8 with the mark by which spreadsheets know it."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(sheet.header)
    for row in sheet.rows:
        writer.writerow([_said(harmless(cell)) for cell in row])
    return out.getvalue().encode("utf-8-sig")


def _said(cell: Cell) -> str:
    if cell is None:
        return ""
    if isinstance(cell, bool):
        return "yes" if cell else "no"
    if isinstance(cell, (date, datetime)):
        return cell.isoformat()
    return f"{cell:g}" if isinstance(cell, float) else str(cell)


def write_xlsx(sheets: Iterable[Sheet]) -> bytes:
    """Tables as one workbook, a sheet each, with the heading kept in view."""
    from openpyxl import Workbook  # heavy: only where a workbook is made
    from openpyxl.cell import WriteOnlyCell
    from openpyxl.styles import Font

    book = Workbook(write_only=True)
    for sheet in sheets:
        page = book.create_sheet(sheet.name[:31])
        page.freeze_panes = "A2"

        def cell(value: Cell, bold: bool = False, page: Any = page) -> Any:
            value = harmless(value)
            made = WriteOnlyCell(
                page, "yes" if value is True else "no" if value is False else value
            )
            if isinstance(value, str):
                # As text whatever it begins with; openpyxl would make a formula of some.
                made.data_type = "s"
            if bold:
                made.font = Font(bold=True)
            return made

        page.append([cell(title, True) for title in sheet.header])
        for row in sheet.rows:
            page.append([cell(value) for value in row])
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def read_tables(content: bytes, file_name: str) -> list[ReadSheet]:
    """The tables of a CSV or XLSX file, those without a row left out.

    Raises
    ------
    BadInput : it is neither, too large, or holds no table.
    """
    if len(content) > MAX_BYTES:
        raise BadInput("table", f"the file is larger than {MAX_BYTES >> 20} MB")
    if not content.strip():
        raise BadInput("table", "the file is empty")
    if content.startswith(b"PK"):
        found = list(_of_workbook(content))
    elif content.startswith(b"\xd0\xcf\x11\xe0"):
        raise BadInput("table", "this is an old workbook (.xls); save it as .xlsx or CSV")
    else:
        name = file_name.rpartition(".")[0] or "table"
        found = [_table(name[:31], _of_csv(content))]
    sheets = [sheet for sheet in found if sheet is not None and sheet.rows]
    if not sheets:
        raise BadInput("table", "no heading row with rows beneath it was found")
    return sheets


def _of_workbook(content: bytes) -> Iterator[ReadSheet | None]:
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as packed:
            if sum(entry.file_size for entry in packed.infolist()) > MAX_UNPACKED:
                raise BadInput("table", "the workbook would unpack to more than any table comes to")
    except UNREADABLE:
        raise BadInput("table", "this workbook is damaged, or is none") from None
    from openpyxl import load_workbook  # heavy: only where a workbook comes

    try:
        # Values and no formulas: what a cell showed when it was saved.
        book = load_workbook(io.BytesIO(content), read_only=True, data_only=True)
        for page in book.worksheets[:MAX_SHEETS]:
            rows = page.iter_rows(max_row=MAX_ROWS + 2, max_col=MAX_COLUMNS, values_only=True)
            yield _table(page.title, ([_cell(value) for value in row] for row in rows))
    except BadInput:
        raise
    except Exception:  # what a reader makes of damage differs from release to release
        raise BadInput("table", "this workbook cannot be read; save it as CSV") from None


def _cell(value: Any) -> Cell:
    if isinstance(value, datetime):
        return value.date()
    if value is None or isinstance(value, (bool, int, float, date)):
        return value
    return _text(str(value))


def _text(value: str) -> str:
    return _unmarked(plain_text(value[:MAX_CELL]).strip())


def _of_csv(content: bytes) -> Iterator[list[Cell]]:
    text = _decoded(content)
    first = next((line for line in text.splitlines() if line.strip()), "")
    delimiter = max(DELIMITERS, key=first.count)
    csv.field_size_limit(1 << 20)
    try:
        for row in csv.reader(io.StringIO(text), delimiter=delimiter):
            yield [_text(cell) for cell in row[:MAX_COLUMNS]]
    except csv.Error as error:
        raise BadInput("table", f"this is no table: {error}") from None


def _decoded(content: bytes) -> str:
    if content.startswith((b"\xff\xfe", b"\xfe\xff")):
        return content.decode("utf-16", "replace")
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError:
        # What older spreadsheets write.
        text = content.decode("cp1252", "replace")
    if "\x00" in text:
        raise BadInput("table", "this is no text file; save the table as CSV or XLSX")
    return text


def _table(name: str, rows: Iterable[Sequence[Cell]]) -> ReadSheet | None:
    """A table from its rows: the first with two words or more is the heading."""
    header: tuple[str, ...] | None = None
    found = list[ReadRow]()
    for number, row in enumerate(rows, 1):
        filled = [cell for cell in row if cell not in (None, "")]
        if header is None:
            words = [cell for cell in filled if isinstance(cell, str)]
            if len(words) >= 2 or (words and len(filled) == 1 and len(row) == 1):
                header = tuple("" if cell is None else str(cell)[:80] for cell in row)
            continue
        if not filled:
            continue
        if len(found) >= MAX_ROWS:
            raise BadInput("table", f"the table has more than {MAX_ROWS} rows; take it in parts")
        padded = [*row[: len(header)], *[None] * (len(header) - len(row))]
        found.append(ReadRow(number, tuple(None if cell == "" else cell for cell in padded)))
    return None if header is None else ReadSheet(name, header, tuple(found))
