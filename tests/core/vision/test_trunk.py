"""Where the roots come from, on maps drawn by hand: what the model would see of a dark trunk."""

from __future__ import annotations

import unittest

import numpy as np

from mirvo.core.vision.root_model import PX_PER_TRUNK, SeenRoots
from mirvo.core.vision.trunk import _foot, _Look

SIDE, FOOT = 480, np.array([260.0, 220.0])


def look_at(azimuths_deg: list[float], about: np.ndarray = FOOT, far: float = 2.5) -> _Look:
    """Straight roots a fifth of a trunk wide, from half a trunk to `far` trunks; no trunk seen."""
    y, x = np.indices((SIDE, SIDE)).astype(float)
    root, ahead = np.zeros((SIDE, SIDE), np.float32), np.zeros((SIDE, SIDE, 2), np.float32)
    for azimuth in np.radians(azimuths_deg):
        way = np.array([np.sin(azimuth), -np.cos(azimuth)])
        along = ((x - about[0]) * way[0] + (y - about[1]) * way[1]) / PX_PER_TRUNK
        aside = ((x - about[0]) * way[1] - (y - about[1]) * way[0]) / PX_PER_TRUNK
        here = (along > 0.5) & (along < far) & (np.abs(aside) < 0.1)
        root[here], ahead[here] = 0.9, way
    nothing = np.zeros_like(root)
    return _Look(SeenRoots(root, nothing, root, ahead), 1.0, np.zeros(2), float(PX_PER_TRUNK))


class WhereRootsMeet(unittest.TestCase):
    def test_the_foot_is_where_roots_of_several_sides_come_from(self):
        found = _foot(look_at([10, 80, 150, 230, 300]))
        self.assertLess(np.hypot(*(found.at - FOOT)) / PX_PER_TRUNK, 0.15)

    def test_so_it_is_where_all_roots_run_to_one_half(self):
        found = _foot(look_at([-60, 0, 60]))
        self.assertLess(np.hypot(*(found.at - FOOT)) / PX_PER_TRUNK, 0.3)

    def test_one_thick_thing_alone_is_far_less_of_a_foot(self):
        roots, branch = _foot(look_at([20, 90, 160, 240, 310])), _foot(look_at([45], far=3.5))
        self.assertGreater(roots.clear, 2.5 * branch.clear)

    def test_little_sprigs_elsewhere_do_not_draw_it_away(self):
        tree = look_at([10, 80, 150, 230, 300])
        sprigs = look_at([0, 72, 144, 216, 288], np.array([90.0, 400.0]), 0.75)
        both = SeenRoots(
            np.maximum(tree.seen.root, sprigs.seen.root),
            tree.seen.trunk,
            tree.seen.crest,
            tree.seen.ahead + sprigs.seen.ahead,
        )
        found = _foot(_Look(both, 1.0, np.zeros(2), float(PX_PER_TRUNK)))
        self.assertLess(np.hypot(*(found.at - FOOT)) / PX_PER_TRUNK, 0.15)

    def test_without_roots_there_is_none(self):
        self.assertIsNone(_foot(look_at([])))


if __name__ == "__main__":
    unittest.main()
