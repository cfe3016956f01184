"""What was worked out of the records, kept under the versions of what it rests on.

A version is read in the same snapshot of the database as the records, so what is kept under it is
what the reader would work out itself. Nothing listens for changes and nothing is thrown away in
time: a value under another version is simply not found. Sessions that write keep and use nothing.

What is kept must follow from the records its version covers, the day if it is among the arguments,
and nothing else; see `mirvo.records.versions`. It is shared by all readers, so none may change it.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from functools import wraps
from threading import Lock
from typing import Any, Concatenate, ParamSpec, TypeVar

from sqlalchemy import select

from mirvo.records.database import DbSession
from mirvo.records.models import StateVersion
from mirvo.records.versions import SETTINGS, SHELF

# Under this a reading session carries its snapshot.
SNAPSHOT = "snapshot"
# What is kept of single trees: those looked at last, as many as pages are open at once.
MAX_TREES = 32
# What follows from all trees, by function and arguments.
MAX_LISTS = 64
ALL_TREES = "all trees"
Version = tuple[int, ...]
P = ParamSpec("P")
T = TypeVar("T")


class StateCache:
    """Values by scope and key, each scope under one version; shared by all readers of a studio."""

    def __init__(self, max_scopes: int = MAX_TREES) -> None:
        self._lock = Lock()
        self._max_scopes = max_scopes
        self._scopes: OrderedDict[Hashable, tuple[Version, dict[Hashable, Any]]] = OrderedDict()

    def __len__(self) -> int:
        return len(self._scopes)

    def find(self, scope: Hashable, version: Version, key: Hashable) -> tuple[bool, Any]:
        """Whether a value is kept under just this version, and the value."""
        with self._lock:
            kept_under, values = self._scopes.get(scope, ((), {}))
            if kept_under != version or key not in values:
                return False, None
            self._scopes.move_to_end(scope)
            return True, values[key]

    def keep(self, scope: Hashable, version: Version, key: Hashable, value: Any) -> None:
        """Keep a value; a newer version takes the place of all that was kept under an older one."""
        with self._lock:
            kept_under, values = self._scopes.get(scope, ((), {}))
            if version < kept_under:
                # A reader that began earlier leaves what is newer alone.
                return
            if version != kept_under:
                values = {}
            values[key] = value
            self._scopes[scope] = (version, values)
            self._scopes.move_to_end(scope)
            if len(self._scopes) > self._max_scopes:
                self._scopes.popitem(last=False)


class StudioState:
    """All that a studio keeps in memory of its records.

    trees : of single trees. rows : the line of each tree in lists. lists : what follows from all.
    """

    def __init__(self) -> None:
        self.trees = StateCache()
        self.rows = StateCache(max_scopes=1_000_000)
        self.lists = StateCache(max_scopes=MAX_LISTS)


class Snapshot:
    """The versions as one reading session's snapshot of the database has them."""

    def __init__(self, state: StudioState) -> None:
        self.state = state
        self._known: dict[int, int] | None = None

    def version(self, db: DbSession, *scopes: int) -> Version:
        """The versions of some scopes; 0 for one that never changed."""
        known = self._all(db)
        return tuple(known.get(scope, 0) for scope in scopes)

    def total(self, db: DbSession) -> Version:
        """One version of everything: no count ever falls, so their sum tells all states apart."""
        return (sum(self._all(db).values()),)

    def _all(self, db: DbSession) -> dict[int, int]:
        if self._known is None:
            # All at once: a page asks for several, and a thousand trees' are read in a millisecond.
            self._known = all_versions(db)
        return self._known


def snapshot_of(db: DbSession) -> Snapshot | None:
    """The snapshot of a reading session; None in one that writes."""
    found: Snapshot | None = db.info.get(SNAPSHOT)
    return found


def all_versions(db: DbSession) -> dict[int, int]:
    """Every scope's version now."""
    return dict(db.execute(select(StateVersion.tree_id, StateVersion.version)).all())


def kept_by_tree(
    read: Callable[Concatenate[DbSession, int, P], T],
) -> Callable[Concatenate[DbSession, int, P], T]:
    """What follows from one tree's records and the settings, worked out once for each version."""

    @wraps(read)
    def kept(db: DbSession, tree_id: int, /, *args: P.args, **named: P.kwargs) -> T:
        snapshot = snapshot_of(db)
        if snapshot is None:
            return read(db, tree_id, *args, **named)
        version = snapshot.version(db, SETTINGS, tree_id)
        key = (read, args, tuple(named.items()))
        return _kept(
            snapshot.state.trees,
            tree_id,
            version,
            key,
            lambda: _detached(db, lambda own: read(own, tree_id, *args, **named)),
        )

    return kept  # type: ignore[return-value] # wraps keeps the parameter's own name


def kept_by_settings(read: Callable[[DbSession], T]) -> Callable[[DbSession], T]:
    """The same of what follows from settings, soil and supplies alone."""

    @wraps(read)
    def kept(db: DbSession) -> T:
        snapshot = snapshot_of(db)
        if snapshot is None:
            return read(db)
        version = snapshot.version(db, SETTINGS, SHELF)
        return _kept(snapshot.state.trees, SETTINGS, version, read, lambda: _detached(db, read))

    return kept


def kept_for_all(
    read: Callable[Concatenate[DbSession, P], T],
) -> Callable[Concatenate[DbSession, P], T]:
    """The same of what follows from all trees together."""

    @wraps(read)
    def kept(db: DbSession, /, *args: P.args, **named: P.kwargs) -> T:
        snapshot = snapshot_of(db)
        if snapshot is None:
            return read(db, *args, **named)
        key = (read, args, tuple(named.items()))
        return _kept(
            snapshot.state.lists,
            key,
            snapshot.total(db),
            ALL_TREES,
            lambda: _detached(db, lambda own: read(own, *args, **named)),
        )

    return kept  # type: ignore[return-value] # as above


def _kept(
    cache: StateCache, scope: Hashable, version: Version, key: Hashable, make: Callable[[], T]
) -> T:
    found, value = cache.find(scope, version, key)
    if not found:
        value = make()
        cache.keep(scope, version, key, value)
    return value  # type: ignore[no-any-return]


def _detached(db: DbSession, read: Callable[[DbSession], T]) -> T:
    """What is read in a session of its own on the same snapshot, so that its rows outlive it."""
    own = DbSession(db.connection(), expire_on_commit=False, autoflush=False)
    own.info.update(db.info)
    try:
        return read(own)
    finally:
        # Its rows are nobody's from now on; the snapshot goes on.
        own.close()
