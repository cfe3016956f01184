"""The sentences of advice, for every code a verdict can bear."""

import random
import re
import unittest
from dataclasses import replace
from datetime import date

from mirvo.core.coded import coded
from mirvo.core.rootwork import SessionLimits
from mirvo.core.season import Season, Window
from mirvo.core.standing.recovery import Recovery
from mirvo.core.standing.signs import DELAYS, DIAGNOSIS, SIGNS
from mirvo.core.standing.standing import Soil
from mirvo.core.standing.verdict import VERDICTS
from mirvo.text import advice
from tests.core.standing.test_verdict import DAY, EARLY, OPEN, judged, tree

CLOSING = replace(OPEN, state="closing")
RECOVERING = [
    Recovery(date(2027, 6, 1), coded("few_roots", came_on=date(2027, 3, 1)), False),
    Recovery(date(2027, 6, 1), coded("worked_poorly", done_on=date(2027, 3, 1), share=0.28)),
]
SENTENCE = re.compile(r"[A-Z].*[.]")


class AdviceTest(unittest.TestCase):
    def test_every_verdict_has_a_heading_and_every_sign_its_words(self):
        self.assertEqual(set(advice.HEADLINES), set(VERDICTS))
        self.assertEqual(set(advice.SIGNS), set(SIGNS))
        self.assertEqual(set(advice.DIAGNOSIS), set(DIAGNOSIS))
        self.assertEqual(set(advice.STOPGAPS), set(DELAYS))

    def test_whatever_a_tree_comes_to_can_be_told(self):
        rng, told = random.Random(7), set()
        for _ in range(6000):
            standing = tree(
                season=rng.choice([OPEN, EARLY, CLOSING]),
                strength=rng.choice(["strong", "fair", "weak"]),
                years=rng.choice([None, 0.5, 1.0, 4.0, 12.0]), water_dish=rng.random() < 0.2,
                delays=rng.choice([0, 2]), newcomer=rng.random() < 0.3, due=rng.random() < 0.7,
                soil=Soil("", None, rng.random() < 0.3), keeps_soil=rng.random() < 0.2,
                stage=rng.choice(["growing", "showing"]),
                recovery=rng.choice([None, None, *RECOVERING]),
            )  # fmt: skip
            standing = replace(
                standing,
                held_bare=rng.random() < 0.1,
                dead_on=rng.choice([None] * 9 + [DAY]),
                second_session=rng.random() < 0.5,
            )
            seen = rng.sample(SIGNS, rng.choice([0, 1, 2, 3]))
            found = judged(
                standing,
                *seen,
                newcomer=rng.choice(["settle", "at_once"]),
                days_between=rng.choice([None, 1.0]),
                days_usual=3.0,
            )
            self.assertRegex(advice.what_today(found), SENTENCE)
            for reason in (*found.speaks_for, *found.against):
                self.assertTrue(advice.reason_text(reason))
            told |= {one.code for one in (*found.today, *found.speaks_for, *found.against)}
        self.assertEqual(set(advice.TODAY) - told, set())
        self.assertEqual((set(advice.REASONS) | set(advice.MAKERS)) - told, {"planned_later"})

    def test_the_action_comes_first_and_a_far_window_names_its_year(self):
        near = judged(tree(season=EARLY, years=4.0))
        self.assertEqual(advice.headline(near), "Repot in March")
        far = replace(near, window=Window(date(2029, 3, 1), date(2029, 4, 1), date(2029, 3, 12)))
        self.assertEqual(advice.headline(far), "Repot in March 2029")

    def test_the_limit_is_told_for_the_day_and_for_the_window(self):
        shut = Season("shut", date(2027, 3, 10), date(2027, 4, 10), date(2027, 3, 25))
        standing = replace(
            tree(season=shut),
            limits=SessionLimits(0.0, 0.6, 0.08),
            window_limits=SessionLimits(0.42, 0.6, 0.08),
        )
        found = replace(judged(standing), kind="repot_next", window=shut.window)
        self.assertEqual(
            advice.limits_text(standing, found),
            "Today is out of season. In that window you can remove up to 42% of the fine roots.",
        )
        leave = replace(found, kind="leave")
        self.assertNotIn("Today", advice.limits_text(standing, leave))
        self.assertIn(
            "its next window, 10 Mar – 10 Apr 2027, you", advice.limits_text(standing, leave)
        )

    def test_bare_roots_wait_for_no_window(self):
        standing = tree(season=EARLY, held_bare=True)
        found = judged(standing)
        self.assertEqual((advice.headline(found), advice.window_text(found)), ("Pot it now", ""))
        self.assertEqual(
            advice.limits_text(standing, found),
            "Until its window, 10 Mar – 10 Apr 2027, remove only what is dead.",
        )

    def test_a_recovery_tells_what_was_done(self):
        for recovery, text in zip(
            RECOVERING,
            (
                "it came on 1 March 2027 with few roots of its own",
                "you worked its roots on 1 March 2027 and removed 28% of the fine roots, and it "
                "recovered poorly",
            ),
            strict=True,
        ):
            reason = coded("recovering", until=recovery.until, why=recovery.why)
            self.assertEqual(
                advice.reason_text(reason), f"it is recovering until 1 June 2027: {text}"
            )

    def test_times_are_told_as_people_tell_them(self):
        for months, usual, text in [
            (1, 1, "1 month since the last session; usually every year"),
            (18, 2, "18 months since the last session; usually every 2 years"),
            (32.4, 3, "2.7 years since the last session; usually every 3 years"),
            (None, 3, "no root session is on record"),
        ]:
            self.assertEqual(
                advice.reason_text(coded("interval", months=months, usual=usual)), text
            )
