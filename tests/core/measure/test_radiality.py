"""Radiality against hand-worked root rings and published circular statistics."""

import unittest

import numpy as np

from mirvo.core.measure.radiality import radiality


def measure(azimuths, weights=None, errors=None):
    count = len(azimuths)
    weights = [1.0] * count if weights is None else weights
    errors = [0.0] * count if errors is None else errors
    return radiality(*(np.array([row], dtype=float) for row in (azimuths, weights, errors)))


class RadialityTest(unittest.TestCase):
    def test_eight_even_roots_score_a_hundred(self):
        found = measure(range(0, 360, 45))
        self.assertAlmostEqual(found.index[0], 100.0, places=6)
        self.assertEqual(found.open_arcs, [])
        self.assertAlmostEqual(found.largest_gap_deg[0], 45.0)

    def test_two_opposite_roots_score_a_third(self):
        found = measure([0, 180])
        self.assertAlmostEqual(found.coverage[0], 1 / 3)
        self.assertAlmostEqual(found.evenness[0], 1.0)
        self.assertAlmostEqual(found.balance[0], 1.0)
        self.assertAlmostEqual(found.index[0], 100 / 3)

    def test_no_root_gives_nothing_and_one_gap_all_round(self):
        found = radiality(np.zeros((3, 0)), np.zeros((3, 0)), np.zeros((3, 0)))
        for part in ("index", "coverage", "evenness", "balance", "heading"):
            self.assertEqual(getattr(found, part)[0], 0.0)
        self.assertEqual(found.largest_gap_deg[0], 360.0)
        self.assertIsNone(found.largest_gap_middle_deg)

    def test_one_root_covers_an_hour_each_side_and_has_no_evenness(self):
        found = measure([100])
        self.assertAlmostEqual(found.coverage[0], 60 / 360)
        self.assertEqual(found.evenness[0], 0.0)
        self.assertEqual(found.index[0], 0.0)
        self.assertEqual(found.open_arcs, [(130.0, 70.0)])

    def test_mean_resultant_length_of_published_roulette_data(self):
        """Mardia & Jupp (2000), example 2.1: nine stops of a wheel, mean resultant 0.711."""
        stops = [43, 45, 52, 61, 75, 88, 88, 279, 357]
        self.assertAlmostEqual(1 - measure(stops).balance[0], 0.711, places=3)

    def test_rao_spacing_of_a_hand_worked_ring(self):
        # gaps 90, 90, 180: U = ½(30 + 30 + 60) = 60, Umax = 240
        self.assertAlmostEqual(measure([0, 90, 180]).evenness[0], 1 - 60 / 240)

    def test_roots_within_five_degrees_count_as_one_for_evenness(self):
        self.assertAlmostEqual(measure([0, 4, 120, 240]).evenness[0], 1 - 0.5 * (2 + 0 + 2) / 240)
        self.assertLess(measure([0, 6, 120, 240]).evenness[0], 0.8)

    def test_close_roots_over_north_join_too(self):
        self.assertAlmostEqual(
            measure([358, 2, 120, 240]).evenness[0], measure([0, 120, 240]).evenness[0]
        )

    def test_balance_weighs_by_width(self):
        self.assertAlmostEqual(measure([0, 180], [3.0, 1.0]).balance[0], 1 - 2 / 4)

    def test_heading_is_the_weighted_cosine_and_never_negative(self):
        self.assertAlmostEqual(measure([0, 180], [1, 1], [60, 0]).heading[0], 0.75)
        self.assertAlmostEqual(measure([0, 180], [1, 1], [120, 0]).heading[0], 0.5)

    def test_open_arc_over_north_runs_from_greater_to_smaller(self):
        found = measure([60, 150, 240, 300])
        self.assertEqual(found.open_arcs, [(90.0, 120.0), (180.0, 210.0), (330.0, 30.0)])
        self.assertAlmostEqual(found.largest_gap_middle_deg, 0.0)
