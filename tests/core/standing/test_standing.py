"""Parts of a standing against cases worked out by hand: ball, strength, recovery, answers."""

import unittest
from datetime import date, timedelta

from mirvo.core.standing.answer import Seen, answer_of, bearing_factor, experience_of
from mirvo.core.standing.ball import LeftBall, ball_depth
from mirvo.core.standing.recovery import RootWork, recovery_of
from mirvo.core.standing.strength import Sign, strength_of

DONE = date(2026, 3, 20)


class BallTest(unittest.TestCase):
    def test_grows_20_mm_a_year_up_to_its_real_pot(self):
        left = LeftBall(50.0, DONE, "usual pot", 90.0)
        half = ball_depth(left, "usual pot", None, None, DONE + timedelta(days=183))
        self.assertAlmostEqual(half.value, 60.0, 0)
        later = ball_depth(left, "usual pot", None, None, DONE + timedelta(days=3000))
        self.assertEqual((later.value, later.source), (70.0, "computed"))

    def test_without_a_pots_depth_a_roomy_one_leaves_20_mm_once(self):
        day = DONE + timedelta(days=2000)
        for container, depth in (("basket", 70.0), ("usual pot", 50.0), ("ground", 159.5)):
            left = LeftBall(50.0, DONE, container)
            self.assertAlmostEqual(ball_depth(left, container, None, None, day).value, depth, 0)

    def test_entered_then_guessed_each_with_its_doubt(self):
        entered = ball_depth(None, "usual pot", 80.0, 40.0, DONE)
        self.assertEqual((entered.value, entered.source), (60.0, "typed"))
        guess = ball_depth(None, "usual pot", None, 40.0, DONE)
        self.assertEqual((guess.value, guess.source), (52.0, "guessed"))
        self.assertGreater(guess.plus_minus, entered.plus_minus)
        self.assertIn("inner depth", guess.narrow)
        self.assertIsNone(ball_depth(None, "usual pot", None, None, DONE))


class StrengthTest(unittest.TestCase):
    ROT = Sign("weak", "rot", DONE)

    def test_the_lower_of_both_counts_until_it_is_said_anew(self):
        today = DONE + timedelta(days=30)
        found = strength_of("strong", None, [self.ROT], today)
        self.assertEqual((found.value, found.doubted, found.against), ("weak", True, (self.ROT,)))
        again = strength_of("strong", DONE, [self.ROT], today)
        self.assertEqual((again.value, again.doubted), ("strong", False))

    def test_old_signs_fade_and_better_ones_say_nothing(self):
        later = DONE + timedelta(days=500)
        self.assertEqual(strength_of("strong", None, [self.ROT], later).value, "strong")
        pests = Sign("fair", "pests", DONE)
        self.assertEqual(strength_of("weak", None, [pests], DONE).value, "weak")


class AnswerTest(unittest.TestCase):
    def test_good_fair_poor_and_died(self):
        shoots = DONE + timedelta(days=40)
        self.assertIsNone(answer_of(Seen(), DONE))
        self.assertEqual(answer_of(Seen(5.0, shoots), DONE), "good")
        self.assertEqual(answer_of(Seen(25.0, shoots), DONE), "fair")
        self.assertEqual(answer_of(Seen(5.0, DONE + timedelta(days=80)), DONE), "fair")
        self.assertEqual(answer_of(Seen(60.0, shoots), DONE), "poor")
        self.assertEqual(answer_of(Seen(None, shoots, weak=True), DONE), "poor")
        self.assertEqual(answer_of(Seen(died_on=shoots), DONE), "died")

    def test_a_trees_answers_move_its_bearing_within_limits(self):
        self.assertEqual(bearing_factor([]), 1.0)
        self.assertAlmostEqual(bearing_factor(["good"] * 10), 1.2)
        self.assertAlmostEqual(bearing_factor(["poor"] * 10), 0.6)
        self.assertAlmostEqual(bearing_factor(["good"] * 10 + ["poor"]), 0.96)

    def test_experience_of_a_species(self):
        found = experience_of([(0.3, "good"), (0.5, "poor"), (None, None)])
        self.assertEqual(found.sentence, "3 sessions, median share 40%, 1 good, 1 poor")


class RecoveryTest(unittest.TestCase):
    def test_longer_the_more_was_taken_and_ended_by_shoots(self):
        def until(share, **more):
            work = RootWork("routine", DONE, share, 0.5, **more)
            return (recovery_of(work, None, "seed", DONE).until - DONE).days

        self.assertEqual(until(0.0), 60)
        self.assertEqual(until(0.5), 365)
        # More than it could bear: it rests one spring more.
        self.assertEqual(until(0.9), 540)
        self.assertEqual(until(0.25), 212)
        self.assertEqual(until(0.5, answer="poor"), 548)
        shoots = DONE + timedelta(days=70)
        self.assertEqual(until(0.5, answer="good", shoots_on=shoots), 70)

    def test_what_was_dug_or_came_bare_recovers_from_having_come(self):
        for origin in ("collected with permission", "bare-root purchase", "volunteer seedling"):
            self.assertTrue(recovery_of(None, DONE, origin, DONE).holds(DONE))
        self.assertIsNone(recovery_of(None, DONE, "seed", DONE))
