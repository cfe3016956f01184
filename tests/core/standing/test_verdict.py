"""Is it time? Written cases, each with what an experienced artist would answer."""

import unittest
from dataclasses import replace
from datetime import date, timedelta

from mirvo.core.coded import coded
from mirvo.core.rootwork import SessionLimits
from mirvo.core.season import Season, Window
from mirvo.core.standing.recovery import Recovery, recovery_of
from mirvo.core.standing.signs import SIGNS, Observation, looked
from mirvo.core.standing.standing import Interval, Soil, Standing
from mirvo.core.standing.strength import Strength
from mirvo.core.standing.verdict import verdict

DAY = date(2027, 3, 20)
OPEN = Season("open", date(2027, 3, 10), date(2027, 4, 10), date(2027, 3, 25))
EARLY = Season("too early", date(2027, 3, 10), date(2027, 4, 10), date(2027, 3, 25))
LIMITS = SessionLimits(0.4, 0.6, 0.08)


def tree(season=OPEN, years=3.0, interval=2.0, strength="strong", day=DAY, due=True, **more):
    """A tree in its window whose interval is over."""
    start = season.start if due else season.start.replace(year=season.start.year + 2)
    window = Window(start, start + timedelta(days=31), start + timedelta(days=15))
    last = None if years is None else day - timedelta(days=round(years * 365.25))
    since = None if years is None else years * 12
    known = {
        "day": day,
        "age": "mature",
        "stage": "growing",
        "strength": Strength(strength, strength),
        "season": season,
        "interval": Interval(interval, max(2 * interval, interval + 1), last, last, since),
        "next_window": window,
        "limits": LIMITS,
        "window_limits": LIMITS,
        "ball": None,
        "soil": Soil("", None, False),
        "recovery": None,
    }
    return Standing(**{**known, **more})


def codes(told):
    return [one.code for one in told]


def judged(standing, *signs, **more):
    return verdict(standing, looked(signs, **more))


RECOVERING = Recovery(DAY + timedelta(days=90), coded("worked", done_on=DAY, share=0.3))


class VerdictTest(unittest.TestCase):
    def assert_kind(self, found, kind):
        self.assertEqual(found.kind, kind, (found.speaks_for, found.against))

    def test_dying_shoots_alone_open_the_diagnosis(self):
        found = judged(tree(), "dying_shoots")
        self.assert_kind(found, "open")
        self.assertTrue("dark_ring" in found.diagnosis)

    def test_no_alarming_sign_is_ever_answered_by_leave(self):
        for sign in ("dying_shoots", "sour_soil", "pest", "dark_ring"):
            for season in (OPEN, EARLY):
                for due in (True, False):
                    found = judged(tree(season=season, due=due, years=1.0), sign)
                    self.assertNotEqual(found.kind, "leave", sign)
                    self.assertTrue(found.diagnosis)

    def test_stock_with_bare_roots_is_potted_whatever_else_holds(self):
        for season in (OPEN, EARLY):
            for strength in ("strong", "weak"):
                bare = tree(season=season, strength=strength, due=False, held_bare=True)
                found = judged(bare)
                self.assert_kind(found, "repot_now")
                self.assertEqual(found.session, "first")
                self.assertEqual(codes(found.today), ["pot_bare"])
        # Disease of its vessels comes first, and what stands in the ground has no bare roots.
        self.assert_kind(judged(bare, "dark_ring"), "emergency")
        dug = judged(replace(bare, in_ground=True))
        self.assertNotIn("pot_bare", codes(dug.today))

    def test_a_tree_that_fills_its_pot_in_months_may_be_worked_again(self):
        fast = tree(years=0.3, interval=1.0, due=False, second_session=True)
        self.assert_kind(judged(fast, "roots_at_holes"), "repot_now")
        self.assert_kind(judged(fast), "leave")
        self.assertIn("once_more", codes(judged(fast).today))
        slow = replace(fast, second_session=False)
        self.assert_kind(judged(slow, "roots_at_holes"), "open")
        self.assertNotIn("once_more", codes(judged(slow).today))

    def test_sour_wet_and_weak_changes_the_soil_now(self):
        found = judged(tree(season=EARLY, strength="weak"), "sour_soil", "stays_wet")
        self.assert_kind(found, "change_soil")
        self.assertEqual(found.session, "change-soil")

    def test_a_weak_tree_in_decayed_soil_waits_for_its_window_if_it_can(self):
        self.assertIsNotNone(judged(tree(season=EARLY, strength="weak"), "soil_decayed").on)
        found = judged(tree(strength="weak"), "soil_decayed")
        self.assert_kind(found, "change_soil")
        self.assertIsNone(found.on)

    def test_worked_today_stays_wet_and_weak_is_asked_what_the_session_did(self):
        found = judged(tree(strength="weak", recovery=RECOVERING), "stays_wet")
        self.assert_kind(found, "rest")
        self.assertEqual(codes(found.today), ["ask_last_session", "nurse"])

    def test_a_pine_far_over_its_longest_interval_is_repotted_even_on_evidence(self):
        pine = tree(season=EARLY, years=15.0, interval=5.0)
        found = verdict(pine, Observation(when="evidence"))
        self.assert_kind(found, "repot_next")
        self.assertIn(coded("beyond_longest", years=10), found.speaks_for)

    def test_a_broken_pot_cannot_wait_whatever_the_count_of_delays(self):
        found = judged(tree(season=EARLY, delays=2), "pot_broken")
        self.assert_kind(found, "delay")
        self.assertIsNone(found.lesser[0].refused_after)
        self.assert_kind(judged(tree(), "pot_broken"), "repot_now")

    def test_a_newcomer_is_left_or_repotted_as_the_practice_says_or_keeps_its_soil(self):
        foreign = Soil("peat", DAY - timedelta(days=60), True)
        came = {"soil": foreign, "newcomer": True, "years": None}
        self.assert_kind(judged(tree(**came), newcomer="settle"), "leave")
        self.assert_kind(judged(tree(**came), newcomer="at_once"), "repot_now")
        early = judged(tree(season=EARLY, **came), newcomer="at_once")
        self.assert_kind(early, "repot_next")
        kept = judged(tree(keeps_soil=True, **came), newcomer="at_once")
        self.assert_kind(kept, "leave")
        self.assertEqual(codes(kept.today), ["own_soil"])

    def test_due_by_years_in_and_out_of_season(self):
        self.assert_kind(judged(tree()), "repot_now")
        found = judged(tree(season=EARLY))
        self.assert_kind(found, "repot_next")
        self.assertEqual(found.on, EARLY.start)
        self.assert_kind(judged(tree(years=1.0, due=False)), "leave")

    def test_what_presses_is_delayed_by_the_step_that_fits_and_not_a_third_time(self):
        signs = ("roots_at_holes", "water_stands", "thick_moss")
        found = judged(tree(season=EARLY), *signs)
        self.assert_kind(found, "delay")
        self.assertEqual([step.kind for step in found.lesser], ["slip-pot", "edge-cut", "top-up"])
        third = judged(tree(season=EARLY, delays=2), *signs)
        self.assert_kind(third, "repot_next")
        self.assertEqual(third.lesser[0].refused_after, 2)

    def test_an_urgent_sign_never_sends_a_tree_past_a_window(self):
        # By its interval and its path it would be due in 2029; the next window is that of 2027.
        winter = replace(EARLY, start=date(2027, 3, 10))
        for signs in (
            ("ball_lifting", "roots_at_holes"),
            ("soil_decayed", "stays_wet", "thick_moss"),
        ):
            found = judged(
                tree(season=winter, day=date(2026, 12, 20), due=False, years=1.0), *signs
            )
            self.assert_kind(found, "repot_next")
            self.assertEqual((found.on, found.window.start), (winter.start, winter.start))
            self.assertEqual((found.on, codes(found.today)[0]), (date(2027, 3, 10), "prepare"))
        self.assertTrue({"nurse", "drain_until_then"} & set(codes(found.today)))
        # Without one it keeps to its interval.
        calm = judged(tree(season=winter, day=date(2026, 12, 20), due=False, years=9.0))
        self.assertEqual((calm.on, calm.window.start), (date(2029, 3, 10), date(2029, 3, 10)))

    def test_a_window_three_months_off_is_waited_for(self):
        signs = ("roots_at_holes", "water_stands", "thick_moss")
        for day, kind in (
            (date(2026, 12, 20), "repot_next"),
            # The first of December, and a window that opens in the second week of March.
            (EARLY.start - timedelta(days=98), "repot_next"),
            (date(2026, 8, 20), "delay"),
        ):
            found = judged(tree(season=EARLY, day=day), *signs)
            self.assert_kind(found, kind)
            self.assertEqual(bool(found.lesser), kind == "delay")
            self.assertEqual(found.on, EARLY.start)

    def test_only_a_tree_that_was_worked_is_asked_what_its_session_did(self):
        came = recovery_of(None, DAY - timedelta(days=40), "dug from a garden", DAY)
        for recovery, asked in ((RECOVERING, True), (came, False)):
            found = judged(tree(recovery=recovery), "stays_wet")
            self.assert_kind(found, "rest")
            self.assertEqual("ask_last_session" in codes(found.today), asked)
            self.assertTrue({"nurse", "drain_until_then"} & set(codes(found.today)))

    def test_a_tree_on_show_delayed_twice_gets_a_larger_pot_for_good(self):
        self.assert_kind(judged(tree(stage="showing", delays=2)), "larger_pot")

    def test_a_water_dish_voids_wetness_and_names_it(self):
        found = judged(tree(years=1.0, due=False, water_dish=True, strength="weak"), "stays_wet")
        self.assert_kind(found, "rest")
        self.assertIn("water_dish", codes(found.against))

    def test_wet_dying_roots_are_an_emergency_whatever_the_season(self):
        for season in (OPEN, EARLY):
            found = judged(tree(season=season), "dying_shoots", "stays_wet")
            self.assert_kind(found, "emergency")
            self.assertEqual(found.session, "emergency")

    def test_every_ticked_sign_is_answered_for(self):
        for sign in SIGNS:
            for standing in (
                tree(), tree(season=EARLY), tree(strength="weak"), tree(water_dish=True),
                tree(recovery=RECOVERING), tree(years=None),
            ):  # fmt: skip
                found = judged(standing, sign)
                told = [reason.values for reason in (*found.speaks_for, *found.against)]
                named = {one.get("sign") for one in told}.union(
                    *(one.get("signs", ()) for one in told)
                )
                self.assertIn(sign, named)

    def test_a_dead_tree_is_left(self):
        self.assert_kind(judged(replace(tree(), dead_on=DAY), "dying_shoots"), "leave")
