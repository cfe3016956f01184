"""Roots behind a trunk that stands before them, under the card, and forked."""

import unittest
from types import SimpleNamespace

import cv2
import numpy as np

from mirvo.core.vision.propose import SHOWN_BEHIND, _as_seen, propose_roots
from mirvo.core.vision.trace import tracer
from tests.drawn_base import base_picture, view_of

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


MIDDLE, FRONT_MM = 500.0, np.array([0.0, 1000.0])


def out_at(angle, reach_px):
    """A pixel of the drawn base so far from its middle, clockwise from up."""
    turn = np.radians(angle)
    return np.array([MIDDLE + reach_px * np.sin(turn), MIDDLE - reach_px * np.cos(turn)])


class DrawnBaseTest(unittest.TestCase):
    """Four roots at 20, 110, 200 and 300 degrees that end 260 px from the middle."""

    def proposals(self, picture, paper=None):
        view = view_of(picture, paper)
        front = view.centre_mm + FRONT_MM
        return propose_roots(tracer(view), front)

    def reaches(self, proposals, angle):
        """How far the proposals within 20 degrees of an angle lead, px."""
        ends = [one.path[-1] - MIDDLE for one in proposals]
        turns = [np.degrees(np.arctan2(x, -y)) % 360 for x, y in ends]
        near = [abs((turn - angle + 180) % 360 - 180) < 20 for turn in turns]
        return [float(np.hypot(*end)) for end, close in zip(ends, near, strict=True) if close]

    def covered(self, picture, near, far, half):
        """The picture with paper over the root at 110 degrees, and the paper's corners."""
        across = (out_at(20, 1) - MIDDLE) * half
        paper = np.array(
            [
                out_at(110, reach) + side * across
                for reach, side in ((near, -1), (near, 1), (far, 1), (far, -1))
            ]
        )
        covered = picture.copy()
        cv2.fillPoly(covered, [np.round(paper).astype(np.int32)], (240, 240, 236))
        return covered, paper

    def test_a_root_that_runs_under_the_card_is_followed_to_its_tip(self):
        picture, _ = base_picture()
        picture, paper = self.covered(picture, 140, 205, 60)
        [reach] = self.reaches(self.proposals(picture, paper), 110)
        self.assertGreater(reach, 235)
        # Without being told that paper lies there, it ends at the paper.
        self.assertLess(max(self.reaches(self.proposals(picture), 110), default=0.0), 170)

    def test_a_base_that_is_covered_may_lie_farther_to_one_side(self):
        picture, _ = base_picture()
        covered, paper = self.covered(picture, 100, 140, 40)
        for given, least, most in (
            (self.proposals(picture), 0.0, 0.8),
            (self.proposals(covered, paper), 2.0, 3.0),
        ):
            strays = [one.base_sd_px / one.points_sd_px for one in given]
            # The second of the four, in the order of the clock.
            self.assertTrue(least < strays[1] < most, strays)
            self.assertLess(max(strays[0], *strays[2:]), 0.8)

    def test_a_fork_is_no_second_root(self):
        picture, _ = base_picture()
        bark = picture[480:520, 480:520].reshape(-1, 3).mean(axis=0)
        fork = np.round([out_at(200, 185), out_at(181, 275)]).astype(np.int32)
        cv2.line(picture, tuple(map(int, fork[0])), tuple(map(int, fork[1])), bark.tolist(), 22)
        self.assertEqual(len(self.proposals(picture)), 4)


if __name__ == "__main__":
    unittest.main()
