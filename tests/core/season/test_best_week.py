"""The best week: buds swelling, and the fewest cold nights after it."""

import unittest
from dataclasses import dataclass
from datetime import date, timedelta

from mirvo.core.almanac import species_by_key
from mirvo.core.season import Outlook, Place, Shift, window_of_year
from mirvo.core.season.best_week import best_day, cold_nights_after
from mirvo.core.season.weather import DayWeather
from mirvo.standins.weather import SimulatedStation

BEECH = species_by_key("european-beech")
NORTH = Place("04-20")
MARCH_9, APRIL_13 = date(2027, 3, 9), date(2027, 4, 13)


@dataclass(frozen=True)
class ColdUntil:
    """Nights of -10 °C up to a day and of 10 °C from it on, exactly."""

    last: date
    spread_c: float = 0.01

    def normal(self, day):
        return DayWeather(day, -10.0 if day <= self.last else 10.0, 12.0)

    actual = normal

    def forecast(self, today):
        return [self.normal(today + timedelta(days=ahead)) for ahead in range(10)]


class BestDayTest(unittest.TestCase):
    def best(self, cold_until, first=MARCH_9, last=APRIL_13):
        return best_day(BEECH, MARCH_9, APRIL_13, (first, last), ColdUntil(cold_until))

    def test_the_week_with_the_fewest_cold_nights_after_it(self):
        # The middles of the weeks are 12, 19, 26 March, 2 and 9 April (half days rounded down).
        self.assertEqual(self.best(date(2027, 4, 1)), date(2027, 4, 2))
        # Two cold nights follow the week of 31 March, none the last.
        self.assertEqual(self.best(date(2027, 4, 3)), date(2027, 4, 9))
        # None anywhere: the first week of equals.
        self.assertEqual(self.best(date(2027, 1, 1)), date(2027, 3, 12))

    def test_only_weeks_with_swelling_buds_count(self):
        self.assertEqual(self.best(date(2027, 1, 1), first=date(2027, 3, 24)), date(2027, 3, 27))
        found = self.best(date(2027, 4, 30), last=date(2027, 4, 3))
        self.assertLessEqual(found, date(2027, 4, 3))

    def test_without_a_week_of_swelling_buds_it_is_the_middle_of_the_last_third(self):
        # 35 days long: its last third begins on 1 April and a half, its middle is on the 8th.
        self.assertEqual(self.best(date(2027, 1, 1), first=date(2027, 5, 1)), date(2027, 4, 8))

    def test_cold_is_below_the_floor_of_the_species(self):
        station = ColdUntil(date(2027, 3, 20))
        self.assertEqual(cold_nights_after(station, -2.0, date(2027, 3, 11)), 10)
        self.assertEqual(cold_nights_after(station, -12.0, date(2027, 3, 11)), 0)


class WindowTest(unittest.TestCase):
    def window(self, **known):
        station = SimulatedStation("Brackwater", "04-20")
        return window_of_year(BEECH, NORTH, 2027, Outlook(station=station, **known))

    def test_never_before_the_buds_swell_and_never_while_they_open(self):
        station = SimulatedStation("Brackwater", "04-20")
        usual = self.window()
        # Warmth makes buds swell about 24 March there; the last ten days they open.
        self.assertTrue(date(2027, 3, 24) <= usual.best <= usual.end - timedelta(days=10))
        before = cold_nights_after(station, BEECH.night_floor_c, date(2027, 3, 12))
        self.assertLess(cold_nights_after(station, BEECH.night_floor_c, usual.best), before)

    def test_buds_that_were_seen_beat_the_warmth(self):
        seen = self.window(buds="buds swelling", seen_on=date(2027, 3, 1))
        self.assertTrue(date(2027, 3, 1) < seen.best <= seen.end - timedelta(days=10))
        late = self.window(shifts=(Shift(2027, 9),))
        self.assertGreater(late.best, self.window().best)

    def test_where_nobody_knows_the_weather_the_almanac_says_it(self):
        found = window_of_year(BEECH, NORTH, 2027, Outlook())
        self.assertEqual(found.best, date(2027, 3, 30))
