"""Labels: which trees, on which paper; as PDF, or to the simulated label printer."""

from typing import Annotated

from fastapi import APIRouter, Form, Query
from fastapi.responses import RedirectResponse, Response

from mirvo.core.errors import BadInput
from mirvo.core.typed_values import read_whole
from mirvo.formats.labels import PAPERS, TAPE, Label, label_pdf
from mirvo.standins.label_printer import LabelPrinter
from mirvo.studio.shelf.labels import labels_of
from mirvo.studio.standing.tree_list import list_trees
from mirvo.web.access import Role, only
from mirvo.web.form_models import OpenForm
from mirvo.web.forms import Filled
from mirvo.web.paging import page_of
from mirvo.web.reader import PageReader, Reader
from mirvo.web.routes.yard.sharing import address_of

router = APIRouter(dependencies=only(Role.HELPER))
TREES = 200
TREE = "tree-"
NONE_CHOSEN = "tick the trees that want a label"


def labels_page(reader: PageReader, filled: Filled, printed: int = 0, page: str = "") -> Response:
    """The trees to choose from."""
    living = [row for row in list_trees(reader.db, reader.today) if row.tree.died_on is None]
    context = {
        "shown": page_of(living, page, TREES),
        "papers": PAPERS,
        "printed": printed,
        "address": address_of(reader.request),
        "fields": filled.fields,
        "errors": filled.errors,
    }
    return reader.page("shelf/labels.html", context, filled.status)


@router.get("/shelf/labels")
def show_labels(reader: Reader, printed: int = 0, page: str = "") -> Response:
    return labels_page(reader, Filled(), printed, page)


@router.get("/shelf/labels.pdf")
def as_pdf(
    reader: Reader,
    tree: Annotated[list[str], Query()] = [],  # noqa: B006 # never changed
    paper: str = "",
    used: str = "",
) -> Response:
    content = label_pdf(
        _chosen(reader, tree), PAPERS.get(paper, next(iter(PAPERS.values()))), read_whole(used) or 0
    )
    headers = {"Content-Disposition": 'inline; filename="labels.pdf"'}
    return Response(content, media_type="application/pdf", headers=headers)


@router.post("/shelf/labels/print")
def send_to_printer(reader: Reader, form: Annotated[OpenForm, Form()]) -> Response:
    numbers = [name.removeprefix(TREE) for name in form.by_name if name.startswith(TREE)]
    labels = _chosen(reader, numbers)
    LabelPrinter(reader.studio.folder).send(label_pdf(labels, TAPE))
    return RedirectResponse(f"/shelf/labels?printed={len(labels)}", 303)


def _chosen(reader: PageReader, numbers: list[str]) -> list[Label]:
    wanted = {number for number in map(read_whole, numbers) if number is not None}
    base = f"{address_of(reader.request)}/"
    labels = labels_of(reader.db, reader.today, base, wanted)
    if not labels:
        raise BadInput("trees", NONE_CHOSEN)
    return labels
