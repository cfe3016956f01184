"""Water a day from weighings, by hand, and how it comes back after root work."""

import unittest
from datetime import date, datetime, timedelta

from mirvo.core.care.water_use import DayUse, Weighing, drinking_since, uses_of

START = datetime(2027, 5, 1, 8)


def weighed(*pairs):
    """Weighings as (days after the start, grams)."""
    return [Weighing(START + timedelta(days=days), grams) for days, grams in pairs]


def daily(first, *grams):
    return [DayUse(first + timedelta(days=number), amount) for number, amount in enumerate(grams)]


class UsesTest(unittest.TestCase):
    def test_the_loss_between_two_weighings_a_day(self):
        found = uses_of(weighed((0, 2400), (2, 2100), (2.5, 2050)))
        self.assertEqual([use.grams for use in found], [150.0, 100.0])
        self.assertEqual(found[0].day, date(2027, 5, 2))

    def test_what_says_nothing_is_left_out(self):
        # Watered between them it is heavier; minutes or weeks apart nobody can tell.
        self.assertEqual(uses_of(weighed((0, 2000), (1, 2300))), [])
        self.assertEqual(uses_of(weighed((0, 2000), (0.1, 1990), (9, 1500))), [])
        between = uses_of(weighed((0, 2400), (3, 2300)), {date(2027, 5, 2)})
        self.assertEqual(between, [])
        # On the days themselves it is weighed after the first watering and before the next.
        same = {date(2027, 5, 1), date(2027, 5, 4)}
        self.assertEqual(len(uses_of(weighed((0, 2400), (3, 2100)), same)), 1)


class DrinkingTest(unittest.TestCase):
    WORKED = date(2027, 4, 10)

    def test_it_comes_back_once_the_middle_of_three_is_near_its_usual(self):
        before = daily(date(2027, 4, 1), 100, 120, 110, 100, 110)
        after = daily(date(2027, 4, 20), 20, 40, 60, 88, 90, 95)
        found = drinking_since([*before, *after], self.WORKED)
        self.assertEqual(found.usual_g, 110)
        self.assertEqual(found.points[0], (10, 20 / 110))
        # 88 is 80 % of 110: of 60, 88, 90 the middle is 88.
        self.assertEqual(found.back_on, date(2027, 4, 24))

    def test_the_same_weeks_of_a_year_before_are_what_is_usual(self):
        winter = daily(date(2027, 3, 20), 20, 20, 20)
        may = daily(date(2026, 5, 20), 200, 220, 210)
        after = daily(date(2027, 6, 1), 100, 105, 110)
        found = drinking_since([*may, *winter, *after], self.WORKED)
        self.assertEqual((found.usual_g, found.back_on), (210, None))

    def test_without_a_usual_or_a_use_since_nothing_is_said(self):
        self.assertIsNone(drinking_since(daily(date(2027, 4, 1), 100, 110, 120), self.WORKED))
        self.assertIsNone(drinking_since(daily(date(2027, 4, 20), 100, 110, 120), self.WORKED))
        dry = [*daily(date(2027, 4, 1), 0, 0, 0), *daily(date(2027, 4, 20), 5, 5, 5)]
        self.assertIsNone(drinking_since(dry, self.WORKED))
