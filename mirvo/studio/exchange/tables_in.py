"""Somebody's own table taken in: its columns said to mean something, each row read and tried.

What is shown before is a trial of the real thing that is given up again, so that a row called good
is one that will be kept.
"""

from __future__ import annotations

import json
import shutil
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, BinaryIO

from pydantic import ValidationError
from sqlalchemy import func, select

from mirvo.core.complaints import form_complaint
from mirvo.core.errors import BadInput, NotFound
from mirvo.core.limits.base import checked, future_day
from mirvo.core.limits.care import TaskFields
from mirvo.core.limits.measuring import HandFields, RootFields
from mirvo.core.limits.sessions import SessionFields
from mirvo.core.limits.shelf import PotFields
from mirvo.core.limits.trees import TreeFields
from mirvo.formats.spreadsheet import ReadSheet, read_tables
from mirvo.records.database import DbSession
from mirvo.records.models import MAX_LABEL, CareTask, Measurement, Root, ShelfPot, Tree
from mirvo.studio.exchange.table_fields import FIELDS, FieldOf, day_order, read_cell
from mirvo.studio.exchange.table_headings import guess, heading, likely_kind
from mirvo.studio.exchange.trial import on_trial
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.jobs import Report, unwatched
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.measuring.by_hand import put_by_hand
from mirvo.studio.records.aftercare import KEPT_CODE
from mirvo.studio.records.root_sessions import put_session
from mirvo.studio.standing.species import all_species

# Names of the work, as its page shows them.
READING, TAKING = "Reading the table", "Taking the table in"
WAITING, ABOUT = "table-coming", "table-coming.json"
LEFT_OUT = ""
SAMPLES = 3
MOST_TASK = 200
# Each session is worked out as if it were entered, which takes its time.
MOST_ROWS = {"sessions": 3000}
ALL, GOOD = "all", "good"


@dataclass(frozen=True)
class Meant:
    """How a table is to be read. columns : what each says, by its place; LEFT_OUT for nothing.
    order : of days written with slashes, "day" or "month" first, "" where the column tells."""

    sheet: int = 0
    kind: str = ""
    columns: Mapping[int, str] | None = None
    order: str = ""


@dataclass(frozen=True)
class ColumnRead:
    """A column with some of what stands in it, and what it is taken to say."""

    place: int
    title: str
    samples: tuple[str, ...]
    means: str


@dataclass
class RowRead:
    """A row. problem : why it cannot be kept; known : it is here already, and left as it is."""

    number: int
    said: dict[str, Any]
    problem: str = ""
    known: bool = False

    @property
    def good(self) -> bool:
        return not self.problem and not self.known


@dataclass
class TableRead:
    """A table as it would be taken in. sheets : names of all there are in the file."""

    sheets: list[str]
    sheet: int
    kind: str
    fields: tuple[FieldOf, ...]
    columns: list[ColumnRead]
    order: str
    rows: list[RowRead] = field(default_factory=list)
    # Needed fields no column says.
    missing: list[str] = field(default_factory=list)

    @property
    def good(self) -> list[RowRead]:
        return [row for row in self.rows if row.good]

    @property
    def bad(self) -> list[RowRead]:
        return [row for row in self.rows if row.problem]

    @property
    def known(self) -> list[RowRead]:
        return [row for row in self.rows if row.known]


def hold_table(studio: Studio, sent: BinaryIO, file_name: str) -> None:
    """Keep a table that was sent until it is decided. Raises BadInput: it cannot be read."""
    place = studio.folder / WAITING
    making = place.with_name(f"{WAITING}.making")
    try:
        with making.open("wb") as target:
            shutil.copyfileobj(sent, target)
        read_tables(making.read_bytes(), file_name)
        studio.jobs.forget(READING)
        (studio.folder / ABOUT).write_text(json.dumps({"name": file_name[:200]}), "utf-8")
        making.replace(place)
    finally:
        making.unlink(missing_ok=True)


def drop_table(studio: Studio) -> None:
    """The table that waits is not taken in."""
    studio.jobs.forget(READING)
    for name in (WAITING, ABOUT):
        (studio.folder / name).unlink(missing_ok=True)


def waiting_table(studio: Studio) -> str | None:
    """The name of the file that waits, None without one."""
    if not (studio.folder / WAITING).exists():
        return None
    try:
        return str(json.loads((studio.folder / ABOUT).read_text("utf-8"))["name"])
    except (OSError, ValueError, KeyError, TypeError):
        return "table"


def try_table(studio: Studio, meant: Meant, report: Report = unwatched) -> TableRead:
    """How the table that waits would be taken in; nothing is kept. Raises NotFound, BadInput."""
    sheets = _sheets(studio)
    with on_trial(studio) as db:
        found = _read(db, studio, sheets, meant)
        _put_rows(db, studio, found, report)
        return found


def take_table(studio: Studio, meant: Meant, which: str, report: Report = unwatched) -> TableRead:
    """Take the table in: its good rows, or all or nothing.

    Raises
    ------
    NotFound : no table waits. BadInput : a row is not good and all were asked for, or none is;
    nothing was kept.
    """
    sheets = _sheets(studio)
    with studio.writing() as db:
        found = _read(db, studio, sheets, meant)
        _put_rows(db, studio, found, report)
        if which == ALL and found.bad:
            first = found.bad[0]
            raise BadInput("table", f"row {first.number}: {first.problem}; nothing was taken in")
        if not found.good:
            raise BadInput("table", "no row can be taken in; see what each one says")
    drop_table(studio)
    return found


def _sheets(studio: Studio) -> list[ReadSheet]:
    place, name = studio.folder / WAITING, waiting_table(studio)
    if name is None:
        raise NotFound("table", "no table waits here")
    return read_tables(place.read_bytes(), name)


def _read(db: DbSession, studio: Studio, sheets: list[ReadSheet], meant: Meant) -> TableRead:
    at = meant.sheet if 0 <= meant.sheet < len(sheets) else 0
    sheet = sheets[at]
    kind = meant.kind if meant.kind in FIELDS else likely_kind(sheet.header)
    fields = {one.key: one for one in FIELDS[kind]}
    chosen = guess(kind, sheet.header) if meant.columns is None else meant.columns
    # No two columns say the same; the first one does.
    says: dict[int, str] = {}
    for place in sorted(chosen):
        key = chosen[place]
        if key in fields and key not in says.values() and 0 <= place < len(sheet.header):
            says[place] = key
    columns = [
        ColumnRead(place, title, _samples(sheet, place), says.get(place, LEFT_OUT))
        for place, title in enumerate(sheet.header)
    ]
    missing = [one.label for one in fields.values() if one.needed and one.key not in says.values()]
    named = [one.name for one in sheets]
    found = TableRead(named, at, kind, FIELDS[kind], columns, meant.order, [], missing)
    if missing:
        return found
    orders = {
        place: day_order([row.cells[place] for row in sheet.rows])
        for place, key in says.items()
        if fields[key].reads == "day"
    }
    species = all_species(yard_of(db))
    for row in sheet.rows:
        read = RowRead(row.number, {})
        for place, key in says.items():
            unit, order = heading(sheet.header[place])[1], orders.get(place) or meant.order
            try:
                value = read_cell(fields[key], row.cells[place], unit, order, species, studio.today)
            except BadInput as error:
                read.problem = read.problem or f"{error.field}: {error.message}"
                continue
            if value is not None:
                read.said[key] = value
        lacking = next((f for f in fields.values() if f.needed and f.key not in read.said), None)
        if lacking is not None and not read.problem:
            read.problem = f"{lacking.label} is empty"
        found.rows.append(read)
    return found


def _samples(sheet: ReadSheet, place: int) -> tuple[str, ...]:
    filled = (row.cells[place] for row in sheet.rows if row.cells[place] is not None)
    return tuple(str(cell)[:40] for _, cell in zip(range(SAMPLES), filled, strict=False))


def _put_rows(db: DbSession, studio: Studio, found: TableRead, report: Report) -> None:
    """Keep each row that can be; one that cannot leaves nothing behind and says why."""
    most = MOST_ROWS.get(found.kind)
    if most is not None and len(found.rows) > most:
        raise BadInput("table", f"more than {most} rows of {found.kind}; take them in parts")
    put, trees = PUTS[found.kind], _Trees(db)
    # As it was done: a session before the next one of its tree.
    rows = [row for row in found.rows if not row.problem]
    if found.kind == "sessions":
        rows.sort(key=lambda row: row.said["done_on"])
    for done, row in enumerate(rows):
        report("Trying row by row", done / len(rows))
        try:
            with db.begin_nested():
                put(db, studio, trees, row)
        except (BadInput, NotFound) as error:
            row.problem = f"{error.field}: {error.message}" if error.field else error.message
        except ValidationError as error:
            wrong = error.errors(include_url=False, include_input=False)[0]
            place = ".".join(str(part) for part in wrong["loc"])
            row.problem = f"{place.replace('_', ' ')}: {form_complaint(wrong)}"


class _Trees:
    """The trees there are by name, those a table added too."""

    def __init__(self, db: DbSession) -> None:
        self._by_name: dict[str, list[int]] = {}
        for number, name in db.execute(select(Tree.id, Tree.name).where(Tree.kept())):
            self.add(number, name)

    def add(self, number: int, name: str) -> None:
        self._by_name.setdefault(name.strip().lower(), []).append(number)

    def has(self, name: str) -> bool:
        return name.strip().lower() in self._by_name

    def number(self, name: Any) -> int:
        """The tree of a name. Raises BadInput: there is none, or more than one."""
        found = self._by_name.get(str(name).strip().lower(), [])
        if not found:
            raise BadInput("tree", f"no tree is called “{str(name)[:40]}”")
        if len(found) > 1:
            raise BadInput("tree", f"{len(found)} trees are called “{str(name)[:40]}”")
        return found[0]


def _put_tree(db: DbSession, studio: Studio, trees: _Trees, row: RowRead) -> None:
    said = row.said
    if trees.has(str(said["name"])):
        row.known = True
        return
    form = checked(TreeFields, said, studio.today)
    form.check_species({one.key for one in all_species(yard_of(db))})
    tree = Tree(**form.model_dump(), created_at=studio.now, updated_at=studio.now, version=1)
    db.add(tree)
    db.flush()
    trees.add(tree.id, tree.name)


def _put_session(db: DbSession, studio: Studio, trees: _Trees, row: RowRead) -> None:
    said = dict(row.said)
    number = trees.number(said.pop("tree"))
    tree = db.get_one(Tree, number)
    form = checked(SessionFields, {"container_after": tree.container, **said}, studio.today)
    put_session(db, studio, number, form)


def _put_measurement(db: DbSession, studio: Studio, trees: _Trees, row: RowRead) -> None:
    """Figures measured by hand; a day on which a photo was measured is known from that."""
    said = dict(row.said)
    tree = db.get_one(Tree, trees.number(said.pop("tree")))
    photo = select(func.count()).where(
        Measurement.tree_id == tree.id,
        Measurement.measured_on == said["measured_on"],
        Measurement.kept(),
    )
    if db.scalar(photo):
        row.known = True
        return
    row.known = not put_by_hand(db, studio, tree, checked(HandFields, said, studio.today))


def _put_root(db: DbSession, studio: Studio, trees: _Trees, row: RowRead) -> None:
    number, label = trees.number(row.said["tree"]), str(row.said["label"]).strip()
    if not label or len(label) > MAX_LABEL:
        raise BadInput("root", f"a letter has at most {MAX_LABEL} signs")
    first, gone = row.said.get("first_seen_on"), row.said.get("gone_on")
    checked(RootFields, {"label": label, "first_seen_on": first, "gone_on": gone}, studio.today)
    if first is not None and gone is not None and gone < first:
        raise BadInput("gone on", "lies before the day it was seen first")
    asked = select(Root).where(Root.tree_id == number, Root.label == label)
    if db.scalar(asked) is not None:
        row.known = True
        return
    db.add(Root(tree_id=number, label=label, first_seen_on=first, gone_on=gone))


def _put_task(db: DbSession, studio: Studio, trees: _Trees, row: RowRead) -> None:
    number = trees.number(row.said["tree"])
    text, due = str(row.said["text"])[:MOST_TASK], row.said["due"]
    checked(TaskFields, {"text": text, "due": due}, studio.today)
    asked = select(func.count()).where(
        CareTask.tree_id == number, CareTask.text == text, CareTask.due == due
    )
    if db.scalar(asked):
        row.known = True
        return
    done = row.said.get("done_on")
    if done is not None and done > studio.today:
        raise BadInput("done_on", future_day(done))
    done_at = None if done is None else datetime(done.year, done.month, done.day)
    task = CareTask(tree_id=number, session_id=None, since=None, due=due, code=KEPT_CODE, text=text)
    task.done_at = done_at
    db.add(task)


def _put_pot(db: DbSession, studio: Studio, trees: _Trees, row: RowRead) -> None:
    name = str(row.said["name"]).strip()
    asked = select(func.count()).where(func.lower(ShelfPot.name) == name.lower(), ShelfPot.kept())
    if db.scalar(asked):
        row.known = True
        return
    form = checked(PotFields, row.said, studio.today)
    db.add(ShelfPot(**form.model_dump(), created_at=studio.now, updated_at=studio.now))


PUTS: dict[str, Callable[[DbSession, Studio, _Trees, RowRead], None]] = {
    "trees": _put_tree,
    "sessions": _put_session,
    "measurements": _put_measurement,
    "roots": _put_root,
    "tasks": _put_task,
    "pots": _put_pot,
}
