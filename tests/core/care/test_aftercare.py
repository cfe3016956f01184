"""What follows a session, by kind, strength, practice and frost."""

import unittest
from datetime import date, timedelta

from mirvo.core.almanac.practice import preset
from mirvo.core.care import aftercare
from mirvo.core.season.weather import DayWeather

DONE = date(2026, 3, 20)


def tasks(kind="routine", strength="strong", last_frost="04-20", done=DONE, **answers):
    return aftercare(done, kind, strength, {**preset("steady"), **answers}, last_frost)


def days(found, code):
    return [(task.due - DONE).days for task in found if task.code == code]


class AftercareTest(unittest.TestCase):
    def test_a_routine_session(self):
        found = tasks()
        self.assertEqual(days(found, "shade"), [14])
        self.assertEqual(days(found, "feed"), [30])
        self.assertEqual(days(found, "ties"), [42])
        self.assertEqual(days(found, "buds"), [28, 56])
        self.assertEqual(days(found, "photo"), [14, 28, 42, 56])
        self.assertEqual([task.due for task in found], sorted(task.due for task in found))

    def test_a_weak_tree_is_fed_only_once_shoots_stand(self):
        [feed] = [task for task in tasks(strength="weak") if task.code == "feed"]
        self.assertEqual((feed.due - DONE).days, 56)
        self.assertIn("none before", feed.text)

    def test_more_than_a_tree_bears_is_looked_after_like_a_cutting(self):
        held = {**preset("steady"), "after": "straight"}
        found = aftercare(DONE, "routine", "strong", held, as_cutting=True)
        self.assertEqual(days(found, "shade"), [28])
        self.assertEqual(days(found, "watch"), [7, 14, 21, 28, 35, 42])
        [cover] = [task for task in found if task.code == "cover"]
        self.assertEqual((cover.since, (cover.due - DONE).days), (DONE, 42))

    def test_rescued_and_dug_trees_are_shaded_longer_whatever_the_practice(self):
        for kind in ("collection", "emergency", "change-soil"):
            self.assertEqual(days(tasks(kind, after="straight"), "shade"), [28])

    def test_a_weak_tree_is_shaded_longer_whatever_the_practice(self):
        self.assertEqual(days(tasks(strength="weak"), "shade"), [28])
        self.assertEqual(days(tasks(strength="weak", after="straight"), "shade"), [28])
        self.assertEqual(days(tasks(after="straight"), "shade"), [3])

    def test_a_free_standing_tree_has_no_ties_to_look_at(self):
        self.assertEqual(days(tasks(fixing="free"), "ties"), [])

    def test_the_frost_guard_ends_with_the_usual_last_frost_still_to_come(self):
        self.assertEqual(days(tasks(), "frost"), [31])
        self.assertEqual(days(tasks(done=date(2026, 6, 1)), "frost"), [])
        autumn = tasks(done=date(2026, 9, 20))
        self.assertEqual([task.due for task in autumn if task.code == "frost"], [date(2027, 4, 20)])
        over_new_year = tasks(done=date(2026, 11, 20))
        [guard] = [task for task in over_new_year if task.code == "frost"]
        self.assertEqual(guard.due, date(2027, 4, 20))
        leap = tasks(done=date(2027, 1, 10), last_frost="02-29")
        self.assertEqual([task.due for task in leap if task.code == "frost"], [date(2027, 2, 28)])

    def test_tender_species_are_kept_warm(self):
        held = preset("steady")
        [warm] = [
            task
            for task in aftercare(DONE, "routine", "strong", held, None, (), 15.0)
            if task.code == "warm"
        ]
        self.assertIn("15 °C", warm.text)
        self.assertEqual((warm.since, (warm.due - DONE).days), (DONE, 28))
        self.assertEqual(days(tasks(), "warm"), [])

    def test_the_first_cold_night_forecast_is_guarded(self):
        lows = (4.0, 0.5, 2.0, -3.0)
        coming = [DayWeather(DONE + timedelta(days=n), low, low + 8) for n, low in enumerate(lows)]
        held = preset("steady")
        found = aftercare(DONE, "routine", "strong", held, None, (), 0.0, coming)
        [cold] = [task for task in found if task.code == "cold"]
        self.assertEqual(cold.due, DONE + timedelta(days=1))
        self.assertIn("in 2 of ten nights", cold.text)
        delayed = aftercare(DONE, "slip-pot", "strong", held, None, (), 0.0, coming)
        self.assertNotIn("cold", [task.code for task in delayed])

    def test_wounds_are_followed_until_they_close(self):
        cut = aftercare(DONE, "routine", "strong", preset("steady"), None, ["A", "C"])
        [wound] = [task for task in cut if task.code == "wound"]
        self.assertIn("A, C", wound.text)
        self.assertEqual((wound.due - DONE).days, 180)
        self.assertEqual(days(tasks(), "wound"), [])

    def test_what_only_delays_is_not_sheltered(self):
        found = tasks("slip-pot")
        self.assertEqual(days(found, "shade"), [])
        self.assertEqual(days(found, "delayed"), [365])

    def test_kinds_with_a_follow_up_of_their_own(self):
        self.assertEqual(days(tasks("graft"), "graft"), [56, 365, 730])
        self.assertEqual(days(tasks("emergency"), "watch"), [7, 14, 21, 28, 35, 42])
        self.assertEqual(days(tasks("collection"), "second"), [730])
        self.assertEqual(days(tasks("exposed-root"), "sever"), [365])
        self.assertEqual(tasks("layer")[-1].due, DONE + timedelta(days=730))
