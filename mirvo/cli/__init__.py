"""The command line: `mirvo serve | demo | measure | propose | plan | card`, and for the data
folder `backup | restore | export | import | check | report`.
"""

from __future__ import annotations

from importlib.metadata import version
from typing import Annotated

import typer

from mirvo.cli import data_folder, measuring, serving
from mirvo.cli.inputs import fail
from mirvo.core.errors import MirvoError

app = typer.Typer(
    help="Measures, records and plans the root work of bonsai trees.",
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    add_completion=False,
)
app.add_typer(measuring.measure, name="measure")
app.add_typer(measuring.propose, name="propose")
for part in (measuring.app, data_folder.app, serving.app):
    app.add_typer(part)


def _show_version(asked: bool) -> None:
    if asked:
        print(f"mirvo {version('mirvo')}")
        raise typer.Exit


@app.callback()
def _mirvo(
    version: Annotated[
        bool, typer.Option("--version", callback=_show_version, help="Print the version and stop.")
    ] = False,
) -> None:
    """Measures, records and plans the root work of bonsai trees."""


def main() -> None:
    """Entry point: a user's mistake is one line on stderr and exit code 2."""
    try:
        app(standalone_mode=True)
    except MirvoError as error:
        fail(str(error))
