"""The simulated weather station, and what is made of its days."""

import unittest
from datetime import date, timedelta

import numpy as np

from mirvo.core.season.weather import (
    DayWeather,
    bud_swell,
    chance_below,
    degree_days,
    nights_below,
    nights_expected_below,
    season_shift,
)
from mirvo.standins.weather import FORECAST_DAYS, SimulatedStation

NORTH, SOUTH = SimulatedStation("Brackwater", "04-20"), SimulatedStation("Farhaven", "09-20")


def year(station, first):
    return [station.actual(first + timedelta(days=ahead)) for ahead in range(365)]


class StationTest(unittest.TestCase):
    def test_the_same_day_is_always_the_same_and_places_differ(self):
        day = date(2027, 2, 10)
        self.assertEqual(NORTH.actual(day), SimulatedStation("Brackwater", "04-20").actual(day))
        self.assertNotEqual(NORTH.actual(day), SimulatedStation("Elsewhere", "04-20").actual(day))

    def test_frost_grows_rare_about_the_usual_last_frost_in_either_hemisphere(self):
        for station, frost in ((NORTH, (4, 20)), (SOUTH, (9, 20))):
            chances = []
            for shift in (-60, 0, 40):
                days = [
                    station.actual(date(y, *frost) + timedelta(days=shift + k))
                    for y in range(2000, 2020)
                    for k in range(-3, 4)
                ]
                chances.append(len(nights_below(days, 0.0)) / len(days))
            self.assertGreater(chances[0], 0.5)
            self.assertTrue(0.05 < chances[1] < 0.45, chances)
            self.assertLess(chances[2], 0.03)

    def test_noise_remembers_the_day_before(self):
        days = year(NORTH, date(2026, 1, 1))
        off = np.array([one.low_c - NORTH.normal(one.day).low_c for one in days])
        self.assertAlmostEqual(float(off.std()), 1.9 / np.sqrt(1 - 0.7**2), delta=0.6)
        self.assertAlmostEqual(float(np.corrcoef(off[1:], off[:-1])[0, 1]), 0.7, delta=0.12)

    def test_the_forecast_starts_with_today_and_grows_unsure(self):
        starts = [date(2026, 3, 1) + timedelta(days=20 * k) for k in range(12)]
        errors = np.array([
            [told.low_c - NORTH.actual(told.day).low_c for told in NORTH.forecast(start)]
            for start in starts
        ])  # fmt: skip
        self.assertEqual(errors.shape[1], FORECAST_DAYS)
        self.assertEqual(float(np.abs(errors[:, 0]).max()), 0.0)
        self.assertLess(errors[:, 1].std(), errors[:, 9].std())


class SeasonTest(unittest.TestCase):
    """The season's shift and its frost, in both hemispheres."""

    def test_a_warm_spring_comes_early_and_a_cold_one_late(self):
        for station, start in ((NORTH, date(2027, 2, 6)), (SOUTH, date(2027, 7, 9))):
            for off, sign in ((2.5, -1), (-2.5, 1)):
                moved = Moved(station, off)
                shift = season_shift(moved, start, start + timedelta(days=35), 0.0, 80.0)
                self.assertGreater(shift * sign, 2)

    def test_usual_weather_shifts_nothing_and_out_of_season_nothing_is_said(self):
        start = date(2027, 2, 6)
        self.assertEqual(season_shift(Moved(NORTH, 0.0), start, date(2027, 3, 1), 0.0, 80.0), 0)
        self.assertIsNone(season_shift(NORTH, start, date(2027, 2, 5), 0.0, 80.0))
        self.assertIsNone(season_shift(NORTH, start, date(2027, 8, 1), 0.0, 80.0))

    def test_frosty_nights_expected_are_those_that_come(self):
        for station, first in ((NORTH, (3, 9)), (SOUTH, (8, 9))):
            expected = nights_expected_below(station, 0.0, date(2027, *first), 28)
            came = [
                len(nights_below(
                    [station.actual(date(y, *first) + timedelta(days=k)) for k in range(28)], 0.0
                ))
                for y in range(2000, 2020)
            ]  # fmt: skip
            self.assertAlmostEqual(expected, float(np.mean(came)), delta=3.0)

    def test_a_chance_by_hand(self):
        self.assertAlmostEqual(chance_below(0.0, 2.0), 0.5)
        self.assertAlmostEqual(chance_below(2.0, 2.0), 0.1587, 3)


class Moved:
    """A station whose days are all so much warmer or colder than usual."""

    def __init__(self, station, off):
        self.normal, self.off, self.spread_c = station.normal, off, station.spread_c

    def actual(self, day):
        usual = self.normal(day)
        return DayWeather(day, usual.low_c + self.off, usual.high_c + self.off)

    def forecast(self, today):
        return [self.actual(today + timedelta(days=ahead)) for ahead in range(10)]


class WarmthTest(unittest.TestCase):
    DAYS = tuple(DayWeather(date(2026, 3, day), day - 4.0, day + 4.0) for day in range(1, 11))

    def test_degree_days_by_hand(self):
        # daily means 1 to 10; over a base of 5 they add 1 + 2 + 3 + 4 + 5
        self.assertEqual(degree_days(self.DAYS, 5.0), 15.0)

    def test_buds_swell_on_the_day_the_sum_is_reached(self):
        self.assertEqual(bud_swell(self.DAYS, 5.0, 6.0), date(2026, 3, 8))
        self.assertIsNone(bud_swell(self.DAYS, 5.0, 16.0))

    def test_a_floor_is_cold_already(self):
        self.assertEqual([one.day.day for one in nights_below(self.DAYS, -2.0)], [1, 2])
