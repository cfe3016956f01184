"""What was worked out of each tree's records for lists, kept until those records change.

A list of a thousand trees would otherwise judge each of them anew for every page. What is kept
holds for one day, and only for readers whose state of the database it was worked out of: a tree
that is being written, or was since a reader began, is worked out by that reader itself.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Mapping
from datetime import date
from functools import wraps
from threading import Lock
from typing import TYPE_CHECKING, Any, Concatenate, ParamSpec, TypeVar
from weakref import WeakKeyDictionary

from mirvo.records.changes import Changes
from mirvo.records.database import DbSession

if TYPE_CHECKING:
    from mirvo.studio.yard.tree_list import TreeRow

# The name under which a reading session carries what its reader may use.
KNOWN = "known_rows"
P = ParamSpec("P")
T = TypeVar("T")


def once_a_row(
    work: Callable[Concatenate[TreeRow, P], T],
) -> Callable[Concatenate[TreeRow, P], T]:
    """What follows from a row and the yard's settings alone, worked out once for each row.

    A row is made anew when anything it was worked out of changes, the settings too; what followed
    from it goes with it. The outcome must not hold the row.
    """
    known: WeakKeyDictionary[TreeRow, T] = WeakKeyDictionary()

    @wraps(work)
    def worked(row: TreeRow, /, *args: P.args, **named: P.kwargs) -> T:
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


class KnownRows:
    """Rows of all trees for one day, shared by all readers of a studio."""

    def __init__(self) -> None:
        self._lock = Lock()
        self._day: date | None = None
        self._rows: dict[int, TreeRow] = {}
        # What follows from all rows: by what worked it out, and the count it holds for.
        self._whole: dict[Any, tuple[int, date, Any]] = {}
        # Counts what was written; when each tree was last, and when all of them were.
        self._now = 0
        self._written: dict[int, int] = {}
        self._all_written = 0
        self._being_written: Counter[int] = Counter()
        self._all_being_written = 0

    def reader(self) -> Reader:
        """For one reading session, asked for before it reads anything."""
        with self._lock:
            return Reader(self, self._now)

    def begun(self, trees: Iterable[int], everything: bool) -> None:
        """Trees are being written: what is known of them may not be what a reader will see."""
        with self._lock:
            self._being_written.update(trees)
            self._all_being_written += everything

    def ended(self, changes: Changes) -> None:
        """What was being written is kept now, or was given up."""
        if not changes.rows and not changes.all_rows:
            return
        with self._lock:
            self._now += 1
            for tree_id in changes.rows:
                self._rows.pop(tree_id, None)
                self._written[tree_id] = self._now
            self._being_written.subtract(changes.rows.elements())
            if changes.all_rows:
                self._rows.clear()
                self._all_written = self._now
                self._all_being_written -= changes.all_rows

    def _free(self, tree_id: int) -> bool:
        return not self._all_being_written and self._being_written[tree_id] <= 0

    def _get(self, ids: Iterable[int], day: date) -> dict[int, TreeRow]:
        with self._lock:
            if day != self._day:
                return {}
            rows = self._rows
            return {one: rows[one] for one in ids if one in rows and self._free(one)}

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

    def _put(self, rows: Mapping[int, TreeRow], day: date, since: int) -> None:
        with self._lock:
            if day != self._day:
                self._rows, self._day = {}, day
            if self._all_written > since:
                return
            for tree_id, row in rows.items():
                if self._written.get(tree_id, 0) <= since and self._free(tree_id):
                    self._rows[tree_id] = row


class Reader:
    """What one reading session may use of the rows, and add to them."""

    def __init__(self, known: KnownRows, since: int) -> None:
        self._known, self._since = known, since

    def get(self, ids: Iterable[int], day: date) -> dict[int, TreeRow]:
        """Rows that are known, by the number of their tree."""
        return self._known._get(ids, day)  # both are one thing

    def get_whole(self, work: Any, day: date) -> Any:
        """What some work on all rows came to; None where that is not known of their state now."""
        return self._known._get_whole(work, day, self._since)

    def put_whole(self, work: Any, day: date, found: Any) -> None:
        """What it came to for this session; left where anything was written since it began."""
        self._known._put_whole(work, day, self._since, found)

    def put(self, rows: Mapping[int, TreeRow], day: date) -> None:
        """Rows that were worked out by this session; those written since it began are left."""
        self._known._put(rows, day, self._since)
