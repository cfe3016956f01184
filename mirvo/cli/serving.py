"""Commands that serve Mirvo: `serve` and `demo`."""

from __future__ import annotations

import contextlib
import sys
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from mirvo.cli.inputs import Data
from mirvo.core.errors import BadInput, Damaged, MirvoError

if TYPE_CHECKING:
    from mirvo.studio.ground.context import Studio

app = typer.Typer()
DemoData = Annotated[
    Path | None,
    typer.Option(help="The demo's own folder; `demo` in MIRVO_DATA or ./data by default."),
]
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

    from mirvo.records.database import copy_before_upgrade, waits_for_upgrade
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
        upgrades = waits_for_upgrade(folder)
        try:
            studio = Studio(folder, clock=lambda: datetime.now(UTC))
        except Damaged as error:
            _serve_repair(folder, error.message, at)
            raise
        if upgrades:
            print("Your records were brought up to date for this version of Mirvo.")
            print(f"A copy of them as they were is in {copy_before_upgrade(folder)}.", flush=True)
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
