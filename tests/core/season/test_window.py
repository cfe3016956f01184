"""Windows at year ends and after the interval."""

import unittest
from datetime import date, timedelta

from mirvo.core.almanac import species, species_by_key
from mirvo.core.season import Outlook, window_of
from mirvo.core.season.weather import DayWeather

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
        self.assertGreaterEqual(len(species()), 40)
        for entry in species():
            window = window_of(entry, "04-20", date(2027, 1, 1), date(2027, 1, 1))
            self.assertTrue(window.start <= window.best <= window.end, entry.name)


class SeenTest(unittest.TestCase):
    """Buds beat warmth, warmth beats the calendar; zelkova, last frost 20 April 2027."""

    USUAL = (date(2027, 3, 16), date(2027, 4, 20))

    def window(self, today=date(2027, 3, 1), species=ZELKOVA, last_frost="04-20", **known):
        return window_of(species, last_frost, today, today, Outlook(**known))

    def span(self, **known):
        found = self.window(**known)
        return (found.start, found.end)

    def test_warmth_moves_its_own_season_only(self):
        week = timedelta(days=7)
        late = self.window(shift=(2027, 7))
        self.assertEqual((late.start, late.end), (self.USUAL[0] + week, self.USUAL[1] + week))
        self.assertIn("7 days late", late.reasons[0])
        self.assertEqual(self.span(shift=(2026, 7)), self.USUAL)

    def test_swelling_opens_it_on_the_day_it_was_seen(self):
        early = self.window(
            buds="buds swelling", seen_on=date(2027, 3, 1), shift=(2027, 12), today=date(2027, 3, 2)
        )
        self.assertEqual((early.start, early.state), (date(2027, 3, 1), "open"))
        self.assertEqual(early.end, date(2027, 4, 5))

    def test_opening_leaves_ten_days(self):
        found = self.window(buds="buds opening", seen_on=date(2027, 3, 25), today=date(2027, 3, 26))
        self.assertEqual((found.end, found.state), (date(2027, 4, 4), "closing"))

    def test_leaves_out_close_it_for_the_year(self):
        found = self.window(buds="leaves out", seen_on=date(2027, 4, 2), today=date(2027, 4, 3))
        self.assertEqual(found.start.year, 2028)

    def test_dormant_waits_a_week_more_but_never_opens_sooner(self):
        self.assertEqual(self.span(buds="dormant", seen_on=date(2027, 2, 1)), self.USUAL)
        found = self.window(buds="dormant", seen_on=date(2027, 3, 20), today=date(2027, 3, 21))
        self.assertEqual(found.start, date(2027, 3, 27))

    def test_what_was_seen_last_summer_says_nothing_of_this_year(self):
        self.assertEqual(self.span(buds="leaf fall", seen_on=date(2026, 10, 20)), self.USUAL)

    def test_evergreens_do_not_follow_their_buds(self):
        privet = species_by_key("privet")
        seen = {"buds": "leaves out", "seen_on": date(2027, 3, 20)}
        self.assertEqual(self.window(species=privet, **seen), self.window(species=privet))

    def test_glass_opens_it_four_weeks_earlier(self):
        self.assertEqual(self.span(under_glass=True)[0], self.USUAL[0] - timedelta(weeks=4))

    def test_heat_closes_it(self):
        class Hot:
            def normal(self, day):
                return DayWeather(day, 10.0, 30.0 if day >= date(2027, 4, 1) else 15.0)

        found = self.window(station=Hot())
        self.assertEqual(found.end, date(2027, 3, 31))
        self.assertIn("24 °C", found.reasons[0])

    def test_a_window_over_the_end_of_the_year(self):
        gardenia = species_by_key("gardenia")
        for today, state in (
            (date(2027, 12, 1), "too early"), (date(2027, 12, 31), "open"),
            (date(2028, 1, 15), "open"), (date(2028, 1, 30), "closing"),
        ):  # fmt: skip
            found = self.window(today=today, species=gardenia, last_frost="11-10")
            self.assertEqual((found.start, found.end, found.state),
                             (date(2027, 12, 8), date(2028, 2, 2), state))  # fmt: skip
        after = self.window(today=date(2028, 2, 3), species=gardenia, last_frost="11-10")
        self.assertEqual(after.start, date(2028, 12, 8))

    def test_the_southern_year(self):
        found = self.window(
            last_frost="09-20", today=date(2027, 8, 10),
            buds="buds swelling", seen_on=date(2027, 8, 5),
        )  # fmt: skip
        self.assertEqual((found.start, found.state), (date(2027, 8, 5), "open"))
        over = self.window(
            last_frost="09-20", today=date(2027, 9, 10),
            buds="leaves out", seen_on=date(2027, 9, 9),
        )  # fmt: skip
        self.assertEqual(over.start.year, 2028)
