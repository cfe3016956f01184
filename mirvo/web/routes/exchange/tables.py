"""Somebody's own table taken in: what its columns say, what each row came to."""

from __future__ import annotations

from functools import partial
from typing import Annotated

from fastapi import APIRouter, Form, UploadFile
from fastapi.responses import RedirectResponse, Response

from mirvo.core.errors import BadInput
from mirvo.studio.exchange import tables_in
from mirvo.studio.ground.jobs import Job
from mirvo.web.access import Role, only
from mirvo.web.form_models import FormModel, OpenForm
from mirvo.web.forms import Filled, as_field, shown_again_on
from mirvo.web.reader import Reader, StudioDep
from mirvo.web.routes.exchange.exchange import exchange_page
from mirvo.web.routes.exchange.watching import EXCHANGE, at_work, ended, taken, watched

router = APIRouter(dependencies=only(Role.OWNER))
# Where what came in is looked at, by the kind of its rows.
SHOWN = {"pots": "/shelf", "tasks": "/"}


class SentTable(FormModel):
    """Somebody's own table."""

    table: UploadFile | None = None


@router.post("/exchange/table")
@shown_again_on(exchange_page)
def send_table(
    studio: StudioDep, form: Annotated[SentTable, Form(media_type="multipart/form-data")]
) -> Response:
    if form.table is None or not form.table.filename:
        raise BadInput("table", "Choose a table first.")
    tables_in.hold_table(studio, form.table.file, form.table.filename)
    return RedirectResponse("/exchange/table", 303)


def _meant(sent: dict[str, str]) -> tables_in.Meant:
    """How a table is to be read, from the fields of its page."""
    columns = {
        int(name[7:]): key
        for name, key in sent.items()
        if name[:7] == "column-" and name[7:].isdecimal() and len(name) < 12
    }
    sheet = sent.get("sheet", "0")
    return tables_in.Meant(
        int(sheet) if sheet.isdecimal() and len(sheet) < 4 else 0,
        sent.get("kind", ""),
        # What was guessed holds for the kind and sheet it was guessed of.
        columns if columns and sent.get("guessed_of") == f"{sheet}-{sent.get('kind')}" else None,
        sent.get("order", ""),
    )


def table_page(reader: Reader, filled: Filled) -> Response:
    """How the table that waits would be taken in, as it was read last."""
    read = reader.studio.jobs.named(tables_in.READING)
    context = {
        "found": read.result if read is not None and read.done else None,
        "problem": filled.errors.get("table") or next(iter(filled.errors.values()), ""),
        "name": tables_in.waiting_table(reader.studio),
        "kinds": list(tables_in.PUTS),
        "as_kept": lambda value: "" if value is None else as_field(value),
    }
    return reader.page("exchange/table.html", context, filled.status)


@router.get("/exchange/table")
def show_table(reader: Reader) -> Response:
    """The table as it would be taken in, or how far reading it or taking it in is."""
    studio = reader.studio
    if at_work(studio, tables_in.TAKING):
        job = watched(reader, tables_in.TAKING, None)
        kind = job.result.kind if isinstance(job, Job) and job.result else ""
        return ended(job, SHOWN.get(kind, "/trees"), reader, table_page)
    if tables_in.waiting_table(studio) is None:
        return RedirectResponse("/exchange", 303)
    read = partial(tables_in.try_table, studio, tables_in.Meant())
    job = watched(reader, tables_in.READING, lambda report: read(report=report))
    return ended(job, None, reader, table_page)


@router.post("/exchange/table/read")
@shown_again_on(table_page)
def read_table(studio: StudioDep, form: Annotated[OpenForm, Form()]) -> Response:
    """The same table read as its columns were said to mean."""
    read = partial(tables_in.try_table, studio, _meant(form.by_name))
    how = {"alone": True, "page": "/exchange/table", "back": EXCHANGE}
    studio.jobs.begin(tables_in.READING, lambda report: read(report=report), **how)
    return RedirectResponse("/exchange/table", 303)


@router.post("/exchange/table/take")
@shown_again_on(table_page)
def take_table(studio: StudioDep, form: Annotated[OpenForm, Form()]) -> Response:
    sent = form.by_name
    take = partial(tables_in.take_table, studio, _meant(sent), sent.get("which", ""))
    return taken(studio, tables_in.TAKING, lambda report: take(report=report), "/exchange/table")


@router.post("/exchange/table/drop")
def drop_table(studio: StudioDep) -> Response:
    tables_in.drop_table(studio)
    return RedirectResponse("/exchange", 303)
