"""Commands that measure, propose, plan and print the card, without a data folder."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from mirvo.cli.inputs import json_of, open_photo, print_json, within
from mirvo.core.errors import BadInput

app = typer.Typer()
measure = typer.Typer(help="Measure photos from marks.", no_args_is_help=True)
propose = typer.Typer(help="Propose marks on photos.", no_args_is_help=True)
PhotoArgument = Annotated[Path, typer.Argument(help="The photo the marks were set on.")]
MarksOption = Annotated[Path, typer.Option(help="MARKS.json of the photo.")]
SetArgument = Annotated[
    Path, typer.Argument(help="SET.json; its photos are sought beside it.", metavar="SET.json")
]


@propose.callback()
def _propose() -> None:
    """Propose marks on photos; nothing is taken for measured that you did not look at."""


@measure.command("top")
def measure_top_command(photo: PhotoArgument, marks: MarksOption) -> None:
    """Measure a base from above and print the figures as JSON."""
    from mirvo.core.measure.marks import read_marks
    from mirvo.core.measure.report import top_contract
    from mirvo.core.measure.top import measure_top

    opened = open_photo(photo)
    checked = read_marks(json_of(marks), opened.size)
    corners = opened.card(checked.calibration.kind)
    print_json(top_contract(measure_top(checked, opened.info, corners)))


@measure.command("top-set")
def measure_top_set_command(listed: SetArgument) -> None:
    """Measure one base from several photos from above and print the figures as JSON."""
    from mirvo.core.measure.marks import read_marks
    from mirvo.core.measure.report import top_contract
    from mirvo.core.measure.top_set import MarkedPhoto, measure_top_set, read_top_set

    photos = []
    for i, entry in enumerate(read_top_set(json_of(listed)).photos):
        with within(f"photos.{i}"):
            opened = open_photo(listed.parent / entry.file)
            with within("marks"):
                marks = read_marks(entry.marks, opened.size, in_set=True)
                corners = opened.card(marks.calibration.kind)
        photos.append(MarkedPhoto(entry.file, marks, opened.info, corners, entry.underside))
    print_json(top_contract(measure_top_set(photos)))


@measure.command("side")
def measure_side_command(photo: PhotoArgument, marks: MarksOption) -> None:
    """Measure a base from the side and print the figures as JSON."""
    from mirvo.core.measure.report import side_contract
    from mirvo.core.measure.side import measure_side
    from mirvo.core.measure.side_marks import read_side_marks

    opened = open_photo(photo)
    checked = read_side_marks(json_of(marks), opened.size)
    corners = opened.card(checked.calibration.kind)
    print_json(side_contract(measure_side(checked, opened.info, corners)))


@measure.command("side-set")
def measure_side_set_command(listed: SetArgument) -> None:
    """Measure side views of a tree on a turntable and print figures and root plane as JSON."""
    from mirvo.core.measure.report import side_set_contract
    from mirvo.core.measure.side_marks import read_side_marks
    from mirvo.core.measure.side_set import MarkedSide, measure_side_set, read_side_set

    photos = []
    for i, entry in enumerate(read_side_set(json_of(listed)).photos):
        with within(f"photos.{i}"):
            opened = open_photo(listed.parent / entry.file)
            with within("marks"):
                marks = read_side_marks(entry.marks, opened.size)
                corners = opened.card(marks.calibration.kind)
        photos.append(MarkedSide(entry.file, marks, opened.info, corners))
    print_json(side_set_contract(measure_side_set(photos)))


@propose.command("top")
def propose_top_command(photo: PhotoArgument, marks: MarksOption) -> None:
    """Propose roots on a photo from above, from its calibration and trunk outline, as JSON."""
    from mirvo.core.measure.marks import read_marks
    from mirvo.core.vision.assist import assistant
    from mirvo.records.pictures import colour_of

    opened = open_photo(photo)
    listed = json_of(marks)
    if isinstance(listed, dict):
        # Proposals are asked for before there are roots; the contract wants the list.
        listed.setdefault("roots", [])
    checked = read_marks(listed, opened.size)
    corners = opened.card(checked.calibration.kind)
    helper = assistant(checked, opened.info, colour_of(opened.content), corners)
    offers = [root.offered() for root in helper.propose()]
    ours = {"points_sd_px", "base_sd_px", "tip_sd_px"}
    print_json({"roots": [entry.model_dump(mode="json", exclude=ours) for entry in offers]})


@app.command("plan")
def plan_command(
    case: Annotated[Path, typer.Argument(help="CASE.json")],
    with_levers: Annotated[
        bool, typer.Option("--forward", help="Also say what would bring each path forward.")
    ] = False,
) -> None:
    """Plan repots toward a target and print three paths as JSON."""
    from mirvo.core.plan.case import read_case
    from mirvo.core.plan.paths import forward, plan

    checked = read_case(json_of(case))
    found = plan(checked)
    if with_levers:
        for path in found.paths:
            levers = forward(checked, path.school, path.likely_year)
            found = found.with_levers(path.school, levers)
    print_json(found.model_dump(mode="json"))


@app.command("card")
def card_command(
    out: Annotated[Path, typer.Argument(help="Where to write it: a name ending in .pdf or .svg.")],
) -> None:
    """Write the calibration card at true size, to be printed at 100%."""
    from mirvo.formats.card import card_pdf, card_svg

    kind = out.suffix.lower()
    if kind not in (".pdf", ".svg"):
        raise BadInput(str(out), "give a name ending in .pdf or .svg")
    try:
        out.write_bytes(card_pdf() if kind == ".pdf" else card_svg().encode())
    except OSError as error:
        raise BadInput(str(out), f"cannot be written: {error.strerror}") from None
    print(f"{out} written; print it at 100% and measure its line.")
