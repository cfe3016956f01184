"""Exchange: files that go to and come from other studios and programs."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from typing import Annotated

from fastapi import APIRouter, Form, UploadFile
from fastapi.responses import RedirectResponse, Response, StreamingResponse

from mirvo.core.errors import BadInput
from mirvo.formats.spreadsheet import XLSX, write_csv, write_xlsx
from mirvo.studio.exchange import experience, incoming, others, tables_in, tokens
from mirvo.studio.exchange.merging import MINE
from mirvo.studio.exchange.outgoing import give_out
from mirvo.studio.exchange.tables_out import TABLES, all_tables, table_of
from mirvo.studio.standing.tree_list import tree_names
from mirvo.web.access import Role, only
from mirvo.web.form_models import FormModel, OpenForm
from mirvo.web.forms import Filled, shown_again_on
from mirvo.web.reader import Reader, StudioDep, open_reader
from mirvo.web.routes.exchange.watching import at_work, ended, taken, watched

router = APIRouter(dependencies=only(Role.OWNER))
ZIP = "application/zip"


class SentFile(FormModel):
    """An exchange file."""

    exchange: UploadFile | None = None


def exchange_page(reader: Reader, filled: Filled, fresh: str = "") -> Response:
    """What can go out and come in. fresh : a token made just now, shown this once."""
    context = {
        "trees": tree_names(reader.db),
        "tables": list(TABLES),
        "waits": incoming.waiting_file(reader.studio).exists(),
        "table_waits": tables_in.waiting_table(reader.studio),
        "tokens": tokens.tokens(reader.db),
        "scopes": tokens.SCOPES,
        "others": others.files_of_others(reader.studio),
        "sources": experience.sources_of(reader.db),
        "fresh": fresh,
        "fields": filled.fields,
        "errors": filled.errors,
    }
    return reader.page("exchange/exchange.html", context, filled.status)


# Ticked, photos go out with what their files say of place and people.
KEEP = "keep_details"


@router.get("/exchange")
def show(reader: Reader) -> Response:
    return exchange_page(reader, Filled())


@router.post("/exchange/studio.zip")
def whole_studio(studio: StudioDep, form: Annotated[OpenForm, Form()]) -> Response:
    """The whole studio as an exchange file; a form's answer, so that no link fetches it all."""
    return _sent(
        give_out(studio, None, KEEP in form.by_name),
        f"mirvo-exchange-{studio.today.isoformat()}.zip",
        ZIP,
    )


@router.post("/exchange/trees.zip")
@shown_again_on(exchange_page)
def some_trees(studio: StudioDep, form: Annotated[OpenForm, Form()]) -> Response:
    """The trees that are ticked."""
    chosen = [
        int(name[5:]) for name in form.by_name if name[:5] == "tree-" and name[5:].isdecimal()
    ]
    if not chosen:
        raise BadInput("trees", "Tick the trees to give out first.")
    return _sent(
        give_out(studio, chosen, KEEP in form.by_name),
        f"mirvo-trees-{studio.today.isoformat()}.zip",
        ZIP,
    )


@router.get("/trees/{tree_id}/exchange.zip")
def one_tree(studio: StudioDep, tree_id: int) -> Response:
    return _sent(give_out(studio, [tree_id]), f"mirvo-tree-{tree_id}.zip", ZIP)


@router.get("/exchange/tables.xlsx")
def workbook(reader: Reader) -> Response:
    name = f"mirvo-{reader.today.isoformat()}.xlsx"
    return _named(write_xlsx(all_tables(reader.db, reader.today)), name, XLSX)


@router.get("/exchange/{table}.csv")
def one_table(reader: Reader, table: str) -> Response:
    content = write_csv(table_of(reader.db, table, reader.today))
    return _named(content, f"mirvo-{table}-{reader.today.isoformat()}.csv", "text/csv")


@router.post("/exchange/coming")
@shown_again_on(exchange_page)
def send_file(
    studio: StudioDep, form: Annotated[SentFile, Form(media_type="multipart/form-data")]
) -> Response:
    if form.exchange is None or not form.exchange.filename:
        raise BadInput("exchange", "Choose an exchange file first.")
    incoming.hold(studio, form.exchange.file)
    return RedirectResponse("/exchange/coming", 303)


def coming_page(reader: Reader, filled: Filled) -> Response:
    """What the file that waits would change, as it was looked at last."""
    problem = filled.errors.get("exchange") or next(iter(filled.errors.values()), "")
    looked = reader.studio.jobs.named(incoming.LOOKING)
    found = looked.result if looked is not None and looked.done else None
    context = {"found": found, "problem": problem, "own_key": reader.studio.key}
    return reader.page("exchange/coming.html", context, filled.status)


@router.get("/exchange/coming")
def show_coming(reader: Reader) -> Response:
    """What the file would change, or how far looking at it or taking it in is."""
    studio = reader.studio
    if at_work(studio, incoming.TAKING):
        return ended(watched(reader, incoming.TAKING, None), "/trees", reader, coming_page)
    if not incoming.waiting_file(studio).exists():
        return RedirectResponse("/exchange", 303)
    look = partial(incoming.preview, studio, None)
    job = watched(reader, incoming.LOOKING, lambda report: look(report=report))
    return ended(job, None, reader, coming_page)


@router.post("/exchange/coming/take")
@shown_again_on(coming_page)
def take_file(studio: StudioDep, form: Annotated[OpenForm, Form()]) -> Response:
    """All of it or nothing; each row that differs as it was decided."""
    sent = form.by_name
    choices = {name[4:]: choice for name, choice in sent.items() if name.startswith("row-")}
    take = partial(incoming.take_in, studio, None, choices, sent.get("otherwise", MINE))
    return taken(studio, incoming.TAKING, lambda report: take(report=report), "/exchange/coming")


@router.post("/exchange/coming/drop")
def drop_file(studio: StudioDep) -> Response:
    incoming.let_go(studio)
    return RedirectResponse("/exchange", 303)


def _sent(pieces: Iterator[bytes], name: str, media_type: str) -> Response:
    header = {"Content-Disposition": f'attachment; filename="{name}"', "Cache-Control": "no-store"}
    return StreamingResponse(pieces, media_type=media_type, headers=header)


def _named(content: bytes, name: str, media_type: str) -> Response:
    header = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Response(content, media_type=media_type, headers=header)


@router.post("/exchange/tokens")
@shown_again_on(exchange_page)
def make_token(reader: Reader, form: Annotated[OpenForm, Form()]) -> Response:
    """A token is shown on the page that made it and never again."""
    chosen = [scope for scope in tokens.SCOPES if form.by_name.get(f"may-{scope}")]
    fresh = tokens.make_token(reader.studio, form.by_name.get("token_name", ""), chosen)
    with open_reader(reader.request) as after:
        answer = exchange_page(after, Filled(), fresh)
    answer.headers["Cache-Control"] = "no-store"
    return answer


@router.post("/exchange/tokens/{token_id}/withdraw")
def withdraw_token(studio: StudioDep, token_id: int) -> Response:
    tokens.withdraw_token(studio, token_id)
    return RedirectResponse("/exchange#tokens", 303)
