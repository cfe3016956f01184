"""Merging the rows of an exchange file with those that are here.

A row is known again by the studio it first came from and its number there, else by what makes it
the only one of its kind (a root's letter, a photo's file, a component's name). New rows are added;
of one that both sides have and that differs, the artist says which is kept. Nothing is taken away.
"""

from __future__ import annotations

import json
from collections import defaultdict
from collections.abc import Iterable, Mapping
from typing import Any

from sqlalchemy import Column, Integer, UniqueConstraint, func, insert, select, text, tuple_, update

from mirvo.core.almanac import species as shipped_species
from mirvo.core.errors import BadInput
from mirvo.core.limits.trees import unknown_species
from mirvo.formats.exchange import (
    COUNTED_APART,
    STUDIO_TABLES,
    TREE_TABLES,
    Archive,
    as_json,
    columns_of,
)
from mirvo.formats.exchange.tables import DIGESTS, Row, RowValues, TableKind, row_type, table_of
from mirvo.records.database import DbSession
from mirvo.records.limits import check_row, species_complaint
from mirvo.records.models import (
    BenchEntry,
    ForeignRow,
    Photo,
    ShelfPot,
    SoilRecipe,
    Tree,
    Yard,
)
from mirvo.studio.exchange.differences import MOST_SHOWN, Coming, Conflicting, Difference
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.jobs import Report, unwatched
from mirvo.studio.ground.settings import put_yard, yard_of

MINE, THEIRS = "mine", "theirs"
CHUNK = 400
# Entries of the bench that name rows of the shelf.
NAMING = {"pot_id": ShelfPot.__tablename__, "recipe_id": SoilRecipe.__tablename__}


class Merge:
    """One file being taken in, within one transaction."""

    def __init__(
        self,
        db: DbSession,
        studio: Studio,
        archive: Archive,
        choices: Mapping[str, str],
        otherwise: str,
        report: Report = unwatched,
    ) -> None:
        self.db, self.studio, self.archive = db, studio, archive
        self.choices, self.otherwise, self.report = choices, otherwise, report
        self.header = archive.header
        self.coming = Coming(archive.header)
        # Number here of each row of the file, by table and its number there.
        self.numbers: dict[str, dict[int, int]] = defaultdict(dict)
        self.next: dict[str, int] = {}
        self.empty: set[str] = set()
        self.tree = ""
        self.known_species: set[str] = set()

    def run(self) -> Coming:
        """Take all of it in; what it changed. Raises BadInput."""
        # Trees may come from others further on in the file.
        self.db.execute(text("PRAGMA defer_foreign_keys = ON"))
        self._look_round()
        self._species()
        self._take(self.archive.studio(), STUDIO_TABLES)
        for tree in self.header.trees:
            self._number_tree(tree.number, tree.came_from)
        for place, tree in enumerate(self.header.trees):
            self.report("Comparing tree by tree", place / len(self.header.trees))
            self.tree = tree.name
            self._take(self.archive.tree(tree.number), TREE_TABLES)
        self._check_photos()
        self.coming.ignored = sorted(self.archive.ignored)
        return self.coming

    def _look_round(self) -> None:
        """Which tables hold nothing yet, and the next number of each."""
        used = dict(self._sequence())
        for kind in (*STUDIO_TABLES, *TREE_TABLES):
            name, table = kind.__tablename__, table_of(kind)
            if _numbered(kind):
                highest = self.db.scalar(select(func.max(table.c.id))) or 0
                self.next[name] = max(int(highest), used.get(name, 0)) + 1
                if self.next[name] == 1:
                    self.empty.add(name)
            elif self.db.execute(select(table).limit(1)).first() is None:
                self.empty.add(name)

    def _sequence(self) -> Iterable[tuple[str, int]]:
        rows = self.db.execute(text("SELECT name, seq FROM sqlite_sequence"))
        return [(str(name), int(seq or 0)) for name, seq in rows]

    def _species(self) -> None:
        """Own species of the file's trees that are not known here."""
        own = dict(yard_of(self.db).own_species or {})
        for key, kept in self.header.species.items():
            said = species_complaint(key, kept.figures)
            if said is not None:
                raise BadInput(f"exchange.json.species.{key[:60]}", said)
        known = {one.key for one in shipped_species()} | set(own)
        self.known_species = known | set(self.header.species)
        fresh = {key: kept for key, kept in self.header.species.items() if key not in known}
        for key, kept in fresh.items():
            own[key] = kept
            self.coming.species.append(str(kept.figures.get("name", key))[:60])
        if fresh:
            put_yard(self.db, own_species=own)

    def _number_tree(self, number: int, came_from: tuple[str, int] | None) -> None:
        name = Tree.__tablename__
        known = self._known({number: came_from}, Tree)
        self.numbers[name][number] = known.get(number) or self._fresh(Tree, number)

    def _fresh(self, kind: TableKind, number: int) -> int:
        """A number for a new row: its own where the table was empty, else one never used."""
        name = kind.__tablename__
        if name in self.empty and number > 0:
            self.next[name] = max(self.next[name], number + 1)
            return number
        self.next[name] += 1
        return self.next[name] - 1

    def _known(
        self, origins: Mapping[int, tuple[str, int] | None], kind: TableKind
    ) -> dict[int, int]:
        """Number here of rows that were here before, by their number in the file."""
        name, own = kind.__tablename__, self.studio.key
        at = {
            number: came_from or (self.header.studio, number)
            for number, came_from in origins.items()
        }
        found: dict[int, int] = {}
        # Rows of this studio bear their own number, unless they were taken in under another.
        for part in _parts([(studio, number) for studio, number in at.values()]):
            query = select(ForeignRow.studio, ForeignRow.number, ForeignRow.own_number).where(
                ForeignRow.table_name == name,
                tuple_(ForeignRow.studio, ForeignRow.number).in_(part),
            )
            mapped = {(studio, number): here for studio, number, here in self.db.execute(query)}
            for number, origin in at.items():
                if origin in mapped:
                    found[number] = mapped[origin]
        table = table_of(kind)
        mine = {there: number for number, (studio, there) in at.items() if studio == own}
        wanted = set(mine) | set(found.values())
        there: set[int] = set()
        for part in _parts(sorted(wanted)):
            there.update(self.db.scalars(select(table.c.id).where(table.c.id.in_(part))))
        for own_number, number in mine.items():
            found.setdefault(number, own_number)
        return {number: here for number, here in found.items() if here in there}

    def _take(self, rows: Mapping[TableKind, list[Row]], kinds: Iterable[TableKind]) -> None:
        for kind in kinds:
            if rows.get(kind):
                self._take_table(kind, rows[kind])

    def _take_table(self, kind: TableKind, rows: list[Row]) -> None:
        name, numbered = kind.__tablename__, _numbered(kind)
        self._check(kind, rows)
        values = [self._values(kind, row) for row in rows]
        here: list[RowValues | None] = [None] * len(rows)
        if name not in self.empty or kind is Tree:
            here = self._rows_here(kind, rows, values)
        fresh, origins = list[RowValues](), list[tuple[tuple[str, int], int]]()
        for row, value, mine in zip(rows, values, here, strict=True):
            there = int(getattr(row, "id", -1)) if numbered else -1
            if mine is None:
                if numbered:
                    given = self.numbers[name].get(there) if kind is Tree else None
                    value["id"] = given or self._fresh(kind, there)
                fresh.append(value)
                self._count("new", name)
                if "digest" in value:
                    self.coming.photos.add(value["digest"])
            else:
                if numbered:
                    value["id"] = mine["id"]
                self._decide(kind, mine, value)
            if numbered:
                self.numbers[name][there] = value["id"]
                origins.append((row.came_from or (self.header.studio, there), value["id"]))
            if value.get("photo_digest"):
                self.coming.photos.add(value["photo_digest"])
        if fresh:
            self.db.execute(insert(kind), fresh)
        self._remember(name, origins)

    def _check(self, kind: TableKind, rows: list[Row]) -> None:
        """Refuse what could not be entered here. Raises BadInput."""
        table, today = kind.__tablename__, self.studio.today
        for place, row in enumerate(rows):
            try:
                check_row(
                    table, {name: getattr(row, name) for name in type(row).model_fields}, today
                )
                if isinstance(row, row_type(Tree)):
                    self._check_species(row)
            except BadInput as error:
                raise BadInput(f"{table}.{place}.{error.field}", error.message) from None

    def _check_species(self, row: Any) -> None:
        for name in ("species_key", "understock_key"):
            key = getattr(row, name)
            if (key or name == "species_key") and key not in self.known_species:
                raise BadInput(name, unknown_species(key))

    def _values(self, kind: TableKind, row: Row) -> RowValues:
        """The row as it would stand here: what it refers to by its numbers here."""
        value = {column.name: getattr(row, column.name) for column in columns_of(kind)}
        for column in columns_of(kind):
            for key in column.foreign_keys:
                table = key.column.table.name
                if value[column.name] is not None:
                    table = Tree.__tablename__ if key.column.name == "tree_id" else table
                    value[column.name] = self._number(kind, column, table, value[column.name])
        if kind is SoilRecipe:
            parts = value["parts"] or {}
            known = self.numbers["soil_components"]
            value["parts"] = {str(known.get(_whole(key), key)): part for key, part in parts.items()}
        if kind is BenchEntry and value["field"] in NAMING:
            known = self.numbers[NAMING[value["field"]]]
            value["value"] = known.get(_whole(value["value"]), None)
        if kind is Photo and not value["digest"]:
            raise BadInput("photos", "a photo names no file")
        return value

    def _number(self, kind: TableKind, column: Column[Any], table: str, number: int) -> int | None:
        known = self.numbers[table].get(number)
        if known is None and table in (Tree.__tablename__, ShelfPot.__tablename__):
            # Not in the file, but it may have come before.
            target = Tree if table == Tree.__tablename__ else ShelfPot
            known = self._known({number: None}, target).get(number)
        if known is None and not column.nullable:
            where = f"{kind.__tablename__}.{column.name}"
            raise BadInput(where, f"refers to {table} {number}, which is not in the file")
        return known

    def _rows_here(
        self, kind: TableKind, rows: list[Row], values: list[RowValues]
    ) -> list[RowValues | None]:
        """For each row of the file the row here that it is, None for new ones."""
        found: dict[int, RowValues] = {}
        table = table_of(kind)
        if _numbered(kind):
            known = self._known({row.id: row.came_from for row in rows}, kind)  # type: ignore[attr-defined]
            if kind is Tree:
                numbers = self.numbers[kind.__tablename__]
                known = {row.id: numbers[row.id] for row in rows if row.id in numbers}  # type: ignore[attr-defined]
            by_number = {
                mine["id"]: mine
                for part in _parts(sorted(set(known.values())))
                for mine in self._read(kind, table.c.id.in_(part))
            }
            for place, row in enumerate(rows):
                number = known.get(row.id)  # type: ignore[attr-defined]
                if number in by_number:
                    found[place] = by_number[number]
        for names in _only_ones(kind):
            left = [place for place in range(len(rows)) if place not in found]
            keys = {tuple(values[place][name] for name in names): place for place in left}
            for part in _parts(list(keys)):
                which = tuple_(*(table.c[name] for name in names)).in_(part)
                for mine in self._read(kind, which):
                    found[keys[tuple(mine[name] for name in names)]] = mine
        return [found.get(place) for place in range(len(rows))]

    def _read(self, kind: TableKind, which: Any) -> list[RowValues]:
        query = select(*table_of(kind).columns).where(which)
        return [dict(row._mapping) for row in self.db.execute(query)]

    def _decide(self, kind: TableKind, mine: RowValues, theirs: RowValues) -> None:
        if self.header.details == "removed":
            # The same photo without what its file said of place and people: the one here is more.
            theirs.update({name: mine[name] for name in DIGESTS if name in mine})
        before, after = as_json(kind, mine), as_json(kind, theirs)
        differing = [
            name
            for name in after
            if name not in COUNTED_APART and not _alike(before[name], after[name])
        ]
        if not differing:
            self._count("same", kind.__tablename__)
            return
        self._count("different", kind.__tablename__)
        # A studio without a tree has nothing set that one would want to keep.
        usual = THEIRS if kind is Yard and Tree.__tablename__ in self.empty else self.otherwise
        key = f"{kind.__tablename__}:{'-'.join(str(mine[name]) for name in _key_of(kind))}"
        if len(self.coming.conflicting) < MOST_SHOWN:
            differences = tuple(
                Difference(name, _short(before[name]), _short(after[name])) for name in differing
            )
            conflict = Conflicting(key, kind.__tablename__, self.tree, differences, usual)
            self.coming.conflicting.append(conflict)
        if self.choices.get(key, usual) == THEIRS:
            table = table_of(kind)
            which = [table.c[name] == mine[name] for name in _key_of(kind)]
            changed = {name: theirs[name] for name in theirs if name not in _key_of(kind)}
            self.db.execute(update(kind).where(*which).values(**changed))
            if "digest" in theirs:
                self.coming.photos.add(theirs["digest"])

    def _count(self, what: str, table: str) -> None:
        tallies = [self.coming.tables[table]]
        if self.tree:
            tallies.append(self.coming.trees[self.tree])
        for tally in tallies:
            setattr(tally, what, getattr(tally, what) + 1)

    def _remember(self, name: str, origins: list[tuple[tuple[str, int], int]]) -> None:
        """Keep which row each one became, where its number does not say so already."""
        rows = [
            {"studio": studio, "table_name": name, "number": number, "own_number": here}
            for (studio, number), here in origins
            if (studio, number) != (self.studio.key, here)
        ]
        if rows:
            self.db.execute(insert(ForeignRow).prefix_with("OR REPLACE"), rows)

    def _check_photos(self) -> None:
        """Every photo that is new here must be in the file."""
        fresh = {one for one in self.coming.photos if not self.studio.photos.place_of(one).exists()}
        for digest in sorted(fresh):
            if not self.archive.has_photo(digest):
                raise BadInput(f"photos/{digest}", "is named by a record and not in the file")
        self.coming.photos = fresh


def _numbered(kind: TableKind) -> bool:
    """Whether the rows of a table bear a number that is counted on."""
    key = list(table_of(kind).primary_key)
    return (
        kind is not Yard
        and [column.name for column in key] == ["id"]
        and isinstance(key[0].type, Integer)
    )


def _key_of(kind: TableKind) -> list[str]:
    return [column.name for column in table_of(kind).primary_key]


def _only_ones(kind: TableKind) -> list[list[str]]:
    """Columns that together tell a row from all others, beside a number that is counted on."""
    table, found = table_of(kind), list[list[str]]()
    if not _numbered(kind):
        found.append(_key_of(kind))
    for rule in table.constraints:
        if isinstance(rule, UniqueConstraint):
            found.append([column.name for column in rule.columns])
    found += [[one.name for one in index.columns] for index in table.indexes if index.unique]
    if kind is Photo:
        # One file is one photo of a tree, see the intake.
        found.append(["tree_id", "digest"])
    return found


def _parts(listed: list[Any]) -> Iterable[list[Any]]:
    return (listed[at : at + CHUNK] for at in range(0, len(listed), CHUNK))


def _whole(value: Any) -> int:
    """A number that is typed as text or as a number; -1 for anything else."""
    try:
        return int(value)
    except (TypeError, ValueError, OverflowError):
        return -1


def _alike(mine: Any, theirs: Any) -> bool:
    return mine == theirs or _text(mine) == _text(theirs)


def _text(value: Any) -> str:
    return json.dumps(value, sort_keys=True, ensure_ascii=False)


def _short(value: Any) -> str:
    said = value if isinstance(value, str) else _text(value)
    return said if len(said) <= 80 else f"{said[:77]}…"
