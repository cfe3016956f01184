"""The almanac's data make sense."""

import unittest

from mirvo.core.almanac import rules, species, species_by_key
from mirvo.core.errors import BadInput, NotFound
from mirvo.core.rootwork import KINDS, kind_by_key


class AlmanacTest(unittest.TestCase):
    def test_budgets_rise_from_gentle_to_bold_and_stay_below_the_ceiling(self):
        for entry in species():
            budget = entry.budget
            self.assertTrue(0 < budget.gentle < budget.steady < budget.bold <= 0.85, entry.name)

    def test_mature_trees_wait_at_least_as_long(self):
        for entry in species():
            young, mature = entry.interval_years
            self.assertTrue(0 < young <= mature <= 6, entry.name)
            self.assertEqual(entry.interval_for("young"), young)
            self.assertEqual(entry.interval_for("old"), mature)

    def test_the_best_week_lies_in_the_window(self):
        for entry in species():
            first, last = entry.window_weeks
            self.assertTrue(first <= entry.best_week <= last, entry.name)

    def test_the_flare_outgrows_the_trunk(self):
        for entry in species():
            self.assertGreater(entry.growth.spread, entry.growth.trunk, entry.name)

    def test_unknown_species(self):
        with self.assertRaises(NotFound):
            species_by_key("triffid")

    def test_offered_containers_are_known(self):
        self.assertLessEqual(set(rules().plan.offered), set(rules().containers))

    def test_kinds_have_one_key_each_and_unknown_ones_are_refused(self):
        keys = [kind.key for kind in KINDS]
        self.assertEqual(len(set(keys)), len(keys))
        self.assertEqual(kind_by_key("emergency").own_budget, 0.0)
        with self.assertRaises(BadInput):
            kind_by_key("haircut")
