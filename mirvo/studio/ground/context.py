"""What every use case works with: one data folder, opened, and the clock."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from datetime import UTC, date, datetime
from hashlib import sha256
from pathlib import Path
from secrets import token_hex
from threading import Lock
from typing import Protocol

from sqlalchemy import Engine

from mirvo.core.plan.records import PlannedPath
from mirvo.records.database import DbSession, as_utc, open_database, reading, writing
from mirvo.records.photos import PhotoStore
from mirvo.studio.ground.jobs import Jobs
from mirvo.studio.ground.state_cache import SNAPSHOT, Snapshot, StudioState
from mirvo.studio.ground.throttle import Throttle
from mirvo.studio.ground.vision_worker import VisionWorker

KEY_FILE, KEY_BYTES = "studio-key", 8
SECRET_FILE, SECRET_BYTES = "studio-secret", 32


class Follower(Protocol):
    """What follows the changes of a studio, and ends with it."""

    def follow(self) -> None: ...

    def on_day(self, day: date) -> None: ...

    def rest(self, wholly: bool = False) -> bool: ...

    def plans(self, tree_id: int) -> bool: ...

    def ready_paths(self, tree_id: int) -> tuple[PlannedPath, ...]: ...

    def close(self) -> None: ...


@dataclass
class Studio:
    """One data folder, opened.

    Readings take a database session from `reading()`; a use case that changes something opens
    one transaction with `writing()`. key : tells it from any other studio in a browser.
    """

    folder: Path
    clock: Callable[[], datetime] = lambda: datetime.now(UTC)
    engine: Engine = field(init=False)
    photos: PhotoStore = field(init=False)
    vision: VisionWorker = field(init=False)
    planning: Lock = field(init=False, default_factory=Lock)
    replanner: Follower | None = field(init=False, default=None)
    state: StudioState = field(init=False, default_factory=StudioState)
    throttle: Throttle = field(init=False, default_factory=Throttle)
    jobs: Jobs = field(init=False, default_factory=Jobs)
    key: str = field(init=False)
    _secret_lock: Lock = field(init=False, repr=False, default_factory=Lock)

    def __post_init__(self) -> None:
        self.engine = open_database(self.folder)
        self.photos = PhotoStore(self.folder)
        self.vision = VisionWorker()
        self.key = _key_of(self.folder)

    def close(self) -> None:
        """Let go of the database file and the process that looks at photos."""
        if self.replanner is not None:
            self.replanner.close()
        self.jobs.close()
        self.vision.close()
        self.engine.dispose()

    @contextmanager
    def reading(self) -> Iterator[DbSession]:
        """A session that reads one state of the database."""
        with reading(self.engine) as db:
            db.info[SNAPSHOT] = Snapshot(self.state)
            yield db

    @contextmanager
    def writing(self) -> Iterator[DbSession]:
        """A session in one transaction; what it changed is planned anew once it is kept."""
        with writing(self.engine) as db:
            yield db
        if self.replanner is not None:
            self.replanner.follow()

    def settle(self, wholly: bool = False) -> None:
        """Wait, for a moment at most, until plans follow the records as they are today.

        wholly : however long it takes, and for what all trees rest on too.
        """
        if self.replanner is not None:
            self.replanner.on_day(self.today)
            self.replanner.rest(wholly)

    def plans(self, tree_id: int) -> bool:
        """Whether a tree's plan is being made, or is about to be."""
        return self.replanner is not None and self.replanner.plans(tree_id)

    def ready_paths(self, tree_id: int) -> tuple[PlannedPath, ...]:
        """Paths of a plan that is being made, as far as they are there."""
        return () if self.replanner is None else self.replanner.ready_paths(tree_id)

    @property
    def now(self) -> datetime:
        return as_utc(self.clock())

    @property
    def today(self) -> date:
        return self.clock().date()

    @property
    def secret(self) -> str:
        """What this computer signs cookies with; it never leaves it, in no backup either."""
        path = self.folder / SECRET_FILE
        with self._secret_lock:
            if not path.exists():
                path.touch(mode=0o600)
                path.write_text(token_hex(SECRET_BYTES), "ascii")
            return path.read_text("ascii").strip()

    @property
    def standins(self) -> Path:
        """Truth of simulated photos, beside the photos."""
        return self.folder / "standins"


def _key_of(folder: Path) -> str:
    """What tells this data folder from any other in a browser that knows both by one address."""
    path = folder / KEY_FILE
    # A damaged key must not keep the studio from opening.
    with suppress(OSError, ValueError):
        path.touch(exist_ok=True)
        if not (known := path.read_text("ascii").strip()):
            known = token_hex(KEY_BYTES)
            path.write_text(known, "ascii")
        return known
    # Where none can be kept, the folder's place tells it apart.
    return sha256(str(folder.resolve()).encode()).hexdigest()[: 2 * KEY_BYTES]
