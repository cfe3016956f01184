"""Is it time? Cases worked out by hand."""

import unittest

from mirvo.core.season.triage import Evidence, triage


def seen(years=1.0, interval=2.0, window="open", strength="strong", **more):
    return triage(Evidence(years, interval, window, strength, **more))


class TriageTest(unittest.TestCase):
    def assert_verdict(self, found, verdict, points=None):
        self.assertEqual(found.verdict, verdict, found.reasons)
        if points is not None:
            self.assertEqual(found.points, points)

    def test_nothing_seen_and_not_due_is_left(self):
        self.assert_verdict(seen(), "leave", 0)
        self.assert_verdict(seen(years=None), "leave", 0)

    def test_years_weigh_as_the_practice_has_it(self):
        self.assert_verdict(seen(3.0, when="years"), "open", 3)
        self.assert_verdict(seen(3.0, when="evidence"), "leave", 1)
        self.assert_verdict(
            seen(3.0, when="evidence", roots_at_holes=True, thick_moss=True), "repot", 4
        )

    def test_due_but_out_of_season_or_weak_waits(self):
        due = {"roots_at_holes": True, "water_stands": True}
        self.assert_verdict(seen(**due), "repot", 4)
        self.assert_verdict(seen(window="too early", **due), "repot_next")
        weak = seen(strength="weak", **due)
        self.assert_verdict(weak, "repot_next")
        self.assertIn("too weak", weak.reasons[-1])

    def test_what_presses_is_delayed_by_the_step_that_fits_the_signs(self):
        found = seen(3.0, window="too early", roots_at_holes=True, thick_moss=True)
        self.assert_verdict(found, "delay", 6)
        self.assertEqual([one.kind for one in found.lesser], ["slip-pot", "top-up"])
        self.assertTrue(all(one.refused is None for one in found.lesser))

    def test_a_third_delay_in_a_row_is_refused(self):
        found = seen(3.0, window="too early", delays=2, roots_at_holes=True, water_stands=True)
        self.assert_verdict(found, "repot_next", 7)
        self.assertIn("2 times in a row", found.lesser[0].refused)

    def test_a_tree_on_show_delayed_twice_gets_a_larger_pot_for_good(self):
        found = seen(4.0, stage="showing", delays=2, roots_at_holes=True)
        self.assert_verdict(found, "larger_pot")
        self.assert_verdict(seen(4.0, stage="growing", delays=2, roots_at_holes=True), "repot")

    def test_a_water_dish_voids_wetness_and_drying(self):
        wet = seen(stays_wet=True, soil_decayed=True, water_dish=True)
        self.assertEqual(wet.points, 2)
        self.assertIn("water dish", " ".join(wet.reasons))
        drying = {"days_between": 2.0, "days_usual": 5.0}
        self.assertEqual(seen(**drying).points, 2)
        self.assertEqual(seen(**drying, water_dish=True).points, 0)
        self.assertEqual(seen(**drying, foreign_soil=True).points, 0)
        self.assertEqual(seen(days_between=4.0, days_usual=5.0).points, 0)

    def test_emergencies_go_before_season_and_strength(self):
        dying = seen(window="too early", strength="weak", dying_shoots=True, sour_soil=True)
        self.assert_verdict(dying, "emergency")
        self.assertIn("only what is dead", dying.reasons[0])
        self.assert_verdict(seen(dying_shoots=True, pest=True), "emergency")
        self.assert_verdict(seen(dying_shoots=True, stays_wet=True, water_dish=True), "leave")
        self.assertIn("isolate", seen(dark_ring=True).reasons[0])

    def test_a_broken_pot_is_changed_now_roots_untouched_when_it_must_not_be_worked(self):
        self.assert_verdict(seen(pot_broken=True), "repot")
        found = seen(pot_broken=True, window="too early")
        self.assert_verdict(found, "delay")
        self.assertEqual([one.kind for one in found.lesser], ["slip-pot"])
