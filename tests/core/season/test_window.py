"""Windows at year ends and after the interval."""

import unittest
from datetime import date

from mirvo.core.almanac import species, species_by_key
from mirvo.core.season import window_of

ZELKOVA = species_by_key("zelkova")


class WindowTest(unittest.TestCase):
    def window(self, today, not_before=None):
        return window_of(ZELKOVA, "04-20", today, not_before or today)

    def test_weeks_count_from_the_last_frost(self):
        window = self.window(date(2027, 1, 10))
        self.assertEqual((window.start, window.end), (date(2027, 3, 16), date(2027, 4, 20)))
        self.assertEqual(window.state, "too early")

    def test_states(self):
        self.assertEqual(self.window(date(2027, 3, 16)).state, "open")
        self.assertEqual(self.window(date(2027, 4, 15)).state, "closing")
        self.assertEqual(self.window(date(2027, 4, 21)).year, 2028)

    def test_the_interval_moves_it_to_a_later_year(self):
        self.assertEqual(self.window(date(2026, 12, 31), date(2029, 1, 1)).year, 2029)

    def test_every_species_has_a_window_within_the_year(self):
        self.assertEqual(len(species()), 10)
        for entry in species():
            window = window_of(entry, "04-20", date(2027, 1, 1), date(2027, 1, 1))
            self.assertTrue(window.start <= window.best <= window.end, entry.name)
