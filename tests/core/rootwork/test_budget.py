"""Budget, shares and strain by hand."""

import unittest

from mirvo.core.errors import BadInput
from mirvo.core.rootwork import (
    Ball,
    matched_top_factor,
    removal_budget,
    root_shares,
    session_share,
    side_trim_part,
    slice_part,
    strain,
    treated_as_cutting,
    weighed_share,
    weighing_correction,
)
from mirvo.core.rootwork.cut_order import roots_to_cut
from tests.records_made import fault, root_record


class BudgetTest(unittest.TestCase):
    def test_factors_multiply(self):
        self.assertAlmostEqual(
            removal_budget(0.4, "fair", "old", "edge", 0.7, 0.7), 0.4 * 0.75 * 0.7**4
        )

    def test_nothing_in_a_shut_season_and_never_above_the_ceiling(self):
        self.assertEqual(removal_budget(0.5, "strong", "young", "shut"), 0.0)
        self.assertEqual(removal_budget(0.8, "strong", "young", worth=1.2), 0.85)

    def test_unknown_words_are_refused_by_name(self):
        for field, words in (("strength", ("sick", "young")), ("age", ("strong", "ancient"))):
            with self.assertRaises(BadInput) as said:
                removal_budget(0.4, *words)
            self.assertEqual(said.exception.field, field)

    def test_shares_follow_width_times_feeders(self):
        found = root_shares([("A", 10, 3, "sound"), ("B", 10, None, "sound"), ("C", 20, 2, "dead")])
        self.assertAlmostEqual(found["A"], 0.4 * 30 / 50)
        self.assertAlmostEqual(found["B"], 0.4 * 20 / 50)
        self.assertEqual(found["C"], 0.0)

    def test_beyond_what_it_bears_it_is_a_cutting_but_not_for_combing_alone(self):
        self.assertTrue(treated_as_cutting("routine", 0.45, 0.4))
        self.assertFalse(treated_as_cutting("routine", 0.4, 0.4))
        # Out of season nothing may be cut; the combed edge is a tenth at most.
        self.assertTrue(treated_as_cutting("routine", 0.15, 0.0))
        self.assertFalse(treated_as_cutting("routine", 0.1, 0.0))
        self.assertFalse(treated_as_cutting("collection", 0.7, 0.4))
        self.assertFalse(treated_as_cutting("routine", None, 0.4))

    def test_where_the_fine_roots_are(self):
        roots = [("A", 10, 1, "sound")]
        self.assertEqual(root_shares(roots, "mostly below"), {"A": 0.25})
        self.assertEqual(root_shares(roots, "mostly at the surface"), {"A": 0.6})
        self.assertEqual(root_shares([("A", 10, 0, "sound")]), {"A": 0.0})

    def test_slice(self):
        self.assertAlmostEqual(slice_part(30, 90), 1 / 3)
        self.assertAlmostEqual(slice_part(30, 90, matted=True), 1.3 / 3)
        self.assertEqual(slice_part(80, 90, matted=True), 1.0)
        with self.assertRaises(BadInput):
            slice_part(91, 90)

    def test_side_trim(self):
        self.assertAlmostEqual(side_trim_part(10, Ball(200, 100, 80)), 1 - 180 * 80 / 20000)
        with self.assertRaises(BadInput):
            side_trim_part(50, Ball(200, 100, 80))

    def test_parts_together_are_not_a_sum(self):
        # surface and below are separate stores, and the edge goes through both
        self.assertAlmostEqual(session_share(0.1, 0.3, 0.2), 1 - 0.8 * (1 - (0.1 + 0.6 * 0.3)))
        self.assertAlmostEqual(session_share(0.1, 0.3, 0.2, 0.25), 1 - 0.8 * (1 - 0.325))
        self.assertEqual(session_share(0.0, 0.0, 0.0), 0.0)
        self.assertEqual(session_share(0.6, 1.0, 0.0, 0.4), 1.0)

    def test_a_width_nobody_measured_counts_as_the_median(self):
        roots = [("A", 10, 2, "sound"), ("B", 30, 2, "sound"), ("C", None, 2, "sound")]
        self.assertAlmostEqual(root_shares(roots)["C"], 0.4 * 20 / 60)
        self.assertAlmostEqual(root_shares([("A", None, 2, "sound")])["A"], 0.4)

    def test_picking_thick_roots_takes_half_of_a_slice(self):
        self.assertAlmostEqual(slice_part(30, 90, picked=True), 1 / 6)

    def test_strain(self):
        self.assertEqual(strain(0.0, 0.0), 0.0)
        self.assertAlmostEqual(strain(0.2, 0.4), 25.0)
        with self.assertRaises(BadInput):
            strain(0.1, 0.0)


def root(label, codes, width=8.0, other=None):
    faults = [fault(code, with_root=other if code == "crossing" else None) for code in codes]
    return root_record(label, width=width, faults=faults)


class AdviceTest(unittest.TestCase):
    def test_order_of_importance(self):
        roots = [
            root("A", ["oversized"]),
            root("B", ["circling", "crowded"]),
            root("C", ["dead"]),
            root("D", []),
        ]
        self.assertEqual(
            [(c.label, c.code) for c in roots_to_cut(roots)],
            [("C", "dead"), ("B", "circling"), ("A", "oversized")],
        )

    def test_of_two_crossing_the_worse_goes(self):
        thin, thick = root("A", ["crossing"], 5.0, "B"), root("B", ["crossing"], 9.0, "A")
        self.assertEqual([c.label for c in roots_to_cut([thin, thick])], ["A"])

    def test_a_sharp_bend_alone_is_only_watched(self):
        self.assertEqual(roots_to_cut([root("A", ["kinked"])]), [])


class WeighingTest(unittest.TestCase):
    def test_offcuts_and_ball_on_the_scale(self):
        self.assertAlmostEqual(weighed_share(300, 900), 0.25)
        for offcuts, ball in ((-1, 900), (300, 0)):
            with self.assertRaises(BadInput):
                weighed_share(offcuts, ball)

    def test_the_trees_own_ratio_is_a_geometric_mean_within_limits(self):
        self.assertEqual(weighing_correction([]), 1.0)
        self.assertAlmostEqual(weighing_correction([(0.4, 0.2), (0.1, 0.2)]), 1.0)
        self.assertAlmostEqual(weighing_correction([(0.3, 0.2)]), 1.5)
        self.assertEqual(weighing_correction([(0.9, 0.1)]), 2.5)

    def test_a_crown_reduced_to_match_raises_the_budget_at_most_by_a_fifth(self):
        self.assertEqual(matched_top_factor(40, allowed=False), 1.0)
        self.assertAlmostEqual(matched_top_factor(20, allowed=True), 1.1)
        self.assertAlmostEqual(matched_top_factor(90, allowed=True), 1.2)
