"""What noted seasons and plants say of a window, against cases worked out by hand."""

import unittest
from datetime import date

from mirvo.core.almanac import Entry, groups, on_understock, reason_for, species_by_key
from mirvo.core.season import Outlook, Place, Shift, next_window
from mirvo.core.season.seen import (
    days_late,
    learnt_shift,
    opened_shift,
    plant_shift,
    told_by_plants,
    year_of,
)

# Its window opens five weeks before the last frost and closes with it: 16 March.
ZELKOVA = species_by_key("zelkova")
FROST = "04-20"
OPENS = date(2027, 3, 16)


class SeenTest(unittest.TestCase):
    def test_days_count_from_the_usual_beginning(self):
        self.assertEqual(next_window(ZELKOVA, Place(FROST), OPENS, OPENS).start, OPENS)
        self.assertEqual(days_late(ZELKOVA, FROST, date(2027, 3, 7)), -9)
        self.assertEqual(year_of(ZELKOVA, FROST, date(2026, 12, 30)), 2027)
        # In the south the same week lies half a year away.
        self.assertEqual(year_of(ZELKOVA, "10-20", date(2026, 9, 20)), 2026)

    def test_one_odd_spring_moves_others_by_a_third(self):
        self.assertIsNone(learnt_shift([]))
        self.assertIsNone(learnt_shift([1, -1]))
        self.assertEqual(learnt_shift([-9]).days, -3)
        # Three of nine beside two usual years: 27 / 5.
        self.assertEqual(learnt_shift([-9, -9, -9]).days, -5)
        self.assertIn("3 years noted", learnt_shift([-9, -9, -9]).text)
        # No window is moved by more than three weeks.
        self.assertEqual(learnt_shift([90] * 9).days, 21)

    def test_a_plant_tells_by_the_years_both_were_seen(self):
        openings = {2024: date(2024, 3, 20), 2025: date(2025, 3, 10), 2026: date(2026, 3, 18)}
        blackthorn = {2024: date(2024, 3, 12), 2025: date(2025, 3, 4), 2027: date(2027, 2, 26)}
        hazel = {2026: date(2026, 2, 1)}
        found = told_by_plants(openings, {"hazel": hazel, "blackthorn": blackthorn, "elder": {}})
        self.assertEqual([told.plant for told in found], ["blackthorn", "hazel"])
        # Eight and six days before it.
        self.assertEqual((found[0].lag_days, found[0].spread_days, found[0].years), (7, 1, 2))
        shift = plant_shift(ZELKOVA, FROST, 2027, found[0], blackthorn[2027])
        # 26 February and 7 days is 5 March, 11 days before the 16th.
        self.assertEqual((shift.year, shift.days, shift.source), (2027, -11, "indicator plants"))
        self.assertIn("7 days after it in 2 years", shift.text)

    def test_the_first_that_speaks_of_a_year_counts(self):
        seen = opened_shift(ZELKOVA, FROST, date(2027, 3, 7))
        usual = Shift(None, 6, "later here", "season notes")
        outlook = Outlook(shifts=(seen, Shift(2027, 14), usual))

        def window(year):
            day = date(year, 2, 1)
            return next_window(ZELKOVA, Place(FROST), day, day, outlook)

        self.assertEqual(window(2027).start, date(2027, 3, 7))
        self.assertEqual(window(2027).reasons[0].text, "Zelkova opened on 7 March")
        self.assertEqual(window(2028).start, date(2028, 3, 22))
        self.assertEqual(window(2028).reasons[0].source, "season notes")


class UnderstockTest(unittest.TestCase):
    def test_roots_follow_the_understock_and_buds_the_scion(self):
        white, black = species_by_key("japanese-white-pine"), species_by_key("japanese-black-pine")
        grafted = on_understock(white, black)
        self.assertEqual(grafted.budget, black.budget)
        self.assertEqual(grafted.interval_years, black.interval_years)
        self.assertEqual(grafted.growth.spread, black.growth.spread)
        self.assertEqual((grafted.key, grafted.name), (white.key, white.name))
        self.assertEqual(grafted.window_weeks, white.window_weeks)
        self.assertEqual(grafted.growth.trunk, white.growth.trunk)
        self.assertIn(black.name, grafted.note)

    def test_tools_and_washing_go_by_the_group_of_the_roots(self):
        azalea, maple = species_by_key("kurume-azalea"), species_by_key("trident-maple")
        self.assertEqual(on_understock(maple, azalea).root_group, "azalea-like")
        self.assertEqual(on_understock(maple, azalea).group, maple.group)
        self.assertEqual(maple.root_group, maple.group)


class ReasonsTest(unittest.TestCase):
    def test_every_figure_of_every_group_has_a_reason(self):
        plain = {"name", "scientific", "group", "vigour", "caution", "note"}
        for figure in Entry.model_fields.keys() - plain:
            for group in groups():
                self.assertGreater(len(reason_for(figure, group)), 20, (figure, group))
        self.assertNotEqual(
            reason_for("budget_bold", "conifer"), reason_for("budget_bold", "water-loving")
        )
        self.assertEqual(reason_for("name", "conifer"), "")
