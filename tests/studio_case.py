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
    def setUp(self):
        self.folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, self.folder, ignore_errors=True)
        self.studio = Studio(self.folder / "data", clock=lambda: TODAY)
        self.addCleanup(self.studio.close)

    def tree(self, **changes):
        values = {"name": "Ferry zelkova", "species_key": "zelkova", **changes}
        return add_tree(self.studio, TreeForm.model_validate(values))

    def photo(self, tree, seed=3, taken_on=None, size=(800, 600)):
        """A small simulated photo, and the marks that fit it."""
        day = taken_on or self.studio.today
        base = random_base(seed, 44)
        photo = photograph(self.studio, tree.id, base, seed, day, "top", size=size)
        return photo, truth_of(self.studio, photo)["marks"]
