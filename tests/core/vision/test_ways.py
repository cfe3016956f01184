"""Ways over maps drawn for the purpose: roots that cross, fork, curl and end."""

import unittest

import cv2
import numpy as np

from mirvo.core.measure.geometry import dense
from mirvo.core.vision.ways import HEADINGS, find_ways

SIDE = 301
MIDDLE = SIDE // 2
TRUNK = 30


def map_of(*roots, half=5):
    """Ridge and headings (SIDE, SIDE) of roots given by their lines; the last lies on top."""
    ridge = np.full((SIDE, SIDE), 0.02, np.float32)
    ahead = np.zeros((SIDE, SIDE, 2), np.float32)
    for line in roots:
        fine = dense(np.asarray(line, float), 1.0)
        out = np.gradient(fine, axis=0)
        out /= np.hypot(*out.T)[:, None]
        for (x, y), way in zip(fine, out, strict=True):
            here = np.zeros((SIDE, SIDE), np.uint8)
            cv2.circle(here, (round(x), round(y)), half, 1, -1)
            ridge[here > 0], ahead[here > 0] = 0.9, way
    return ridge, ahead


def ways_over(ridge, ahead, dearer=None):
    trunk = np.zeros((SIDE, SIDE), np.uint8)
    cv2.circle(trunk, (MIDDLE, MIDDLE), TRUNK, 1, -1)
    near = cv2.dilate((ridge > 0.1).astype(np.uint8), np.ones((25, 25))) > 0
    none = np.zeros((SIDE, SIDE))
    return find_ways(
        ridge, ahead, trunk > 0, near | (trunk > 0), none if dearer is None else dearer
    )


def away(way, line):
    """How far a way strays from a line at most, cells."""
    fine = dense(np.asarray(line, float), 1.0)
    return max(np.hypot(*(fine - spot).T).min() for spot in way)


# A thick root curls across a straight one, which is the shorter way to the curl's end.
STRAIGHT = [(MIDDLE + 28, MIDDLE - 10), (MIDDLE + 140, MIDDLE - 66)]
CURL = [(MIDDLE + 20, MIDDLE + 24)] + [
    (MIDDLE + 55 + 45 * np.sin(turn), MIDDLE - 20 - 45 * np.cos(turn))
    for turn in np.linspace(2.6, -0.1, 30)
]


class CrossingTest(unittest.TestCase):
    def setUp(self):
        self.ways = ways_over(*map_of(STRAIGHT, CURL))

    def test_a_curl_is_followed_past_what_it_crosses(self):
        way = self.ways.to((round(CURL[-1][0]), round(CURL[-1][1])))
        self.assertLess(away(way, CURL), 12)
        shorter = np.hypot(*(way - STRAIGHT[0]).T).min()
        self.assertGreater(shorter, 12, "it went out along the straight root")

    def test_a_root_goes_on_straight_under_the_curl(self):
        way = self.ways.to((round(STRAIGHT[-1][0]), round(STRAIGHT[-1][1])))
        self.assertLess(away(way, STRAIGHT), 8)

    def test_ways_begin_at_the_rim_and_end_where_asked(self):
        tip = (round(STRAIGHT[-1][0]), round(STRAIGHT[-1][1]))
        way = self.ways.to(tip)
        self.assertAlmostEqual(np.hypot(*(way[0] - MIDDLE)), TRUNK, delta=5)
        np.testing.assert_array_equal(way[-1], tip)
        self.assertLess(np.hypot(*np.diff(way, axis=0).T).max(), 7)


# A root arches over its straight neighbour and comes down across it.
ARCH = [
    (MIDDLE + 70 - 55 * np.cos(turn), MIDDLE - 26 - 55 * np.sin(turn))
    for turn in np.linspace(0.0, np.pi, 40)
] + [(MIDDLE + 125, MIDDLE - 6)]
NEIGHBOUR = [(MIDDLE + 30, MIDDLE - 20), (MIDDLE + 160, MIDDLE - 20)]


class ArchTest(unittest.TestCase):
    def test_the_long_way_round_along_a_root_is_cheaper_than_a_short_one_that_leaves_it(self):
        ridge, ahead = map_of(NEIGHBOUR, ARCH)
        # The model is half sure of what it sees.
        way = ways_over(ridge, 0.5 * ahead).to((round(ARCH[-1][0]), round(ARCH[-1][1])))
        self.assertLess(away(way, ARCH), 12)


class GraphTest(unittest.TestCase):
    def test_costs_rise_along_a_way_and_steps_count_up(self):
        ways = ways_over(*map_of(STRAIGHT))
        depth = np.full(len(ways.before), -1)
        orderly = ways.in_order()
        depth[orderly.nodes] = 0
        for number, (low, high) in enumerate(orderly.steps, start=1):
            nodes, before = orderly.nodes[low:high], orderly.nodes[orderly.before[low:high]]
            depth[nodes] = number
            self.assertTrue((ways.cost[nodes] > ways.cost[before]).all())
            np.testing.assert_array_equal(before, ways.before[nodes])
        for node in np.flatnonzero(depth > 0)[::997]:
            self.assertEqual(len(ways.nodes_to(int(node))), depth[node] + 1)

    def test_what_is_dearer_is_gone_round(self):
        ridge, ahead = map_of([(MIDDLE + 28, MIDDLE), (MIDDLE + 140, MIDDLE)], half=12)
        wall = np.zeros((SIDE, SIDE))
        wall[MIDDLE - 4 : MIDDLE + 20, MIDDLE + 60 : MIDDLE + 70] = 50.0
        way = ways_over(ridge, ahead, wall).to((MIDDLE + 130, MIDDLE))
        passing = way[np.abs(way[:, 0] - MIDDLE - 65).argmin()]
        self.assertLess(passing[1], MIDDLE - 4)
        self.assertLess(
            away(
                ways_over(ridge, ahead).to((MIDDLE + 130, MIDDLE)),
                [(MIDDLE + 28, MIDDLE), (MIDDLE + 140, MIDDLE)],
            ),
            8,
        )

    def test_no_way_leads_where_nothing_is_open(self):
        ways = ways_over(*map_of(STRAIGHT))
        self.assertFalse(ways.reach((5, SIDE - 5)))
        self.assertEqual(len(ways.nodes_at((5, SIDE - 5))), 0)
        # The last odd row of cells belongs to the last square.
        self.assertFalse(ways.reach((SIDE - 1, SIDE - 1)))
        self.assertEqual(len(ways.cost), len(ways.places) * HEADINGS)


if __name__ == "__main__":
    unittest.main()
