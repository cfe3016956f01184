"""The command line: `mirvo serve | demo | measure | propose | plan | card`, and for the data
folder `backup | restore | export | import | check`.
"""

from __future__ import annotations

import contextlib
import json
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, NoReturn

import typer

from mirvo.core.errors import BadInput, Damaged, MirvoError

if TYPE_CHECKING:
    from mirvo.core.measure.plane_map import PhotoInfo
    from mirvo.formats.bundle import Bundled
    from mirvo.studio.ground.context import Studio

app = typer.Typer(
    help="Measures, records and plans the root work of bonsai trees.",
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    add_completion=False,
)
measure = typer.Typer(help="Measure photos from marks.", no_args_is_help=True)
app.add_typer(measure, name="measure")
propose = typer.Typer(help="Propose marks on photos.", no_args_is_help=True)
app.add_typer(propose, name="propose")


@propose.callback()
def _propose() -> None:
    """Propose marks on photos; nothing is taken for measured that you did not look at."""


# As the shell's own commands answer a wrong call.
BAD_INPUT = 2
PhotoArgument = Annotated[Path, typer.Argument(help="The photo the marks were set on.")]
MarksOption = Annotated[Path, typer.Option(help="MARKS.json of the photo.")]
SetArgument = Annotated[
    Path, typer.Argument(help="SET.json; its photos are sought beside it.", metavar="SET.json")
]
Data = Annotated[Path | None, typer.Option(help="Data folder; MIRVO_DATA or ./data by default.")]
DemoData = Annotated[
    Path | None,
    typer.Option(help="The demo's own folder; `demo` in MIRVO_DATA or ./data by default."),
]


def main() -> None:
    """Entry point: a user's mistake is one line on stderr and exit code 2."""
    try:
        app(standalone_mode=True)
    except MirvoError as error:
        fail(str(error))


def fail(sentence: str) -> NoReturn:
    # One line, whatever the sentence quotes.
    print(" ".join(sentence.split()), file=sys.stderr)
    raise SystemExit(BAD_INPUT)


def _json_of(path: Path) -> Any:
    try:
        return json.loads(path.read_text("utf-8"))
    except OSError as error:
        raise BadInput(str(path), f"cannot be read: {error.strerror}") from None
    # Nested a hundred thousand deep is no JSON of a person's either.
    except (ValueError, RecursionError) as error:
        raise BadInput(str(path), f"is not JSON: {error}") from None


def _bytes_of(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as error:
        raise BadInput(str(path), f"cannot be read: {error.strerror}") from None


def _print(result: Any) -> None:
    print(json.dumps(result, indent=1, ensure_ascii=False))


@dataclass(frozen=True)
class _Opened:
    """A photo from a file: what is known of it and how to find the card in it."""

    path: Path
    content: bytes
    info: PhotoInfo

    @property
    def size(self) -> tuple[int, int]:
        return self.info.width, self.info.height

    def card(self, kind: str) -> Any:
        """Marker corners when the calibration is by card, else None."""
        from mirvo.core.vision.card import find_card
        from mirvo.records.photos import grey_of

        # Looking for a card nobody named would cost seconds.
        return find_card(grey_of(self.content)) if kind == "card" else None


def _open(path: Path) -> _Opened:
    from mirvo.core.measure.plane_map import PhotoInfo
    from mirvo.records.photos import examine

    content = _bytes_of(path)
    facts = examine(content, str(path))
    return _Opened(path, content, PhotoInfo(facts.width, facts.height, facts.focal_length_35mm))


@contextmanager
def _within(place: str) -> Iterator[None]:
    """Errors of one photo of a set name its place in the set's file."""
    try:
        yield
    except BadInput as error:
        raise BadInput(f"{place}.{error.field}" if error.field else place, error.message) from None


@measure.command("top")
def measure_top_command(photo: PhotoArgument, marks: MarksOption) -> None:
    """Measure a base from above and print the figures as JSON."""
    from mirvo.core.measure.marks import read_marks
    from mirvo.core.measure.report import top_contract
    from mirvo.core.measure.top import measure_top

    opened = _open(photo)
    checked = read_marks(_json_of(marks), opened.size)
    corners = opened.card(checked.calibration.kind)
    _print(top_contract(measure_top(checked, opened.info, corners)))


@measure.command("top-set")
def measure_top_set_command(listed: SetArgument) -> None:
    """Measure one base from several photos from above and print the figures as JSON."""
    from mirvo.core.measure.marks import read_marks
    from mirvo.core.measure.report import top_contract
    from mirvo.core.measure.top_set import MarkedPhoto, measure_top_set, read_top_set

    photos = []
    for i, entry in enumerate(read_top_set(_json_of(listed)).photos):
        with _within(f"photos.{i}"):
            opened = _open(listed.parent / entry.file)
            with _within("marks"):
                marks = read_marks(entry.marks, opened.size, in_set=True)
                corners = opened.card(marks.calibration.kind)
        photos.append(MarkedPhoto(entry.file, marks, opened.info, corners, entry.underside))
    _print(top_contract(measure_top_set(photos)))


@measure.command("side")
def measure_side_command(photo: PhotoArgument, marks: MarksOption) -> None:
    """Measure a base from the side and print the figures as JSON."""
    from mirvo.core.measure.report import side_contract
    from mirvo.core.measure.side import measure_side
    from mirvo.core.measure.side_marks import read_side_marks

    opened = _open(photo)
    checked = read_side_marks(_json_of(marks), opened.size)
    corners = opened.card(checked.calibration.kind)
    _print(side_contract(measure_side(checked, opened.info, corners)))


@measure.command("side-set")
def measure_side_set_command(listed: SetArgument) -> None:
    """Measure side views of a tree on a turntable and print figures and root plane as JSON."""
    from mirvo.core.measure.report import side_set_contract
    from mirvo.core.measure.side_marks import read_side_marks
    from mirvo.core.measure.side_set import MarkedSide, measure_side_set, read_side_set

    photos = []
    for i, entry in enumerate(read_side_set(_json_of(listed)).photos):
        with _within(f"photos.{i}"):
            opened = _open(listed.parent / entry.file)
            with _within("marks"):
                marks = read_side_marks(entry.marks, opened.size)
                corners = opened.card(marks.calibration.kind)
        photos.append(MarkedSide(entry.file, marks, opened.info, corners))
    _print(side_set_contract(measure_side_set(photos)))


@propose.command("top")
def propose_top_command(photo: PhotoArgument, marks: MarksOption) -> None:
    """Propose roots on a photo from above, from its calibration and trunk outline, as JSON."""
    from mirvo.core.measure.marks import read_marks
    from mirvo.core.vision.assist import assistant
    from mirvo.records.photos import colour_of

    opened = _open(photo)
    listed = _json_of(marks)
    if isinstance(listed, dict):
        # Proposals are asked for before there are roots; the contract wants the list.
        listed.setdefault("roots", [])
    checked = read_marks(listed, opened.size)
    corners = opened.card(checked.calibration.kind)
    helper = assistant(checked, opened.info, colour_of(opened.content), corners)
    offers = [root.offered() for root in helper.propose()]
    ours = {"points_sd_px", "base_sd_px", "tip_sd_px"}
    _print({"roots": [entry.model_dump(mode="json", exclude=ours) for entry in offers]})


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

    checked = read_case(_json_of(case))
    found = plan(checked)
    if with_levers:
        for path in found.paths:
            levers = forward(checked, path.school, path.reached_year)
            found = found.with_levers(path.school, levers)
    _print(found.model_dump(mode="json"))


@app.command("card")
def card_command(
    out: Annotated[Path, typer.Argument(help="Where to write it: a name ending in .pdf or .svg.")],
) -> None:
    """Write the calibration card at true size, to be printed at 100 %."""
    from mirvo.formats.card import card_pdf, card_svg

    kind = out.suffix.lower()
    if kind not in (".pdf", ".svg"):
        raise BadInput(str(out), "give a name ending in .pdf or .svg")
    try:
        out.write_bytes(card_pdf() if kind == ".pdf" else card_svg().encode())
    except OSError as error:
        raise BadInput(str(out), f"cannot be written: {error.strerror}") from None
    print(f"{out} written; print it at 100 % and measure its line.")


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


# Of a network that exists nowhere.
DOCUMENTATION_ADDRESS = "198.51.100.1"
THIS_COMPUTER, EVERY_ADDRESS = "127.0.0.1", "0.0.0.0"  # noqa: S104 # only with a sign-in


@app.command()
def serve(
    data: Data = None,
    port: Annotated[int | None, typer.Option(help="Port; MIRVO_PORT or 8000.")] = None,
) -> None:
    """Serve Mirvo on this machine."""
    _serve(data, port)


@app.command()
def demo(
    data: DemoData = None,
    port: Annotated[int | None, typer.Option(help="Port; MIRVO_PORT or 8000.")] = None,
    only_load: Annotated[bool, typer.Option(help="Load the yard and stop.")] = False,
) -> None:
    """Load Saltgate Yard, the made-up demo, when it is not there yet, and serve it.

    It has a folder of its own, so it never mixes with your own trees.
    """
    from mirvo.demo.load import load_demo
    from mirvo.web.settings import Settings

    folder = data or Settings().data / "demo"
    if not load_demo(folder):
        print("A yard is there already; it is left as it is.")
    if not only_load:
        _serve(folder, port)


def _serve(data: Path | None, port: int | None) -> None:
    import gc

    # What is loaded stays; looking for garbage in it would cost a twelfth of the start.
    gc.disable()
    import uvicorn

    from mirvo.records.lock import held
    from mirvo.studio.ground.context import Studio
    from mirvo.studio.yard.repair import keep_log
    from mirvo.studio.yard.restoring import put_waiting_in_place
    from mirvo.studio.yard.second_copy import CopyKeeper
    from mirvo.web.app import create_app
    from mirvo.web.garbage import collect_beside
    from mirvo.web.settings import Settings

    settings = Settings()
    folder, at = data or settings.data, port or settings.port
    restored = put_waiting_in_place(folder, datetime.now(UTC))
    if restored is not None:
        made_on = f"{restored.made_at:%-d %B %Y}"
        print(f"The backup of {made_on} was put back; what was there lies beside it.")
    with held(folder):
        keep_log(folder)
        try:
            studio = Studio(folder, clock=lambda: datetime.now(UTC))
        except Damaged as error:
            _serve_repair(folder, error.message, at)
            raise
        _tidy(studio)
        application = create_app(studio, settings.own_names)
        if settings.copy_to:
            application.state.copies = CopyKeeper(studio, Path(settings.copy_to))
            application.state.copies.start()
        collect_beside()
        try:
            host = _host(studio, settings.host)
            print(f"Mirvo is at http://{THIS_COMPUTER}:{at}", flush=True)
            if host != THIS_COMPUTER:
                application.state.address = f"http://{_address_of(host)}:{at}"
                print(f"Other devices find it at {application.state.address}", flush=True)
            uvicorn.run(
                application,
                host=host,
                port=at,
                log_level="warning",
                # Only proxies that are named say for whom they ask, and whether by TLS.
                proxy_headers=bool(settings.trusted_proxies),
                forwarded_allow_ips=settings.trusted_proxies,
            )
        finally:
            studio.close()


def _serve_repair(folder: Path, reason: str, port: int) -> None:
    """Serve the page Repair, on this computer alone, until it is stopped."""
    import uvicorn

    from mirvo.records.database import as_utc
    from mirvo.web.repair_app import create_repair_app

    print(f"{reason}", file=sys.stderr)
    print(f"Repair is at http://{THIS_COMPUTER}:{port}/repair", flush=True)
    app = create_repair_app(folder, reason, lambda: as_utc(datetime.now(UTC)))
    uvicorn.run(app, host=THIS_COMPUTER, port=port, log_level="warning", proxy_headers=False)


def _host(studio: Studio, wanted: str) -> str:
    """The address to listen on. Raises BadInput where nobody could be asked to sign in."""
    import ipaddress

    from mirvo.studio.ground.people import has_owner
    from mirvo.studio.ground.settings import yard_of

    with studio.reading() as db:
        reachable, owner = yard_of(db).reachable, has_owner(db)
    host = wanted or (EVERY_ADDRESS if reachable else THIS_COMPUTER)
    try:
        alone = ipaddress.ip_address(host).is_loopback
    except ValueError:
        alone = host == "localhost"
    if not alone and not owner:
        raise BadInput(
            "MIRVO_HOST",
            f"at {host} anybody in the network could read and change your records; start Mirvo "
            "without it, add yourself under Other devices in the Kit, then start it so again",
        )
    return host


def _address_of(host: str) -> str:
    """The address other devices know this computer by, where it listens on all of its own."""
    import ipaddress
    import socket

    with contextlib.suppress(ValueError):
        if not ipaddress.ip_address(host).is_unspecified:
            return host
    # Nothing is sent: the system only says by which of its addresses it would go out.
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe:
        try:
            probe.connect((DOCUMENTATION_ADDRESS, 9))
        except OSError:
            return socket.gethostname()
        return str(probe.getsockname()[0])


def _tidy(studio: Studio) -> None:
    """What is done once a start; should it fail, the records are served all the same."""
    import sqlite3

    from sqlalchemy.exc import SQLAlchemyError

    from mirvo.records.snapshots import keep_snapshot
    from mirvo.studio.yard.compost import clear_heap

    try:
        keep_snapshot(studio.folder, studio.today)
        clear_heap(studio)
    except (OSError, SQLAlchemyError, sqlite3.Error, MirvoError) as error:
        print(f"Today's copy or the compost heap could not be seen to: {error}", file=sys.stderr)


if __name__ == "__main__":
    main()
