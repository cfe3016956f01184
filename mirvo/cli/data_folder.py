"""Commands on a data folder: backup, restore, export, import, check, report."""

from __future__ import annotations

import sys
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from mirvo.cli.inputs import Data
from mirvo.core.errors import BadInput

if TYPE_CHECKING:
    from mirvo.formats.bundle import Bundled
    from mirvo.studio.ground.context import Studio

app = typer.Typer()


@app.command("backup")
def backup_command(
    out: Annotated[Path, typer.Argument(help="Where to write it: a name ending in .zip.")],
    data: Data = None,
) -> None:
    """Write all records and photos into one file; Mirvo may run meanwhile."""
    from mirvo.records.database import FILE_NAME
    from mirvo.studio.ground.context import Studio
    from mirvo.studio.yard.backups import write_backup
    from mirvo.web.settings import Settings

    folder = data or Settings().data
    if out.suffix.lower() != ".zip":
        raise BadInput(str(out), "give a name ending in .zip")
    if not (folder / FILE_NAME).exists():
        raise BadInput(str(folder), "holds no data of Mirvo")
    studio = Studio(folder, clock=lambda: datetime.now(UTC))
    written = write_backup(studio, out)
    studio.close()
    print(f"{out} written and checked, {written.size / 1e6:.1f} MB.")
    _tell_lost(written.held)


@app.command("restore")
def restore_command(
    backup: Annotated[Path, typer.Argument(help="A file written by `mirvo backup`.")],
    data: Data = None,
    aside: Annotated[
        bool, typer.Option("--aside", help="Move data that is there aside instead of refusing.")
    ] = False,
) -> None:
    """Put a backup into a data folder; stop Mirvo first."""
    from mirvo.studio.yard.backups import restore
    from mirvo.web.settings import Settings

    folder = data or Settings().data
    found = restore(backup, folder, datetime.now(UTC), aside)
    trees = "1 tree" if found.trees == 1 else f"{found.trees} trees"
    photos = "1 photo" if found.photos == 1 else f"{found.photos} photos"
    print(f"{folder}: {trees}, {photos}, as of {found.made_at:%-d %B %Y, %H:%M} UTC.")
    _tell_lost(found)


def _tell_lost(bundled: Bundled) -> None:
    for words in bundled.lost:
        print(f"Not sound: {words}", file=sys.stderr)


@app.command("export")
def export_command(
    out: Annotated[
        Path,
        typer.Argument(
            help="Where to write it: .zip for records and photos, .xlsx for a workbook of tables."
        ),
    ],
    data: Data = None,
    tree: Annotated[
        list[int] | None, typer.Option("--tree", help="Number of a tree; all of them without it.")
    ] = None,
    keep_details: Annotated[
        bool,
        typer.Option(
            "--keep-details", help="Keep place, serial numbers and owner's name in the photos."
        ),
    ] = False,
) -> None:
    """Give out the studio, or some of its trees, for another studio or program."""
    from mirvo.formats.spreadsheet import write_xlsx
    from mirvo.studio.exchange.outgoing import give_out
    from mirvo.studio.exchange.tables_out import all_tables

    studio = _opened_studio(data)
    making = out.with_name(f"{out.name}.making")
    try:
        if out.suffix.lower() == ".xlsx":
            with studio.reading() as db:
                making.write_bytes(write_xlsx(all_tables(db, studio.today)))
        elif out.suffix.lower() == ".zip":
            with making.open("wb") as target:
                for piece in give_out(studio, tree or None, keep_details):
                    target.write(piece)
        else:
            raise BadInput(str(out), "give a name ending in .zip or .xlsx")
        # Whole or not at all: half a file never bears its name.
        making.replace(out)
    except OSError as error:
        raise BadInput(str(out), f"cannot be written: {error.strerror}") from None
    finally:
        making.unlink(missing_ok=True)
        studio.close()
    print(f"{out} written, {out.stat().st_size / 1e6:.1f} MB.")


@app.command("import")
def import_command(
    file: Annotated[Path, typer.Argument(help="An exchange file of Mirvo.")],
    data: Data = None,
    look: Annotated[bool, typer.Option("--look", help="Only say what it would change.")] = False,
    theirs: Annotated[
        bool, typer.Option("--theirs", help="Of rows that differ keep the file's, not your own.")
    ] = False,
) -> None:
    """Take an exchange file in, all of it or nothing; stop Mirvo first."""
    from mirvo.records.lock import held
    from mirvo.studio.exchange.incoming import preview, take_in
    from mirvo.studio.exchange.merging import MINE, THEIRS
    from mirvo.studio.ground.context import Studio
    from mirvo.web.settings import Settings

    folder = data or Settings().data
    if not file.is_file():
        raise BadInput(str(file), "there is no such file")
    with held(folder):
        studio = Studio(folder, clock=lambda: datetime.now(UTC))
        try:
            if look:
                found = preview(studio, file)
            else:
                found = take_in(studio, file, otherwise=THEIRS if theirs else MINE)
        finally:
            studio.close()
    total = found.total
    rows = f"{total.new} rows new, {total.same} the same, {total.different} different"
    kept = "would be kept" if look else "kept"
    print(f"{len(found.header.trees)} trees, {len(found.photos)} new photos; {rows}.")
    for name in found.ignored:
        print(f"Not known here, left out: {name}", file=sys.stderr)
    if total.different:
        print(f"Of those that differ {'the file' if theirs else 'what is here'} {kept}.")


def _opened_studio(data: Path | None) -> Studio:
    """The studio of a data folder. Raises BadInput: it holds none."""
    from mirvo.records.database import FILE_NAME
    from mirvo.studio.ground.context import Studio
    from mirvo.web.settings import Settings

    folder = data or Settings().data
    if not (folder / FILE_NAME).exists():
        raise BadInput(str(folder), "holds no data of Mirvo")
    return Studio(folder, clock=lambda: datetime.now(UTC))


@app.command("check")
def check_command(
    data: Data = None,
    clear: Annotated[
        bool, typer.Option("--clear", help="Remove files that no record knows and left-overs.")
    ] = False,
) -> None:
    """Compare records and files of a data folder, and name what is missing, damaged or left."""
    from mirvo.records.database import FILE_NAME
    from mirvo.studio.ground.context import Studio
    from mirvo.studio.yard.checkup import check_folder, clear_away
    from mirvo.web.settings import Settings

    folder = data or Settings().data
    if not (folder / FILE_NAME).exists():
        raise BadInput(str(folder), "holds no data of Mirvo")
    studio = Studio(folder, clock=lambda: datetime.now(UTC))
    found = check_folder(studio)
    studio.close()
    for sentence in found.sentences():
        print(sentence)
    if clear and found.to_clear:
        print(f"{clear_away(found) / 1e6:.1f} MB cleared away.")
    if found.lost:
        raise SystemExit(1)


@app.command("report")
def report_command(
    out: Annotated[Path, typer.Argument(help="Where to write it, such as report.txt.")],
    data: Data = None,
) -> None:
    """Write a text file to send when you ask for help: no names, notes or photos are in it."""
    from mirvo.studio.yard.report import trouble_report
    from mirvo.web.settings import Settings

    try:
        out.write_text(trouble_report(data or Settings().data), "utf-8")
    except OSError as error:
        raise BadInput(str(out), f"cannot be written: {error.strerror}") from None
    print(f"{out} written. Read it before you send it.")
