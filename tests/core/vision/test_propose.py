"""Roots that come out from behind a trunk that stands before them."""

import unittest
from types import SimpleNamespace

import numpy as np

from mirvo.core.vision.propose import SHOWN_BEHIND, _as_seen

SIDE, FOOT, TOP = 400, 40, 150


class BehindTheTrunkTest(unittest.TestCase):
    """The trunk's foot reaches to 40 cells, and it hides the ground to 150."""

    def setUp(self):
        across = np.arange(SIDE)
        trunk = np.tile(across < FOOT, (SIDE, 1))
        self.tracer = SimpleNamespace(trunk=trunk, standing=np.tile(across < TOP, (SIDE, 1)))

    def path(self, end):
        return np.stack([np.arange(FOOT, end, 6.0), np.full(len(range(FOOT, end, 6)), 200.0)], 1)

    def test_a_long_root_begins_where_it_is_seen(self):
        shown = _as_seen(self.tracer, self.path(TOP + 150))
        self.assertGreaterEqual(shown[0, 0], TOP)
        self.assertLess(shown[0, 0], TOP + 6)

    def test_a_stump_behind_it_is_not_believed(self):
        self.assertEqual(len(_as_seen(self.tracer, self.path(TOP + int(SHOWN_BEHIND) - 12))), 0)

    def test_a_root_seen_first_and_hidden_farther_out_is_left_whole(self):
        across = np.arange(SIDE)
        self.tracer.standing = np.tile(
            (across < FOOT) | ((across > 110) & (across < TOP)), (SIDE, 1)
        )
        path = self.path(TOP + 150)
        self.assertIs(_as_seen(self.tracer, path), path)

    def test_a_root_that_is_hidden_a_little_is_left_whole(self):
        self.tracer.standing = self.tracer.standing & (np.arange(SIDE) < FOOT + 20)
        path = self.path(TOP + 200)
        self.assertIs(_as_seen(self.tracer, path), path)


if __name__ == "__main__":
    unittest.main()
