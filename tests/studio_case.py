"""A studio in a temporary folder with a fixed day, for tests."""

import shutil
import tempfile
import unittest
from datetime import UTC, datetime
from functools import cache
from multiprocessing.util import Finalize
from pathlib import Path

from mirvo.core.limits.trees import TreeFields
from mirvo.standins.base import random_base
from mirvo.standins.photo import shoot
from mirvo.studio.ground.context import KEY_FILE, Studio
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.ground.vision_worker import VisionWorker
from mirvo.studio.measuring.desk import open_desk
from mirvo.studio.path.path import path_view, plan_path
from mirvo.studio.photos.photo_queries import load_photo, photos_of
from mirvo.studio.photos.simulated import photograph, truth_of
from mirvo.studio.standing.tree_list import list_trees
from mirvo.studio.standing.tree_queries import cuts_of, load_tree, sessions_of
from mirvo.studio.yard.sheet import sheet_of
from mirvo.studio.yard.trees import add_tree

TODAY = datetime(2026, 11, 23, 9, 0, tzinfo=UTC)


def at_the_end(task, *args):
    """Have something done before this process ends.

    A process of the suite leaves out what `atexit` holds, and waits for its own processes.
    """
    Finalize(None, task, args, exitpriority=1)


@cache
def empty_studio():
    """A folder with an empty, migrated database, made once for all tests of a process."""
    folder = Path(tempfile.mkdtemp())
    at_the_end(shutil.rmtree, folder, True)
    Studio(folder / "data").close()
    return folder / "data"


def other_studio(now=TODAY):
    """A studio of somebody else, empty, that knows nothing of the one under test."""
    folder = Path(tempfile.mkdtemp())
    at_the_end(shutil.rmtree, folder, True)
    shutil.copytree(empty_studio(), folder / "data")
    (folder / "data" / KEY_FILE).unlink(missing_ok=True)
    return Studio(folder / "data", clock=lambda: now)


@cache
def rendered(seed, day, size):
    """A simulated photo and its truth, rendered once for all tests of a process."""
    return shoot(random_base(seed, 44), seed, day, size)


class KeptVision(VisionWorker):
    """The process that looks at photos, kept from test to test: it is slow to start."""

    def close(self):
        self.stop()


@cache
def kept_vision():
    worker = KeptVision()
    at_the_end(VisionWorker.close, worker)
    return worker


class StudioCase(unittest.TestCase):
    """A fresh studio for every test; what `prepare` does is done once and copied."""

    prepared = None

    def setUp(self):
        self.folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, self.folder, ignore_errors=True)
        shutil.copytree(type(self).prepared or empty_studio(), self.folder / "data")
        self.studio = self.opened()
        if type(self).prepared is None and type(self).prepare is not StudioCase.prepare:
            self.prepare()
            self.studio.close()
            kept = Path(tempfile.mkdtemp()) / "data"
            self.addClassCleanup(shutil.rmtree, kept.parent, ignore_errors=True)
            # A test run once more begins with things of its own.
            self.addClassCleanup(setattr, type(self), "prepared", None)
            shutil.copytree(self.folder / "data", kept)
            type(self).prepared = kept
            self.studio = self.opened()
        self.addCleanup(lambda: self.studio.close())

    def opened(self, now=TODAY):
        studio = Studio(self.folder / "data", clock=lambda: now)
        studio.vision = kept_vision()
        # What takes a while is waited for, so that a busy machine shows no bar where none is meant.
        studio.jobs.patience_s = 120.0
        return studio

    def prepare(self):
        """Costly things every test of the class begins with."""

    def read(self, query, *args):
        """What a query says of the studio as it stands."""
        with self.studio.reading() as db:
            return query(db, *args)

    def tree(self, **changes):
        values = {"name": "Ferry zelkova", "species_key": "zelkova", **changes}
        return add_tree(self.studio, TreeFields.model_validate(values))

    def photo(self, tree, seed=3, taken_on=None, size=(800, 600)):
        """A small simulated photo, and the marks that fit it."""
        day = taken_on or self.studio.today
        base, shot = random_base(seed, 44), rendered(seed, day, size)
        photo = photograph(self.studio, tree.id, base, seed, day, size, shot)
        return photo, truth_of(self.studio, photo)["marks"]

    def planned(self, tree_id):
        """The path of a tree, planned anew where its records have changed."""
        plan_path(self.studio, tree_id)
        return self.path_view(tree_id)

    def path_view(self, tree_id):
        return self.read(path_view, tree_id, self.studio.today)

    def sheet_of(self, tree_id):
        return self.read(sheet_of, tree_id, self.studio.today)

    def list_trees(self, words=""):
        return self.read(list_trees, self.studio.today, words)

    def open_desk(self, photo_id):
        return self.read(open_desk, self.studio, photo_id)

    def marks_of(self, photo_id):
        """The marks of a photo as the browser has them."""
        return self.open_desk(photo_id).marks.as_json()

    def load_tree(self, tree_id):
        return self.read(load_tree, tree_id)

    def load_photo(self, photo_id):
        return self.read(load_photo, photo_id)

    def photos_of(self, tree_id):
        return self.read(photos_of, tree_id)

    def sessions_of(self, tree_id):
        return self.read(sessions_of, tree_id)

    def cuts_of(self, session):
        """What a session decided and did, by root."""
        found = self.read(cuts_of, session.tree_id).get(session.id, ())
        return {one.label: one.cut for one in found}

    def yard(self):
        return self.read(yard_of)
