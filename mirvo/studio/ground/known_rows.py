"""What was read of each tree and worked out for lists, kept until its records change.

A list of a thousand trees would otherwise judge each of them anew for every page, and each page of
a tree would read its years anew. What is kept is used only by readers whose state of the database
it was worked out of: a tree that is being written, or was since a reader began, is read by that
reader itself. Lines of lists hold for one day.
"""

from __future__ import annotations

from collections import Counter, OrderedDict
from collections.abc import Callable, Iterable, Mapping
from datetime import date
from functools import wraps
from threading import Lock
from typing import Any, Concatenate, ParamSpec, TypeVar
from weakref import WeakKeyDictionary

from sqlalchemy import text

from mirvo.records.changes import Changes, Writing
from mirvo.records.database import DbSession
from mirvo.records.plain import all_plain

# The name under which a reading session carries what its reader may use.
KNOWN = "known_rows"
# So many trees' records are kept, those looked at last: a page asks for one tree's.
TREES_READ = 32
# What is read of the yard itself stands under the number no tree has.
OF_NO_TREE = 0
# What is kept may well be None.
UNKNOWN = object()
P = ParamSpec("P")
T = TypeVar("T")
Row = TypeVar("Row")


def once_a_row(
    work: Callable[Concatenate[Row, P], T],
) -> Callable[Concatenate[Row, P], T]:
    """What follows from a line of a list, or from a tree's record among the others of that tree,
    and the yard's settings alone, worked out once for each.

    It is made or read anew when anything it rests on changes, the settings too; what followed from
    it goes with it. The outcome must not hold it.
    """
    known: WeakKeyDictionary[Row, T] = WeakKeyDictionary()

    @wraps(work)
    def worked(row: Row, /, *args: P.args, **named: P.kwargs) -> T:
        found = known.get(row)
        if found is None:
            known[row] = found = work(row, *args, **named)
        return found

    return worked


def once_for_all(
    work: Callable[Concatenate[DbSession, date, P], T],
) -> Callable[Concatenate[DbSession, date, P], T]:
    """What follows from the rows of all trees, the day and the yard's settings alone, worked out
    once for each state of them. The outcome must hold nothing of the session it was read by."""

    @wraps(work)
    def worked(db: DbSession, today: date, /, *args: P.args, **named: P.kwargs) -> T:
        known: Reader | None = db.info.get(KNOWN)
        found = None if known is None else known.get_whole(work, today)
        if found is None:
            found = work(db, today, *args, **named)
            if known is not None:
                known.put_whole(work, today, found)
        return found  # type: ignore[no-any-return]

    return worked


def once_a_tree(
    read: Callable[Concatenate[DbSession, int, P], T],
) -> Callable[Concatenate[DbSession, int, P], T]:
    """What is read of one tree's records and the yard's alone, read once for each state of them.

    A session that only reads is given plain records, which no session can write; one that writes
    reads rows. What a row refers to must have been read with it.
    """

    @wraps(read)
    def known(db: DbSession, tree_id: int, /, *args: P.args, **named: P.kwargs) -> T:
        key = (read, args, tuple(named.items()))
        return _known(db, tree_id, key, lambda: read(db, tree_id, *args, **named))

    return known  # type: ignore[return-value] # wraps keeps the parameter's own name


def once_a_yard(read: Callable[[DbSession], T]) -> Callable[[DbSession], T]:
    """The same of what belongs to the yard and to no tree."""

    @wraps(read)
    def known(db: DbSession) -> T:
        return _known(db, OF_NO_TREE, read, lambda: read(db))

    return known


def _known(db: DbSession, tree_id: int, key: Any, read: Callable[[], T]) -> T:
    kept: Reader | None = db.info.get(KNOWN)
    if kept is None:
        return read()
    found = kept.get_of_tree(tree_id, key)
    if found is not UNKNOWN and not db.in_transaction():
        # The state this session reads begins here; what is kept must still be of it.
        db.execute(text("SELECT 1 FROM yard"))
        found = kept.get_of_tree(tree_id, key)
    if found is UNKNOWN:
        found = all_plain(read())
        kept.put_of_tree(tree_id, key, found)
    return found  # type: ignore[no-any-return]


class KnownRows:
    """What is known of all trees, shared by all readers of a studio."""

    def __init__(self) -> None:
        self._lock = Lock()
        self._day: date | None = None
        self._rows: dict[int, Any] = {}
        # What was read of single trees, those looked at last at the end: by what read it.
        self._read: OrderedDict[int, dict[Any, Any]] = OrderedDict()
        # What follows from all rows: by what worked it out, and the count it holds for.
        self._whole: dict[Any, tuple[int, date, Any]] = {}
        # Counts what was written; when each tree was last, when all of them were, and what may
        # be of any tree's records.
        self._now = 0
        self._written: dict[int, int] = {}
        self._all_written = self._records_written = 0
        self._being_written: Counter[int] = Counter()
        self._all_being_written = self._records_being_written = 0

    def reader(self) -> Reader:
        """For one reading session, asked for before it reads anything."""
        with self._lock:
            return Reader(self, self._now)

    def begun(self, writing: Writing) -> None:
        """Trees are being written: what is known of them may not be what a reader will see."""
        with self._lock:
            self._being_written.update(writing.trees)
            self._all_being_written += writing.everything
            self._records_being_written += writing.records

    def ended(self, changes: Changes) -> None:
        """What was being written is kept now, or was given up."""
        if not changes.rows and not changes.all_rows and not changes.records:
            return
        with self._lock:
            self._now += 1
            for tree_id in changes.rows:
                self._rows.pop(tree_id, None)
                self._read.pop(tree_id, None)
                self._written[tree_id] = self._now
            self._being_written -= changes.rows
            if changes.all_rows or changes.records:
                self._read.clear()
                self._records_written = self._now
                self._records_being_written -= changes.records
            if changes.all_rows:
                self._rows.clear()
                self._all_written = self._now
                self._all_being_written -= changes.all_rows

    def _free(self, tree_id: int, since: int) -> bool:
        """Whether a tree's line was not written since a reader began, nor is being written."""
        written = max(self._all_written, self._written.get(tree_id, 0))
        being_written = self._all_being_written or self._being_written[tree_id] > 0
        return written <= since and not being_written

    def _records_free(self, tree_id: int, since: int) -> bool:
        """The same of all of its records."""
        unwritten = self._records_written <= since and not self._records_being_written
        return unwritten and self._free(tree_id, since)

    def _get(self, ids: Iterable[int], day: date, since: int) -> dict[int, Any]:
        with self._lock:
            if day != self._day or self._all_written > since or self._all_being_written:
                return {}
            # As `_free` has it of one, for a thousand.
            rows, written, being_written = self._rows, self._written, self._being_written
            return {
                one: rows[one]
                for one in ids
                if one in rows and written.get(one, 0) <= since and not being_written.get(one)
            }

    def _get_of_tree(self, tree_id: int, key: Any, since: int) -> Any:
        with self._lock:
            if tree_id not in self._read or not self._records_free(tree_id, since):
                return UNKNOWN
            self._read.move_to_end(tree_id)
            return self._read[tree_id].get(key, UNKNOWN)

    def _put_of_tree(self, tree_id: int, key: Any, found: Any, since: int) -> None:
        with self._lock:
            if not self._records_free(tree_id, since):
                return
            self._read.setdefault(tree_id, {})[key] = found
            self._read.move_to_end(tree_id)
            if len(self._read) > TREES_READ:
                self._read.popitem(last=False)

    def _get_whole(self, work: Any, day: date, since: int) -> Any:
        with self._lock:
            at, of_day, found = self._whole.get(work, (-1, day, None))
            return found if at == since and of_day == day and self._at_rest(since) else None

    def _put_whole(self, work: Any, day: date, since: int, found: Any) -> None:
        with self._lock:
            if self._at_rest(since):
                self._whole[work] = since, day, found

    def _at_rest(self, since: int) -> bool:
        """Whether nothing was written since a reader began, nor is being written."""
        writing = self._all_being_written or any(n > 0 for n in self._being_written.values())
        return since == self._now and not writing

    def _put(self, rows: Mapping[int, Any], day: date, since: int) -> None:
        with self._lock:
            if day != self._day:
                self._rows, self._day = {}, day
            for tree_id, row in rows.items():
                if self._free(tree_id, since):
                    self._rows[tree_id] = row


class Reader:
    """What one reading session may use of the rows, and add to them."""

    def __init__(self, known: KnownRows, since: int) -> None:
        self._known, self._since = known, since

    def get(self, ids: Iterable[int], day: date) -> dict[int, Any]:
        """Rows that are known, by the number of their tree."""
        return self._known._get(ids, day, self._since)  # both are one thing

    def get_of_tree(self, tree_id: int, key: Any) -> Any:
        """What was read of a tree, by what read it; UNKNOWN where that is not known."""
        return self._known._get_of_tree(tree_id, key, self._since)

    def put_of_tree(self, tree_id: int, key: Any, found: Any) -> None:
        """What this session read of it; left where it was written since the session began."""
        self._known._put_of_tree(tree_id, key, found, self._since)

    def get_whole(self, work: Any, day: date) -> Any:
        """What some work on all rows came to; None where that is not known of their state now."""
        return self._known._get_whole(work, day, self._since)

    def put_whole(self, work: Any, day: date, found: Any) -> None:
        """What it came to for this session; left where anything was written since it began."""
        self._known._put_whole(work, day, self._since, found)

    def put(self, rows: Mapping[int, Any], day: date) -> None:
        """Rows that were worked out by this session; those written since it began are left."""
        self._known._put(rows, day, self._since)
