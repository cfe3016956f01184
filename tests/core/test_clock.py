"""Places on the base as hours of a clock, to five minutes."""

import unittest

from mirvo.core.clock import clock_azimuths, clock_list, clock_time


class ClockTest(unittest.TestCase):
    def test_to_five_minutes_and_round_the_top(self):
        for azimuth, said in (
            (0, "12:00"),
            (90, "3:00"),
            (107, "3:35"),
            (359, "12:00"),
            (1.3, "12:05"),
        ):
            self.assertEqual(clock_time(azimuth), said)

    def test_there_and_back(self):
        self.assertEqual(clock_list([268.0, 105.0]), "3:30, 8:55")
        self.assertEqual(clock_azimuths("3:30, 8:55"), [105.0, 267.5])
        self.assertEqual(clock_azimuths("12:00"), [0.0])
        self.assertEqual(clock_azimuths(""), [])
        self.assertEqual(clock_azimuths("noon, 3"), [90.0])
