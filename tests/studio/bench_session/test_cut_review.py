"""Deciding at the bench: advice, the base after the cuts, the share."""

from mirvo.studio.almanac.practice_effects import effects_of
from mirvo.studio.measuring.desk import evaluate
from mirvo.studio.standing.practice import save_practice, save_tree_practice, take_preset
from mirvo.studio.standing.standing import standing_of
from tests.studio.bench_session.bench_case import BenchCase
from tests.studio_case import TODAY

IN_SEASON = TODAY.replace(year=2027, month=3, day=28)


class DecidingTest(BenchCase):
    def setUp(self):
        super().setUp()
        self.enter(bud_stage="buds swelling", ball_depth_before=80)

    def test_the_after_picture_is_the_same_marks_measured_without_the_cut_roots(self):
        self.enter_field("root:A", {"action": "remove"})
        self.enter_field("root:C", {"action": "remove"})
        review = self.review()
        state = self.open_desk(1)
        left = tuple(root for root in state.marks.roots if root.label not in "AC")
        marks = state.marks.model_copy(update={"roots": left})
        measured = self.read(evaluate, self.studio, state.photo, marks).top
        self.assertEqual(review.after.radiality, measured.radiality)
        self.assertEqual(review.after.spread, measured.spread)
        self.assertEqual(review.before.radiality, state.found.top.radiality)

    def test_findings_change_the_advice_and_the_share(self):
        review = self.review()
        label = next(one for one, advice in review.advice.items() if advice.action == "keep")
        self.enter_field(f"seen:{label}", {"condition": "dead"})
        advice = self.review().advice[label]
        self.assertEqual((advice.action, advice.share), ("remove", 0.0))
        self.enter_field(f"seen:{label}", {"feeds": ["apex"], "height": "above"})
        self.assertEqual(self.review().advice[label].held_back[0].code, "only_feeder")
        self.assertEqual(self.review().stems, ["apex"])

    def test_the_slice_needs_the_depth_and_counts(self):
        self.enter(slice_mm=20)
        edge, below = self.review().estimate.edge, 0.6
        self.assertAlmostEqual(
            self.review().review.share_decided, 1 - (1 - edge) * (1 - below * 20 / 80)
        )
        self.enter(ball_depth_before=None)
        self.assertIn("depth", self.review().problem)

    def test_a_dormant_tree_before_its_window_is_an_edge_only_under_shelter(self):
        def early_limit():
            stands = self.read(standing_of, self.here.id, self.studio.today)
            return effects_of(self.yard(), stands).early

        early = early_limit()
        save_practice(self.studio, {"dormant": "swelling"})
        self.assertEqual(early_limit(), 0.0)
        self.assertGreater(early, 0.0)


class InSeasonTest(BenchCase):
    def opened(self, now=None):
        return super().opened(now or IN_SEASON)

    def test_a_tree_may_be_worked_otherwise_than_the_studio(self):
        self.enter(bud_stage="buds swelling")
        steady = self.review().review.budget
        take_preset(self.studio, "gentle")
        gentle = self.review().review.budget
        save_tree_practice(self.studio, 1, {"budget": "bold", "wounds": ""})
        bold = self.review().review.budget
        self.assertLess(gentle, steady)
        self.assertLess(steady, bold)
        self.assertEqual(self.load_tree(1).practice, {"budget": "bold"})
