"""Days as people write them."""

import unittest
from datetime import date

from mirvo.core.typed_values import read_day

TODAY = date(2026, 11, 28)


class DayTest(unittest.TestCase):
    def test_days_are_read_as_people_write_them(self):
        for text, expected in (
            ("12 mar 2025", date(2025, 3, 12)),
            ("12 March 2025", date(2025, 3, 12)),
            ("March 12, 2025", date(2025, 3, 12)),
            ("1st dec 2024", date(2024, 12, 1)),
            ("2025-03-12", date(2025, 3, 12)),
            ("12.3.2025", date(2025, 3, 12)),
            ("today", TODAY),
            ("Yesterday", date(2026, 11, 27)),
            # Without a year it is the last such day.
            ("12 mar", date(2026, 3, 12)),
            ("24 dec", date(2025, 12, 24)),
        ):
            with self.subTest(text=text):
                self.assertEqual(read_day(text, TODAY), expected)

    def test_what_says_no_day_or_two_is_none(self):
        unsaid = (
            "12/3/2025",
            "12 ma",
            "31 feb 2025",
            "12 13 mar",
            "soon",
            "12",
            "mar",
            "",
            "٣ mar",
        )
        for text in (*unsaid, "12 mar 1e308", "9" * 4400):
            with self.subTest(text=text[:20]):
                self.assertIsNone(read_day(text, TODAY))
