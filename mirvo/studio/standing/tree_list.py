"""All trees of the yard in a list: found by words and tags, ordered, a page at a time."""

from __future__ import annotations

import logging
from collections import Counter
from collections.abc import Callable, Hashable, Iterable, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from functools import cached_property
from typing import Any, TypeVar

from sqlalchemy import select
from sqlalchemy.exc import SQLAlchemyError

from mirvo.core.almanac import Species
from mirvo.core.measure.figure import Figure
from mirvo.core.measure.records import TopRecord
from mirvo.core.season import Window
from mirvo.core.standing.signs import SIGNS
from mirvo.core.standing.standing import Standing
from mirvo.core.standing.verdict import Verdict
from mirvo.records.database import DbSession
from mirvo.records.models import Target, Tree
from mirvo.records.versions import SETTINGS
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.ground.state_cache import ALL_TREES, Snapshot, Version, kept_for_all, snapshot_of
from mirvo.studio.standing.species import species_of
from mirvo.studio.standing.standing import TreeStanding, standing_from
from mirvo.studio.standing.tree_queries import TreeRecords, load_records
from mirvo.text.advice import signs_text

T = TypeVar("T")
log = logging.getLogger(__name__)
# Verdicts that ask for something today, and those that wait for the next window.
NOW = ("emergency", "change_soil", "repot_now", "delay", "larger_pot")
NEXT = ("repot_next",)
# Advice under which a path's session is what is to be done.
REPOT = ("repot_now", "repot_next")
# A window that opens within so many days is prepared for.
SOON_DAYS = 120
# What is not known stands last, whichever way it is ordered.
UNKNOWN_LAST = float("inf")


@dataclass(frozen=True, eq=False)
class TreeRow:
    """One line of the list of trees; each is one of its own, so that what follows from it may be
    kept by it.

    measured : its base as it stands, None before the first. measurement_id, stamp : of the
    measurement that is of, and when its marks were last kept. target : None where nothing is set.
    """

    stands: TreeStanding
    last_session: date | None
    measured: TopRecord | None
    verdict: Verdict
    measurement_id: int | None = None
    stamp: str = ""
    target: Target | None = None
    _derived: dict[Any, Any] = field(default_factory=dict, repr=False)

    def once(self, work: Callable[..., T], *args: Hashable) -> T:
        """What some work makes of this line, worked out once.

        args : the yard's settings, if anything; with other settings there is another line.
        """
        if work not in self._derived:
            self._derived[work] = work(self, *args)
        return self._derived[work]  # type: ignore[no-any-return]

    @property
    def tree(self) -> Tree:
        return self.stands.tree

    @property
    def species(self) -> Species:
        return self.stands.species

    @property
    def standing(self) -> Standing:
        return self.stands.standing

    @property
    def window(self) -> Window:
        """The window the advice is about."""
        return self.verdict.window

    @property
    def signs_seen(self) -> str:
        """The signs seen on it that still count, in words."""
        return signs_text(sign for sign in SIGNS if sign in self.standing.signs)

    @property
    def spread_ratio(self) -> Figure | None:
        """Spread to trunk as it counts toward the target; None where that was not measured."""
        if self.measured is None:
            return None
        _, spread = self.measured.spread.counted(self.target.basis if self.target else None)
        return spread.ratio if spread else None

    @property
    def to_target(self) -> float | None:
        """How much of the spread ratio is still to come, 0 once it is reached."""
        if self.target is None or self.spread_ratio is None:
            return None
        return max(0.0, self.target.spread_ratio - self.spread_ratio.value)

    @cached_property
    def due(self) -> tuple[int, date]:
        """What asks for something today comes first, then what opens soonest, then what rests."""
        if self.tree.died_on is not None:
            return 3, self.tree.died_on
        kind = self.verdict.kind
        return 0 if kind in NOW else 1 if kind in NEXT else 2, self.window.start


def _due(row: TreeRow) -> tuple[int, date, str]:
    return (*row.due, row.tree.name)


def _radiality(row: TreeRow) -> float:
    return UNKNOWN_LAST if row.measured is None else row.measured.radiality.index.value


def _trunk(row: TreeRow) -> float:
    return UNKNOWN_LAST if row.measured is None else -row.measured.trunk_diameter_mm.value


def _spread(row: TreeRow) -> float:
    return UNKNOWN_LAST if row.spread_ratio is None else -row.spread_ratio.value


def _gap(row: TreeRow) -> float:
    return UNKNOWN_LAST if row.to_target is None else -row.to_target


# How it is said, and what is looked at: the widest, farthest and least even first.
ORDERS: dict[str, tuple[str, Callable[[TreeRow], Any]]] = {
    "due": ("what is due", _due),
    "gap": ("gap to target", _gap),
    "radiality": ("radiality", _radiality),
    "name": ("name", lambda row: row.tree.name.lower()),
    "species": ("species", lambda row: (row.species.name, row.tree.name)),
    "trunk": ("trunk", _trunk),
    "spread": ("spread", _spread),
    "last": ("last session", lambda row: row.last_session or date.min),
}
# Those that bases are ordered by; the ledger's columns take the others too.
BASES_BY = ("due", "gap", "radiality", "name")


@dataclass(frozen=True)
class FoundTrees:
    """Trees in an order. tags : all there are, each with how many of the found bear it."""

    rows: list[TreeRow]
    tags: dict[str, int]


def find_trees(
    db: DbSession,
    today: date,
    words: str = "",
    tag: str = "",
    order: str = "due",
    backward: bool = False,
) -> FoundTrees:
    """The trees that words and a tag leave, in one of `ORDERS`; any other is read as the first."""
    rows = list_trees(db, today, words)
    tags = Counter(each for row in rows for each in row.tree.tags)
    if tag:
        rows = [row for row in rows if tag in row.tree.tags]
    _, key = ORDERS.get(order, ORDERS["due"])
    return FoundTrees(sorted(rows, key=key, reverse=backward), dict(sorted(tags.items())))


def tree_names(db: DbSession) -> list[tuple[int, str, str]]:
    """Number, name and species, botanical name too, of every tree, by name."""
    yard = yard_of(db)
    query = select(Tree.id, Tree.name, Tree.species_key).where(Tree.kept()).order_by(Tree.name)
    found = [(number, name, species_of(yard, key)) for number, name, key in db.execute(query)]
    return [(number, name, _names_of(kind)) for number, name, kind in found]


def list_trees(db: DbSession, today: date, words: str = "") -> list[TreeRow]:
    """All trees whose name, species or tags hold the words, by name."""
    listed, _ = _listed(db, today, words)
    return listed


def _listed(db: DbSession, today: date, words: str = "") -> tuple[list[TreeRow], bool]:
    """The same, and whether none is missing: records that cannot be worked out cost their line."""
    snapshot = snapshot_of(db)
    if snapshot is None:
        ids = _found(db, words.lower()) if words else _all(db)
        rows = _sound_rows(db, ids, today)
        return [rows[number] for number in ids if number in rows], len(rows) == len(ids)
    lists, version, scope = snapshot.state.lists, snapshot.total(db), (list_trees, today, words)
    found, listed = lists.find(scope, version, ALL_TREES)
    if found:
        return listed, True
    ids = _found(db, words.lower()) if words else _all(db)
    rows = _rows_by_version(db, snapshot, ids, today)
    listed = [rows[number] for number in ids if number in rows]
    if len(listed) == len(ids):
        lists.keep(scope, version, ALL_TREES, listed)
    # What went wrong may be over by the next look.
    return listed, len(listed) == len(ids)


def _rows_by_version(
    db: DbSession, snapshot: Snapshot, ids: Sequence[int], today: date
) -> dict[int, TreeRow]:
    """Rows of trees: those whose records are as they were are taken as they were."""
    cache, rows, missing = snapshot.state.rows, dict[int, TreeRow](), list[int]()

    def version(number: int) -> Version:
        return (*snapshot.version(db, SETTINGS, number), today.toordinal())

    for number in ids:
        found, row = cache.find(number, version(number), TreeRow)
        if found:
            rows[number] = row
        else:
            missing.append(number)
    if missing:
        fresh = _sound_rows(db, missing, today)
        for number, row in fresh.items():
            cache.keep(number, version(number), TreeRow, row)
        rows |= fresh
    return rows


def left_out(db: DbSession, today: date) -> list[tuple[int, str]]:
    """Number and name of trees whose records cannot be worked out; lists go on without them."""
    listed, whole = _listed(db, today)
    if whole:
        return []
    shown = {row.tree.id for row in listed}
    names = select(Tree.id, Tree.name).where(Tree.kept()).order_by(Tree.name)
    return [(number, name) for number, name in db.execute(names) if number not in shown]


def _sound_rows(db: DbSession, ids: Sequence[int], today: date) -> dict[int, TreeRow]:
    """Rows of trees; one whose records cannot be worked out costs its own row alone."""
    try:
        return _rows_of(db, ids, today)
    except SQLAlchemyError:
        raise
    except Exception:
        if len(ids) == 1:
            log.exception("the records of tree %s cannot be worked out", ids[0])
            return {}
    half = len(ids) // 2
    return _sound_rows(db, ids[:half], today) | _sound_rows(db, ids[half:], today)


def _all(db: DbSession) -> list[int]:
    return list(db.scalars(select(Tree.id).where(Tree.kept()).order_by(Tree.name)))


def _found(db: DbSession, sought: str) -> list[int]:
    yard = yard_of(db)
    named = select(Tree.id, Tree.name, Tree.species_key, Tree.tags).where(Tree.kept())
    return [
        number
        for number, name, key, tags in db.execute(named.order_by(Tree.name))
        if sought in _said_of(name, species_of(yard, key), tags).lower()
    ]


def _rows_of(db: DbSession, ids: Sequence[int], today: date) -> dict[int, TreeRow]:
    """Rows of trees, worked out of their records."""
    return {
        tree_id: _row(records, standing_from(db, records, today))
        for tree_id, records in load_records(db, ids).items()
    }


def _row(records: TreeRecords, stands: TreeStanding) -> TreeRow:
    return TreeRow(
        stands,
        records.sessions[0].done_on if records.sessions else None,
        records.measured,
        stands.usual_verdict,
        records.measurement_id,
        stamp_of(records.measured_at),
        records.target,
    )


def stamp_of(moment: datetime | None) -> str:
    """A moment as part of an address, to the millisecond."""
    return "" if moment is None else f"{round(moment.timestamp() * 1000):x}"


def _said_of(name: str, species: Species, tags: Iterable[str]) -> str:
    return " ".join([name, _names_of(species), *tags])


def _names_of(species: Species) -> str:
    """All names a species goes by."""
    return " ".join([species.name, species.scientific, *species.synonyms])


# Four months: a window seen in time for pots and soil to be ordered.
@kept_for_all
def due_rows(db: DbSession, today: date) -> list[TreeRow]:
    """Trees to be repotted now or before long, those whose window closes first first."""
    horizon = today + timedelta(days=SOON_DAYS)
    rows = sorted(list_trees(db, today), key=lambda row: row.window.end)
    return [row for row in rows if is_due(row, horizon)]


def is_due(row: TreeRow, horizon: date) -> bool:
    """Whether a tree's verdict asks for a session now, or in a window that opens by a day."""
    if row.verdict.kind in NOW:
        return True
    return row.verdict.kind in NEXT and row.window.start <= horizon
