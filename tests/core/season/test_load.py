"""Weeks and their load, by hand. 1 March 2027 is a Monday."""

import unittest
from datetime import date

from mirvo.core.season.load import DueTree, monday_of, plan_weeks, weeks_of

TODAY = date(2026, 11, 23)


def march(day):
    return date(2027, 3, day)


def due(key, start=1, end=28, best=10, moved_to=None):
    return DueTree(key, march(start), march(end), march(best), moved_to)


class LoadTest(unittest.TestCase):
    def placed(self, trees, room):
        return {week.monday.day: week.trees for week in plan_weeks(trees, room, TODAY)}

    def test_a_tree_goes_into_its_best_week(self):
        self.assertEqual(self.placed([due(1)], 2), {8: [1]})
        self.assertEqual(monday_of(date(2027, 1, 1)), date(2026, 12, 28))

    def test_a_full_week_passes_on_to_its_neighbours_the_first_to_close_served_first(self):
        trees = [due(1, end=28), due(2, end=14), due(3, end=21)]
        self.assertEqual(self.placed(trees, 1), {1: [3], 8: [2], 15: [1]})

    def test_what_does_not_fit_anywhere_overfills_and_says_so(self):
        narrow = [due(key, start=8, end=14) for key in (1, 2, 3)]
        [week] = plan_weeks(narrow, 2, TODAY)
        self.assertEqual((week.trees, week.over), ([1, 2, 3], 1))

    def test_a_chosen_week_stands_while_it_lies_in_the_window(self):
        self.assertEqual(self.placed([due(1, moved_to=march(24)), due(2)], 1), {8: [2], 22: [1]})
        self.assertEqual(self.placed([due(1, moved_to=date(2027, 6, 1))], 1), {8: [1]})

    def test_weeks_that_are_over_are_not_offered(self):
        weeks = weeks_of(due(1), march(17))
        self.assertEqual([one.day for one in weeks], [15, 22])
        self.assertEqual(plan_weeks([due(1)], 1, date(2027, 5, 1)), [])
