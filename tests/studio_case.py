"""A studio in a temporary folder with a fixed day, for tests."""

import shutil
import tempfile
import unittest
from datetime import UTC, datetime
from pathlib import Path

from mirvo.standins.base import random_base
from mirvo.studio.context import Studio
from mirvo.studio.photos import photograph, truth_of
from mirvo.studio.trees import TreeForm, add_tree

TODAY = datetime(2026, 11, 23, 9, 0, tzinfo=UTC)


class StudioCase(unittest.TestCase):
    """A fresh studio for every test; what `prepare` does is done once and copied."""

    prepared = None

    def setUp(self):
        self.folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, self.folder, ignore_errors=True)
        if type(self).prepared is not None:
            shutil.copytree(type(self).prepared, self.folder / "data")
        self.studio = self.opened()
        if type(self).prepared is None and type(self).prepare is not StudioCase.prepare:
            self.prepare()
            self.studio.close()
            kept = Path(tempfile.mkdtemp()) / "data"
            self.addClassCleanup(shutil.rmtree, kept.parent, ignore_errors=True)
            shutil.copytree(self.folder / "data", kept)
            type(self).prepared = kept
            self.studio = self.opened()
        self.addCleanup(self.studio.close)

    def opened(self):
        return Studio(self.folder / "data", clock=lambda: TODAY)

    def prepare(self):
        """Costly things every test of the class begins with."""

    def tree(self, **changes):
        values = {"name": "Ferry zelkova", "species_key": "zelkova", **changes}
        return add_tree(self.studio, TreeForm.model_validate(values))

    def photo(self, tree, seed=3, taken_on=None, size=(800, 600)):
        """A small simulated photo, and the marks that fit it."""
        day = taken_on or self.studio.today
        base = random_base(seed, 44)
        photo = photograph(self.studio, tree.id, base, seed, day, "top", size=size)
        return photo, truth_of(self.studio, photo)["marks"]
