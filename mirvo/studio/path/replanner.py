"""Planning trees anew after their records change, beside the requests.

A plan is part of what every page says of a tree: it gives the year in which the tree is due. So it
is not left to the page that draws it, which would change by being opened what the others say.
Whatever changes the records of a tree has it planned anew, and the next page waits for that.
"""

from __future__ import annotations

import logging
import threading
from concurrent.futures import Future, ThreadPoolExecutor, wait
from datetime import date

from mirvo.core.errors import NotFound
from mirvo.core.plan.records import PlannedPath
from mirvo.records.versions import SETTINGS
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.state_cache import all_versions
from mirvo.studio.measuring.desk import measure_anew, measured_by_former_formulas
from mirvo.studio.measuring.same_tree import settle_unlooked
from mirvo.studio.path.path import plan_path, trees_that_missed, trees_with_target
from mirvo.studio.standing.tree_list import list_trees

# A mark that is dragged about is saved many times; planned is what it comes to rest at.
QUIET_S = 0.6
# A page may be a moment late, but it must come.
WAIT_S = 3.0
log = logging.getLogger(__name__)


class Replanner:
    """Plans one tree after the other; pages wait for trees that were changed one by one.

    Where something that all trees rest on was changed, or a new day began, the others follow
    beside them, unwaited for.
    """

    def __init__(self, studio: Studio) -> None:
        self._studio = studio
        # Threads start with the first task, so a studio nothing is changed in has none.
        self._soon, self._later = ThreadPoolExecutor(1), ThreadPoolExecutor(1)
        self._tasks: dict[int | date, Future[None]] = {}
        self._ready: dict[int, tuple[PlannedPath, ...]] = {}
        self._all: Future[None] | None = None
        self._adding = threading.Lock()
        self._wanted, self._closed = threading.Event(), threading.Event()
        self._day: date | None = None
        with studio.reading() as db:
            self._seen = dict(all_versions(db))

    def follow(self) -> None:
        """Have the trees planned anew whose version has risen since it was last looked at."""
        with self._studio.reading() as db:
            now = all_versions(db)
        with self._adding:
            if self._closed.is_set():
                return
            # A look that was overtaken by another finds nothing new.
            risen = [scope for scope, version in now.items() if version > self._seen.get(scope, 0)]
            self._seen.update((scope, now[scope]) for scope in risen)
            for tree_id in sorted(scope for scope in risen if scope > SETTINGS):
                before = self._tasks.get(tree_id)
                # One that has not begun yet would plan the same records.
                if before is not None:
                    before.cancel()
                self._tasks[tree_id] = self._soon.submit(self._when_quiet, tree_id)
            if SETTINGS in risen:
                self._look_at_all()

    def on_day(self, day: date) -> None:
        """Look at all plans when a day is the first, or a new one: windows pass, years begin."""
        with self._adding:
            if day == self._day or self._closed.is_set():
                return
            self._day = day
            self._tasks[day] = self._soon.submit(self._plan_missed)
            self._look_at_all()

    def rest(self, wholly: bool = False) -> bool:
        """Wait until what was changed is planned; False: it takes longer than a page may.

        wholly : wait for all others too, however long that takes.
        """
        with self._adding:
            tasks = [*self._tasks.values()]
            if wholly and self._all is not None:
                tasks.append(self._all)
        self._wanted.set()
        left = wait(tasks, None if wholly else WAIT_S).not_done
        self._wanted.clear()
        with self._adding:
            self._tasks = {key: task for key, task in self._tasks.items() if not task.done()}
        return not left

    def plans(self, tree_id: int) -> bool:
        """Whether a tree's plan is being made, or is about to be."""
        with self._adding:
            task = self._tasks.get(tree_id)
        return task is not None and not task.done()

    def ready_paths(self, tree_id: int) -> tuple[PlannedPath, ...]:
        """Paths of a plan that is being made, as far as they are there."""
        return self._ready.get(tree_id, ())

    def close(self) -> None:
        """Finish the tree at work on, and stop."""
        with self._adding:
            self._closed.set()
            self._wanted.set()
        for threads in (self._soon, self._later):
            threads.shutdown(cancel_futures=True)

    def _look_at_all(self) -> None:
        if self._all is not None:
            self._all.cancel()
        self._later.submit(self._list)
        self._all = self._later.submit(self._plan_all)

    def _when_quiet(self, tree_id: int) -> None:
        self._wanted.wait(QUIET_S)
        self._plan(tree_id)

    def _list(self) -> None:
        """Work the lines of all trees out before a page asks for them."""
        try:
            with self._studio.reading() as db:
                list_trees(db, self._studio.today)
        except Exception:
            # A page that needs them works them out itself, and says what is wrong.
            log.exception("the list of trees could not be made ahead")

    def _plan_missed(self) -> None:
        for tree_id in trees_that_missed(self._studio):
            self._plan(tree_id)

    def _plan_all(self) -> None:
        self._measure_anew()
        settle_unlooked(self._studio)
        for tree_id in trees_with_target(self._studio):
            self._plan(tree_id)

    def _measure_anew(self) -> None:
        """Figures of former formulas, so that the years of a tree stay comparable."""
        with self._studio.reading() as db:
            former = measured_by_former_formulas(db)
        for measurement_id in former:
            if self._closed.is_set():
                return
            try:
                measure_anew(self._studio, measurement_id)
            except Exception:
                log.exception("measurement %d could not be worked out anew", measurement_id)

    def _plan(self, tree_id: int) -> None:
        if self._closed.is_set():
            return

        def ready(path: PlannedPath) -> None:
            self._ready[tree_id] = (*self._ready.get(tree_id, ()), path)

        try:
            plan_path(self._studio, tree_id, ready)
        except NotFound:
            # It was laid on the compost heap meanwhile.
            return
        except Exception:
            # The pages go on without a plan; the next tree must not go without one for that.
            log.exception("the path of tree %d could not be planned", tree_id)
        finally:
            self._ready.pop(tree_id, None)
