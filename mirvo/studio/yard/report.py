"""A report to send when asking for help: versions, sizes, and where it went wrong.

It holds nothing that anybody typed: no names, notes, addresses or photos. Of the log it takes where
in Mirvo something went wrong, and what kind of error it was, never its words.
"""

from __future__ import annotations

import os
import platform
import re
import shutil
import sqlite3
from collections.abc import Iterator
from contextlib import closing
from importlib.metadata import PackageNotFoundError, requires, version
from pathlib import Path

from mirvo.records.database import FILE_NAME, known_revisions, newest_revision, tables_of
from mirvo.records.soundness import complaint_about
from mirvo.studio.yard.repair import log_lines

MB = 1e6
SETTINGS = "MIRVO_"
# "2026-12-01 10:00:00,123 ERROR mirvo.web.problems: anything" of the log.
ENTRY = re.compile(r"(\d{4}-\d\d-\d\d \d\d:\d\d:\d\d),\d+ ([A-Z]+) ([\w.]+):")
FRAME = re.compile(r'\s+File "(?P<file>[^"]+)", line (?P<line>\d+), in (?P<function>[\w<>]+)')
ERROR_KINDS = "Error|Exception|Warning|Expired|Damaged|NotFound|BadInput|Conflict"
ERROR = re.compile(rf"(?P<kind>[A-Za-z_][\w.]*(?:{ERROR_KINDS}))\b")
SITE = re.compile(r".*/(?:site-packages/|lib/python[\d.]+/)")


def trouble_report(folder: Path) -> str:
    """The report of a data folder, a line each thing; works on a damaged folder too."""
    parts = (_programs(), _settings(), _folder(folder), _records(folder), _errors(folder))
    return "\n".join(line for part in parts for line in (*part, "")).rstrip() + "\n"


def _programs() -> Iterator[str]:
    yield f"Mirvo {version('mirvo')}"
    yield f"Python {platform.python_version()} on {platform.system()} {platform.release()}"
    yield f"{platform.machine()}, {os.cpu_count()} cores"
    named = (re.split(r"[^\w.-]", one)[0] for one in requires("mirvo") or () if "extra" not in one)
    for name in sorted(named):
        try:
            yield f"{name} {version(name)}"
        except PackageNotFoundError:
            yield f"{name} missing"


def _settings() -> Iterator[str]:
    found = sorted(name for name in os.environ if name.startswith(SETTINGS))
    yield f"Settings given: {', '.join(found) or 'none'}"


def _folder(folder: Path) -> Iterator[str]:
    for name in ("photos/originals", "photos/derived", "standins", "snapshots"):
        files = [path for path in (folder / name).rglob("*") if path.is_file()]
        size = sum(path.stat().st_size for path in files)
        yield f"{name}: {len(files)} files, {size / MB:.1f} MB"
    if folder.is_dir():
        yield f"Free on its drive: {shutil.disk_usage(folder).free / MB:.0f} MB"


def _records(folder: Path) -> Iterator[str]:
    path = folder / FILE_NAME
    if not path.exists():
        yield f"{FILE_NAME} is missing"
        return
    yield f"{FILE_NAME}: {path.stat().st_size / MB:.1f} MB, this Mirvo knows {newest_revision()}"
    wrong = complaint_about(path, known_revisions())
    if wrong is not None:
        yield f"It cannot be used: {wrong}"
        return
    with closing(sqlite3.connect(path)) as kept:
        (revision,) = kept.execute("SELECT version_num FROM alembic_version").fetchone()
        yield f"Records of version {revision}"
        for table in sorted(tables_of(path)):
            (count,) = kept.execute(f'SELECT count(*) FROM "{table}"').fetchone()
            yield f"{table}: {count} rows"


def _errors(folder: Path) -> Iterator[str]:
    yield "The log, without its words:"
    kind = ""
    for line in log_lines(folder):
        if entry := ENTRY.match(line):
            if kind:
                yield f"  {kind}"
            kind = ""
            yield " ".join(entry.groups())
        elif frame := FRAME.match(line):
            file = SITE.sub("", frame["file"])
            file = file[file.rfind("mirvo/") :] if "mirvo/" in file else Path(file).name
            yield f"  {file}:{frame['line']} {frame['function']}"
        elif found := ERROR.match(line):
            # Errors of errors are named one below the other; the last one counts.
            kind = found["kind"]
    if kind:
        yield f"  {kind}"
