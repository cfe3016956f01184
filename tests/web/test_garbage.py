"""Garbage is collected beside the work, and never by an allocation."""

import gc
import time
import unittest
import weakref
from unittest.mock import patch

from mirvo.web import garbage


class Knot:
    """Something that only the collector frees."""

    def __init__(self):
        self.itself = self


class CollectBesideTest(unittest.TestCase):
    def test_knots_go_without_an_allocation_collecting_them(self):
        # The tests are run with one of their own.
        self.addCleanup(gc.enable if gc.isenabled() else gc.disable)
        with patch.object(garbage, "YOUNG_S", 0.02), patch.object(garbage, "ALL_S", 0.06):
            collector = garbage.collect_beside()
            self.addCleanup(gc.unfreeze)
            self.addCleanup(collector.stop)
            self.assertFalse(gc.isenabled())
            gone = weakref.ref(Knot())
            patience = time.monotonic() + 10
            while gone() is not None and time.monotonic() < patience:
                time.sleep(0.01)
            self.assertIsNone(gone())
            collector.stop()
            self.assertTrue(gc.isenabled())
