"""When trees rest and when they grow, by hand for beech, gardenia and juniper."""

import unittest
from datetime import date

from mirvo.core.almanac import species_by_key
from mirvo.core.season import Outlook, Place
from mirvo.core.season.growth import Growth, growing_from, growth_from, layering_window, warm_from
from mirvo.standins.weather import SimulatedStation

BEECH, GARDENIA = species_by_key("european-beech"), species_by_key("gardenia")
NORTH, SOUTH, TROPICS = Place("04-20"), Place("10-05"), Place("01-15", frost_free=True)


class GrowthTest(unittest.TestCase):
    def test_a_beech_rests_from_october_to_its_leaves(self):
        # Its window runs from six weeks to one week before the last frost.
        rests = growth_from(BEECH, NORTH, date(2026, 12, 5))
        self.assertEqual(rests, Growth(True, date(2027, 3, 9), date(2027, 4, 13)))
        grows = growth_from(BEECH, NORTH, date(2027, 6, 1))
        self.assertFalse(grows.dormant)
        # Twenty-six weeks after the last frost.
        self.assertEqual((grows.rests_on, grows.again_on), (date(2027, 10, 19), date(2028, 4, 13)))
        self.assertTrue(growth_from(BEECH, NORTH, date(2027, 10, 19)).dormant)

    def test_the_south_has_it_half_a_year_later(self):
        found = growth_from(BEECH, SOUTH, date(2027, 6, 1))
        self.assertEqual((found.buds_on, found.leaves_on), (date(2027, 8, 24), date(2027, 9, 28)))

    def test_it_rests_from_the_usual_first_frost_where_that_is_known(self):
        for place, day, rests_on in (
            (Place("04-20", first_frost="11-02"), date(2027, 6, 1), date(2027, 11, 2)),
            # In the south the autumn after a spring lies in the next year.
            (Place("10-05", first_frost="05-20"), date(2027, 12, 1), date(2028, 5, 20)),
        ):
            grows = growth_from(BEECH, place, day)
            self.assertFalse(grows.dormant)
            self.assertEqual(grows.rests_on, rests_on)
            self.assertTrue(growth_from(BEECH, place, rests_on).dormant)

    def test_within_its_window_buds_move_but_leaves_are_to_come(self):
        found = growth_from(BEECH, NORTH, date(2027, 3, 20))
        self.assertEqual((found.buds_on, found.leaves_on), (date(2027, 3, 20), date(2027, 4, 13)))
        self.assertEqual(growing_from(BEECH, NORTH, date(2027, 3, 20)), date(2027, 3, 20))
        self.assertEqual(growing_from(BEECH, NORTH, date(2026, 12, 5)), date(2027, 3, 9))

    def test_what_was_seen_beats_every_estimate(self):
        for buds, leaves_on in (
            ("buds opening", date(2027, 3, 30)),
            ("leaves out", date(2027, 3, 20)),
            ("hardened", date(2027, 3, 20)),
        ):
            outlook = Outlook(buds=buds, seen_on=date(2027, 3, 20))
            found = growth_from(BEECH, NORTH, date(2026, 12, 5), outlook)
            self.assertEqual((found.leaves_on, found.seen), (leaves_on, True), buds)
        shoots = growth_from(BEECH, NORTH, date(2026, 12, 5), shoots_on=date(2027, 4, 2))
        self.assertEqual((shoots.leaves_on, shoots.seen), (date(2027, 4, 2), True))
        # What was seen the spring before says nothing of this one.
        old = Outlook(buds="leaves out", seen_on=date(2026, 4, 20))
        self.assertFalse(growth_from(BEECH, NORTH, date(2026, 12, 5), old).seen)

    def test_in_the_tropics_a_gardenia_never_rests(self):
        day = date(2027, 7, 1)
        self.assertEqual(growth_from(GARDENIA, TROPICS, day), Growth(False, day, day))
        self.assertEqual(warm_from(GARDENIA, TROPICS, day, Outlook()), day)

    def test_nights_become_warm_enough_when_the_station_says_so(self):
        station = SimulatedStation("Brackwater", "04-20")
        cotoneaster = species_by_key("cotoneaster")
        found = warm_from(cotoneaster, NORTH, date(2027, 2, 1), Outlook(station=station))
        self.assertGreaterEqual(station.normal(found).low_c, 5.0)
        self.assertIsNone(warm_from(BEECH, NORTH, date(2027, 2, 1), Outlook(station=station)))


class LayeringTest(unittest.TestCase):
    def test_from_hardened_leaves_to_eight_weeks_before_rest(self):
        # Leaves on 13 April and four weeks; rest on 19 October less eight weeks.
        wanted = (date(2027, 5, 11), date(2027, 8, 24))
        for day in (date(2026, 12, 1), date(2027, 5, 11), date(2027, 8, 24)):
            self.assertEqual(layering_window(BEECH, NORTH, day), wanted)
        self.assertEqual(layering_window(BEECH, NORTH, date(2027, 8, 25))[0].year, 2028)
        self.assertEqual(layering_window(GARDENIA, TROPICS, date(2027, 1, 5))[0], date(2027, 1, 5))
