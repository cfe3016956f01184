"""Radiality against hand-worked root rings and published circular statistics."""

import unittest

import numpy as np

from mirvo.core.measure.radiality import radiality, usual_width


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
        # Wherever it stands, its balance is nothing, never a little less.
        alone = [measure([azimuth], [16.5]).balance[0] for azimuth in range(0, 360, 7)]
        self.assertTrue(all(0.0 <= each < 1e-12 for each in alone))
        self.assertFalse(np.signbit(alone).any())

    def test_mean_resultant_length_of_published_roulette_data(self):
        """Mardia & Jupp (2000), example 2.1: nine stops of a wheel, mean resultant 0.711."""
        stops = [43, 45, 52, 61, 75, 88, 88, 279, 357]
        self.assertAlmostEqual(1 - measure(stops).balance[0], 0.711, places=3)

    def test_evenness_of_a_hand_worked_ring(self):
        # W = (3/6 + 2·(2·B2(1/4) + B2(1/2))) / 9 = 1/36, of three even ones 1/54, of one 1/6
        self.assertAlmostEqual(measure([0, 90, 180]).evenness[0], 0.75, places=3)
        for count in range(2, 13):
            even = measure(np.arange(count) * 360 / count)
            self.assertAlmostEqual(even.evenness[0], 1.0, places=6, msg=count)

    def test_balance_weighs_by_width(self):
        self.assertAlmostEqual(measure([0, 180], [3.0, 2.0]).balance[0], 1 - 1 / 5)

    def test_heading_is_the_weighted_cosine_and_never_negative(self):
        self.assertAlmostEqual(measure([0, 180], [1, 1], [60, 0]).heading[0], 0.75)
        self.assertAlmostEqual(measure([0, 180], [1, 1], [120, 0]).heading[0], 0.5)

    def test_open_arc_over_north_runs_from_greater_to_smaller(self):
        found = measure([60, 150, 240, 300])
        self.assertEqual(found.open_arcs, [(90.0, 120.0), (180.0, 210.0), (330.0, 30.0)])
        self.assertAlmostEqual(found.largest_gap_middle_deg, 0.0)


class ContinuousTest(unittest.TestCase):
    """No mark moved by a hair's breadth may move the figures by more."""

    EIGHT = tuple(range(0, 360, 45))

    def test_neighbours_merge_gradually(self):
        apart = np.arange(0.25, 60, 0.25)
        for others in ([180, 180], [120, 240], [90, 180, 270]):
            found = [measure([0, d, *others]).index[0] for d in apart]
            self.assertLess(np.abs(np.diff(found)).max(), 0.8, others)

    def test_roots_over_north_are_neighbours_too(self):
        for part in ("index", "coverage", "evenness"):
            over = getattr(measure([358, 2, 120, 240]), part)[0]
            self.assertAlmostEqual(over, getattr(measure([58, 62, 180, 300]), part)[0], places=2)

    def test_every_width_and_heading_counts_gradually(self):
        widths = [measure(self.EIGHT, [w] + [10] * 7).index[0] for w in np.arange(0.1, 60, 0.1)]
        self.assertLess(np.abs(np.diff(widths)).max(), 1.0)
        turns = [measure(self.EIGHT, None, [e] + [0] * 7).index[0] for e in range(181)]
        self.assertLess(np.abs(np.diff(turns)).max(), 1.0)

    def test_hairs_change_next_to_nothing_whether_even_or_all_on_one_side(self):
        strong, wide = [0, 90, 180, 270], [12] * 4
        bare = measure(strong, wide).index[0]
        self.assertAlmostEqual(bare, 200 / 3, places=3)
        for hairs in ([45, 135, 225, 315], range(10, 90, 10)):
            found = measure([*strong, *hairs], wide + [1.5] * len(hairs)).index[0]
            self.assertAlmostEqual(found, bare, delta=0.5)

    def test_a_coil_and_a_monster_cost_what_they_spoil(self):
        coil = measure(self.EIGHT, None, [0] * 7 + [100]).index[0]
        without = measure(self.EIGHT[:-1]).index[0]
        # It covers nothing, and it stands in the way.
        self.assertLess(coil, without)
        self.assertGreater(coil, without - 10)
        monster = measure(self.EIGHT, [60] + [10] * 7)
        self.assertEqual(monster.coverage[0], 1.0)
        self.assertTrue(65 < monster.index[0] < 80, monster.index[0])
        self.assertGreater(measure(self.EIGHT, [20] + [10] * 7).index[0], 90)

    def test_the_unit_of_width_and_the_turn_of_the_frame_do_not_matter(self):
        rng = np.random.default_rng(2)
        for _ in range(20):
            count = int(rng.integers(3, 10))
            azimuths, widths = rng.uniform(0, 360, count), rng.uniform(2, 20, count)
            found = measure(azimuths, widths).index[0]
            self.assertAlmostEqual(measure(azimuths, widths * 7).index[0], found, places=4)
            self.assertAlmostEqual(measure(azimuths + 77, widths).index[0], found, delta=0.3)
            self.assertTrue(0 <= found <= 100)

    def test_a_usual_width_is_not_drawn_aside_by_hairs_or_a_monster(self):
        for odd in ([1.0] * 5, [90.0]):
            usual = usual_width(np.array([[12.0] * 6 + odd]))[0]
            # So that the six still count in full.
            self.assertTrue(8.0 < usual < 12.0 / 0.6, (odd, usual))
