"""A studio, or some of its trees, given out as an exchange file."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from hashlib import sha256
from itertools import islice
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from sqlalchemy import ColumnElement, Select, select

from mirvo.core.errors import BadInput, NotFound
from mirvo.formats.exchange import (
    STUDIO_TABLES,
    TREE_TABLES,
    Header,
    KnownTree,
    as_json,
    columns_of,
    exchange_pieces,
)
from mirvo.formats.exchange.archive import FORMAT, VERSION
from mirvo.formats.exchange.tables import RowValues, TableKind, table_of
from mirvo.formats.photo_privacy import private_details, without_private
from mirvo.records.database import DbSession
from mirvo.records.documents import OwnSpecies
from mirvo.records.models import (
    BenchSession,
    Compostable,
    ForeignRow,
    RootSession,
    ShelfPot,
    SoilComponent,
    SoilRecipe,
    Tree,
)
from mirvo.records.photos import DIGEST
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import yard_of

RowValuess = dict[str, list[RowValues]]
# So many trees are asked for at once.
BATCH = 40
# Through which column the rows of a table hang on a tree, where they do not name it themselves.
THROUGH: dict[str, tuple[TableKind, str]] = {
    "session_id": (RootSession, "session_id"),
    "bench_session_id": (BenchSession, "bench_session_id"),
}


def give_out(
    studio: Studio, tree_ids: Sequence[int] | None = None, keep_details: bool = False
) -> Iterator[bytes]:
    """An exchange file, piece by piece, of one state of the records.

    tree_ids : the trees it holds, without what lies on the compost heap; None for the whole
    studio as it stands. keep_details : photos go out with place, serial numbers and owner's name,
    where their files hold them; else without. The originals here stay as they are.

    Raises
    ------
    NotFound : there is no such tree.
    """
    # What is wrong is said before the first piece goes out.
    with studio.reading() as db:
        _trees(db, tree_ids)
    return _pieces(studio, tree_ids, keep_details)


def _pieces(studio: Studio, tree_ids: Sequence[int] | None, keep_details: bool) -> Iterator[bytes]:
    made = TemporaryDirectory(dir=studio.folder, prefix="given.", suffix=".making")
    with made as place, studio.reading() as db:
        photos = _PhotosOut(studio, Path(place), keep_details)
        trees = _trees(db, tree_ids)
        origins = _Origins(db)
        header = Header(
            format=FORMAT,
            version=VERSION,
            made_at=studio.now.isoformat(),
            studio=studio.key,
            yard=yard_of(db).name,
            scope="studio" if tree_ids is None else "trees",
            details="kept" if keep_details else "removed",
            trees=tuple(
                KnownTree(number=number, name=name, came_from=origins.of(Tree, number))
                for number, name in trees
            ),
            species=_own_species(db, None if tree_ids is None else [n for n, _ in trees]),
        )
        shelf = _studio_rows(db, origins, None if tree_ids is None else [n for n, _ in trees])
        for row in shelf.get(ShelfPot.__tablename__, []):
            row["photo_digest"] = photos.given(row["photo_digest"])
        rows = _tree_rows(db, origins, [number for number, _ in trees], tree_ids is None, photos)
        yield from exchange_pieces(header, shelf, rows, photos.files())


def _trees(db: DbSession, tree_ids: Sequence[int] | None) -> list[tuple[int, str]]:
    query = select(Tree.id, Tree.name).order_by(Tree.id)
    if tree_ids is not None:
        query = query.where(Tree.id.in_(tree_ids), Tree.kept())
    found = [(number, name) for number, name in db.execute(query)]
    if tree_ids is not None and len(found) < len(set(tree_ids)):
        raise NotFound("tree", "there is no such tree")
    return found


def _own_species(db: DbSession, trees: list[int] | None) -> dict[str, OwnSpecies]:
    """What the studio's almanac says otherwise of the species of some trees, or of all."""
    own = yard_of(db).own_species or {}
    if trees is None:
        return dict(own)
    asked = select(Tree.species_key, Tree.understock_key).where(Tree.id.in_(trees))
    used = {key for keys in db.execute(asked) for key in keys}
    return {key: kept for key, kept in own.items() if key in used}


class _Origins:
    """Of which studio's row each row here is a copy, where it is one."""

    def __init__(self, db: DbSession) -> None:
        self._by_table: dict[str, dict[int, tuple[str, int]]] = defaultdict(dict)
        for row in db.execute(select(ForeignRow.__table__)):
            known = self._by_table[row.table_name]
            known.setdefault(row.own_number, (row.studio, row.number))

    def of(self, kind: TableKind, number: Any) -> tuple[str, int] | None:
        return self._by_table[kind.__tablename__].get(number) if self._by_table else None


def _listed(
    db: DbSession, origins: _Origins, kind: TableKind, query: Select[Any]
) -> Iterator[tuple[Any, RowValues]]:
    """Owner and JSON of each row; the owner stands first in the query."""
    for owner, *values in db.execute(query):
        names = [column.name for column in columns_of(kind)]
        row = as_json(kind, dict(zip(names, values, strict=True)))
        came_from = origins.of(kind, row.get("id"))
        yield owner, row if came_from is None else {**row, "came_from": list(came_from)}


def _studio_rows(db: DbSession, origins: _Origins, trees: list[int] | None) -> RowValuess:
    """Rows of the studio; of what hangs on no tree only what some trees need."""
    if trees is None:
        return {
            kind.__tablename__: [row for _, row in _listed(db, origins, kind, _query(kind, None))]
            for kind in STUDIO_TABLES
        }
    pots = set(db.scalars(select(Tree.pot_id).where(Tree.id.in_(trees))))
    of_sessions = select(RootSession.pot_id, RootSession.recipe_id).where(
        RootSession.tree_id.in_(trees), RootSession.kept()
    )
    used = db.execute(of_sessions).all()
    pots |= {pot for pot, _ in used}
    mixes = {recipe for _, recipe in used}
    recipes = list(db.scalars(select(SoilRecipe).where(SoilRecipe.id.in_(mixes))))
    parts = {int(key) for recipe in recipes for key in recipe.parts or {} if key.isdecimal()}
    wanted: tuple[tuple[TableKind, ColumnElement[bool]], ...] = (
        (SoilComponent, SoilComponent.id.in_(parts)),
        (SoilRecipe, SoilRecipe.id.in_(mixes)),
        (ShelfPot, ShelfPot.id.in_(pots) & ShelfPot.kept()),
    )
    return {
        kind.__tablename__: [
            row for _, row in _listed(db, origins, kind, _query(kind, None).where(which))
        ]
        for kind, which in wanted
    }


def _query(kind: TableKind, owner: Any) -> Select[Any]:
    """All columns that are exchanged, after that of the owner; in the order of the keys."""
    columns = columns_of(kind)
    first = columns[0] if owner is None else owner
    return select(first, *columns).order_by(*table_of(kind).primary_key.columns)


def _tree_rows(
    db: DbSession, origins: _Origins, trees: list[int], everything: bool, photos: _PhotosOut
) -> Iterator[tuple[int, RowValuess]]:
    """Rows of each tree, by table; its photos are noted on the way."""
    left = iter(trees)
    while batch := list(islice(left, BATCH)):
        found: dict[int, RowValuess] = {
            number: {kind.__tablename__: [] for kind in TREE_TABLES} for number in batch
        }
        for kind in TREE_TABLES:
            for owner, row in _listed(db, origins, kind, _of_trees(kind, batch, everything)):
                found[owner][kind.__tablename__].append(row)
                if "digest" in row:
                    row["digest"] = photos.given(row["digest"])
        if not everything:
            for rows in found.values():
                _without_lost(rows)
        yield from found.items()


def _of_trees(kind: TableKind, trees: list[int], everything: bool) -> Select[Any]:
    columns = table_of(kind).columns
    if kind is Tree:
        query = _query(kind, columns["id"]).where(columns["id"].in_(trees))
    elif "tree_id" in columns:
        query = _query(kind, columns["tree_id"]).where(columns["tree_id"].in_(trees))
    else:
        parent, name = next(way for column, way in THROUGH.items() if column in columns)
        over = table_of(parent).columns
        query = _query(kind, over["tree_id"]).join(parent, over["id"] == columns[name])
        query = query.where(over["tree_id"].in_(trees))
        if not everything and issubclass(parent, Compostable):
            query = query.where(parent.kept())
    if not everything and issubclass(kind, Compostable):
        query = query.where(kind.kept())
    return query


def _without_lost(rows: RowValuess) -> None:
    """Rows without references to what stays on the compost heap, or goes with it."""
    for kind in TREE_TABLES:
        name = kind.__tablename__
        numbers = {
            table: {row["id"] for row in listed}
            for table, listed in rows.items()
            if listed and "id" in listed[0]
        }
        cleaned = (_whole(kind, row, rows, numbers) for row in rows[name])
        rows[name] = [row for row in cleaned if row is not None]


def _whole(
    kind: TableKind, row: RowValues, rows: RowValuess, numbers: dict[str, set[Any]]
) -> RowValues | None:
    """A row without references that lead nowhere; None where it is nothing without one."""
    for column in columns_of(kind):
        for key in column.foreign_keys:
            table, value = key.column.table.name, row[column.name]
            # Other trees, and what hangs on none, may be known where the file goes.
            if value is None or table not in rows or table == Tree.__tablename__:
                continue
            if key.column.name == "id" and value not in numbers.get(table, set()):
                if not column.nullable:
                    return None
                row = {**row, column.name: None}
    return row


class _PhotosOut:
    """The photos that go out: as they are, or without what is private in their files."""

    def __init__(self, studio: Studio, place: Path, keep_details: bool) -> None:
        self._studio, self._place, self._keep = studio, place, keep_details
        # By the digest here: the digest it goes out under, and its file.
        self._out: dict[str, tuple[str, Path | None]] = {}

    def given(self, digest: str) -> str:
        """The digest a photo goes out under."""
        if digest not in self._out:
            self._out[digest] = self._made(digest)
        return self._out[digest][0]

    def _made(self, digest: str) -> tuple[str, Path | None]:
        path = self._studio.photos.place_of(digest) if DIGEST.fullmatch(digest) else None
        if path is None or not path.exists():
            return digest, None
        if self._keep or (self._studio.standins / f"{digest}.json").exists():
            return digest, path
        content = path.read_bytes()
        try:
            if not private_details(content):
                return digest, path
            clean = without_private(content)
        except BadInput:
            # No photo any more: damaged here, and said so where it comes in.
            return digest, path
        fresh = sha256(clean).hexdigest()
        made = self._place / fresh
        made.write_bytes(clean)
        return fresh, made

    def files(self) -> Iterator[tuple[str, Path]]:
        """The files of photos, and what is known of simulated ones; those that are missing are
        not. Asked for after all trees are written."""
        for digest, path in sorted(self._out.values(), key=lambda one: one[0]):
            if path is None:
                continue
            yield f"photos/{digest}", path
            known = self._studio.standins / f"{digest}.json"
            if known.exists():
                yield f"standins/{digest}.json", known
