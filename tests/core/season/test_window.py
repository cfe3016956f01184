"""Windows at year ends and after the interval."""

import unittest
from datetime import date, timedelta

from mirvo.core.almanac import species, species_by_key
from mirvo.core.season import (
    Outlook,
    Place,
    Shift,
    due_from,
    next_window,
    season_state,
    windows_ahead,
)
from mirvo.core.season.weather import DayWeather

ZELKOVA = species_by_key("zelkova")


class WindowTest(unittest.TestCase):
    def window(self, today, not_before=None):
        return next_window(ZELKOVA, Place("04-20"), today, not_before or today)

    def test_weeks_count_from_the_last_frost(self):
        window = self.window(date(2027, 1, 10))
        self.assertEqual((window.start, window.end), (date(2027, 3, 16), date(2027, 4, 20)))
        self.assertEqual(self.state(date(2027, 1, 10)), "too early")

    def state(self, day, dormant="swelling"):
        return season_state(ZELKOVA, Place("04-20"), day, dormant_work=dormant).state

    def test_states(self):
        self.assertEqual(self.state(date(2027, 3, 16)), "open")
        self.assertEqual(self.state(date(2027, 4, 15)), "closing")
        self.assertEqual(self.state(date(2027, 4, 21)), "edge")
        self.assertEqual(self.state(date(2027, 6, 21)), "shut")
        self.assertEqual(self.state(date(2027, 3, 1)), "too early")
        self.assertEqual(self.state(date(2027, 3, 1), "sheltered"), "edge")
        self.assertEqual(self.window(date(2027, 4, 21)).year, 2028)

    def test_an_interval_is_counted_by_months_and_kept_a_little_short(self):
        autumn = due_from(date(2026, 10, 20), 1)
        self.assertEqual(self.window(date(2026, 11, 1), autumn).year, 2028)
        spring = due_from(date(2026, 4, 10), 1)
        self.assertEqual(self.window(date(2026, 11, 1), spring).year, 2027)

    def test_the_interval_moves_it_to_a_later_year(self):
        self.assertEqual(self.window(date(2026, 12, 31), date(2029, 1, 1)).year, 2029)

    def test_every_species_has_a_window_within_the_year(self):
        self.assertGreaterEqual(len(species()), 40)
        for entry in species():
            first = date(2027, 1, 1)
            window = next_window(entry, Place("04-20"), first, first)
            self.assertTrue(window.start <= window.best <= window.end, entry.name)


class SeenTest(unittest.TestCase):
    """Buds beat warmth, warmth beats the calendar; zelkova, last frost 20 April 2027."""

    USUAL = (date(2027, 3, 16), date(2027, 4, 20))

    def window(self, today=date(2027, 3, 1), species=ZELKOVA, last_frost="04-20", **known):
        return next_window(species, Place(last_frost), today, today, Outlook(**known))

    def season(self, today, species=ZELKOVA, last_frost="04-20", **known):
        return season_state(species, Place(last_frost), today, Outlook(**known))

    def span(self, **known):
        found = self.window(**known)
        return (found.start, found.end)

    def test_warmth_moves_its_own_season_only(self):
        week = timedelta(days=7)
        late = self.window(shifts=(Shift(2027, 7),))
        self.assertEqual((late.start, late.end), (self.USUAL[0] + week, self.USUAL[1] + week))
        self.assertIn("7 days late", late.reasons[0].text)
        self.assertEqual(self.span(shifts=(Shift(2026, 7),)), self.USUAL)

    def test_swelling_opens_it_on_the_day_it_was_seen(self):
        early = self.season(
            buds="buds swelling",
            seen_on=date(2027, 3, 1),
            shifts=(Shift(2027, 12),),
            today=date(2027, 3, 2),
        )
        self.assertEqual((early.start, early.state), (date(2027, 3, 1), "open"))
        self.assertEqual(early.reasons[0].source, "buds seen")
        self.assertEqual(early.end, date(2027, 4, 5))

    def test_opening_leaves_ten_days(self):
        found = self.season(buds="buds opening", seen_on=date(2027, 3, 25), today=date(2027, 3, 26))
        self.assertEqual((found.end, found.state), (date(2027, 4, 4), "closing"))

    def test_leaves_out_close_it_for_the_year(self):
        found = self.window(buds="leaves out", seen_on=date(2027, 4, 2), today=date(2027, 4, 3))
        self.assertEqual(found.start.year, 2028)
        state = self.season(buds="leaves out", seen_on=date(2027, 3, 20), today=date(2027, 3, 20))
        self.assertEqual((state.state, state.budget), ("shut", "shut"))

    def test_buds_swelling_in_july_open_nothing(self):
        found = self.season(buds="buds swelling", seen_on=date(2027, 7, 9), today=date(2027, 7, 9))
        self.assertEqual(found.state, "shut")

    def test_a_tender_tree_whose_nights_are_too_cold_waits(self):
        gardenia = species_by_key("gardenia")
        nights = [DayWeather(date(2027, 5, 1 + n), 6.0, 12.0) for n in range(5)]
        day = self.window(species=gardenia).best.replace(year=2027)
        near = [DayWeather(day, 6.0, 12.0)]
        found = self.season(day, species=gardenia, nights=near, nights_source="thermometer")
        self.assertEqual(found.state, "too early")
        self.assertIn("thermometer", found.sentence)
        under = self.season(day, species=gardenia, nights=nights, under_glass=True)
        self.assertTrue(under.workable)

    def test_a_window_without_a_warm_night_is_shut(self):
        class Cold:
            def normal(self, day):
                return DayWeather(day, 2.0, 12.0)

        gardenia = species_by_key("gardenia")
        best = self.window(species=gardenia).best
        found = self.season(best, species=gardenia, station=Cold())
        self.assertEqual((found.state, found.budget), ("shut", "shut"))
        self.assertIn("only under glass", found.sentence)

    def test_azalea_like_trees_have_a_second_window_after_flowering(self):
        azalea = species_by_key("satsuki-azalea")
        found = self.season(date(2027, 6, 1), species=azalea)
        self.assertEqual(found.state, "open")
        self.assertIn("after flowering", found.sentence)

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
            spread_c = 2.0

            def normal(self, day):
                return DayWeather(day, 10.0, 30.0 if day >= date(2027, 4, 1) else 15.0)

        found = self.window(station=Hot())
        self.assertEqual(found.end, date(2027, 3, 31))
        self.assertIn("24 °C", found.reasons[0].text)

    def test_an_azalea_has_a_second_window_after_flowering(self):
        azalea = species_by_key("satsuki-azalea")
        found = windows_ahead(azalea, Place("04-20"), date(2026, 12, 1))
        self.assertEqual(
            [(one.start, one.end) for one in found],
            [
                (date(2027, 3, 23), date(2027, 4, 20)),
                (date(2027, 5, 18), date(2027, 6, 22)),
            ],
        )
        self.assertIn("after flowering", found[1].reasons[0].text)
        self.assertEqual(len(windows_ahead(azalea, Place("04-20"), date(2027, 5, 1))), 2)

    def test_a_window_over_the_end_of_the_year(self):
        gardenia = species_by_key("gardenia")
        for today, state in (
            (date(2027, 12, 1), "edge"), (date(2027, 12, 31), "open"),
            (date(2028, 1, 15), "open"), (date(2028, 1, 30), "closing"),
        ):  # fmt: skip
            found = self.season(today=today, species=gardenia, last_frost="11-10")
            self.assertEqual((found.start, found.end, found.state),
                             (date(2027, 12, 8), date(2028, 2, 2), state))  # fmt: skip
        after = self.window(today=date(2028, 2, 3), species=gardenia, last_frost="11-10")
        self.assertEqual(after.start, date(2028, 12, 8))

    def test_the_southern_year(self):
        found = self.season(
            last_frost="09-20", today=date(2027, 8, 10),
            buds="buds swelling", seen_on=date(2027, 8, 5),
        )  # fmt: skip
        self.assertEqual((found.start, found.state), (date(2027, 8, 5), "open"))
        over = self.window(
            last_frost="09-20", today=date(2027, 9, 10),
            buds="leaves out", seen_on=date(2027, 9, 9),
        )  # fmt: skip
        self.assertEqual(over.start.year, 2028)
