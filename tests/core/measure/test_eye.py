"""What two rounds of clicks say of an eye, against hands of known error."""

import unittest

import numpy as np

from mirvo.core.errors import BadInput
from mirvo.core.measure.eye import MIN_DEVIATION_PX, eye_result

TRUTH = np.random.default_rng(0).uniform(100, 1900, (12, 2))


def hand(seed, sd=1.5, bias=(0.0, 0.0)):
    return TRUTH + np.random.default_rng(seed).normal(0, sd, TRUTH.shape) + bias


class EyeTest(unittest.TestCase):
    def test_many_hands_give_back_their_own_error(self):
        found = [eye_result(hand(2 * i), hand(2 * i + 1), TRUTH) for i in range(60)]
        self.assertAlmostEqual(np.mean([one.deviation for one in found]), 1.5, delta=0.08)
        self.assertAlmostEqual(np.mean([one.repeat for one in found]), 1.5, delta=0.08)
        held = [abs(one.bias_right) <= one.bias_plus_minus for one in found]
        self.assertGreaterEqual(np.mean(held), 0.85)

    def test_a_leaning_hand(self):
        found = eye_result(hand(1, 0.5, (4, -2)), hand(2, 0.5, (4, -2)), TRUTH)
        self.assertAlmostEqual(found.bias_right, 4, delta=0.4)
        self.assertAlmostEqual(found.bias_down, -2, delta=0.4)
        self.assertLess(found.repeat, 1.0)
        self.assertGreater(found.deviation, 2.5)

    def test_slips_are_left_out_and_counted(self):
        first = hand(3)
        first[4] += 300
        found = eye_result(first, hand(4), TRUTH)
        self.assertEqual((found.strays, found.clicks), (2, 22))
        self.assertLess(found.deviation, 2.5)

    def test_nobody_is_perfect(self):
        self.assertEqual(eye_result(TRUTH, TRUTH, TRUTH).deviation, MIN_DEVIATION_PX)

    def test_too_many_slips(self):
        with self.assertRaises(BadInput):
            eye_result(hand(5) + 500, hand(6), TRUTH)
