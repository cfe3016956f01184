"""What the studio's own trees of a species came to, beside the general guidance."""

from datetime import date

from mirvo.core.limits.sessions import SessionFields
from mirvo.studio.almanac.experience import own_experience
from mirvo.studio.almanac.practice_effects import effects_of
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.standing.practice import take_preset
from mirvo.studio.standing.standing import standing_of
from tests.studio_case import StudioCase


class ExperienceTest(StudioCase):
    def test_own_sessions_stand_beside_the_guidance(self):
        self.tree(acquired_on=date(2015, 1, 1))
        for year in (2018, 2020, 2024):
            form = SessionFields(kind="routine", done_on=date(year, 3, 20), share_judged=40)
            record_session(self.studio, 1, form)
        found = self.read(own_experience, "zelkova", self.studio.today)
        self.assertEqual((found.trees, found.sessions.sessions), (1, 3))
        # Two and four years apart.
        self.assertAlmostEqual(found.interval_years, 3.0, delta=0.01)
        # 20 March is a month before the last frost.
        self.assertAlmostEqual(found.weeks[1], -31 / 7, delta=0.01)
        self.assertEqual(self.read(own_experience, "privet", self.studio.today).trees, 0)


class EffectsTest(StudioCase):
    def test_each_preset_takes_more_and_shelters_no_longer(self):
        tree = self.tree(acquired_on=date(2015, 1, 1))
        found = []
        for name in ("gentle", "steady", "bold"):
            take_preset(self.studio, name)
            stands = self.read(standing_of, tree.id, self.studio.today)
            found.append(effects_of(self.yard(), stands))
        budgets = [one.budget for one in found]
        self.assertEqual(budgets, sorted(set(budgets)))
        self.assertTrue(all(one.matched >= one.budget >= one.early for one in found))
        shaded = [one.shade_days for one in found]
        self.assertEqual(shaded, sorted(shaded, reverse=True))
