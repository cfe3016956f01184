"""Two sets of decisions side by side, without a browser."""

from unittest import TestCase

from mirvo.studio.bench_session.entries import save_entries
from mirvo.studio.bench_session.session import begin
from mirvo.studio.path.compare import Decisions, compare_decisions
from mirvo.text.compare import Outcome, comparison_in_short
from mirvo.web.app import create_app
from tests.client import TestClient
from tests.studio.bench_session.bench_case import entry
from tests.studio.path.test_path import PlannedCase
from tests.web.test_pages import words


class InShortTest(TestCase):
    def test_the_year_leads_and_what_is_alike_is_left_out(self):
        first, second = Outcome(2031, 0.62, 2.4, 40), Outcome(2033, 0.31, 2.42, 41)
        self.assertEqual(
            comparison_in_short(2031, first, second),
            [
                "A is likely to get there sooner: by 2031 instead of 2033.",
                "A is more likely to be there by the end of 2031: 62% against 31%.",
            ],
        )

    def test_one_that_never_arrives(self):
        first, second = Outcome(None, 0, None, 10), Outcome(2033, 0, 2.4, 60)
        self.assertEqual(
            comparison_in_short(2030, first, second),
            [
                "Only B is likely to get there: by 2033.",
                "A is easier on the tree: stress 10 in all against 60.",
            ],
        )
        same = comparison_in_short(2030, first, first)
        self.assertEqual(same, ["By the end of 2030 both come to the same."])


class ComparePageTest(PlannedCase):
    def setUp(self):
        super().setUp()
        self.client = TestClient(create_app(self.studio), follow_redirects=False)

    def compared(self, first=None, second=None, year=None):
        pair = (first or Decisions("steady"), second or Decisions("bold"))
        return self.read(compare_decisions, 1, pair, year, self.studio.today)

    def page(self, query="", status=200):
        answer = self.client.get(f"/trees/1/compare?{query}")
        self.assertEqual(answer.status_code, status, answer.text[:300])
        return words(answer)

    def test_a_school_without_other_decisions_is_the_path_of_the_plan(self):
        kept = self.planned(1).result.path_of("steady")
        side = self.compared().sides[0]
        self.assertEqual(side.path.reached_year, kept.reached_year)
        work = [[step.work for step in path.steps] for path in (side.path, kept)]
        self.assertEqual(*work)
        self.assertEqual(side.path.chance_by_year, kept.chance_by_year)

    def test_a_list_is_cut_first_and_a_sound_root_with_it(self):
        made = self.compared(second=Decisions("steady", {"A": 1.0}))
        first, second = made.sides
        self.assertNotIn("A", first.cut)
        self.assertEqual(second.path.steps[0].parts, {"A": 1.0})
        self.assertEqual(second.cut["A"], 1.0)
        # Nothing else was cut in that session, though the plan would have.
        self.assertNotEqual(first.path.steps[0].parts, second.path.steps[0].parts)

    def test_another_target_is_planned_and_not_kept(self):
        wished = self.planned(1).case.target.spread_ratio
        made = self.compared(second=Decisions("steady", target={"spread_ratio": wished + 0.4}))
        years = [side.path.reached_year or 9999 for side in made.sides]
        self.assertLess(years[0], years[1])
        self.assertEqual(self.planned(1).case.target.spread_ratio, wished)

    def test_the_year_is_chosen_within_the_plan(self):
        self.assertEqual(self.compared(year=1).year, self.studio.today.year + 1)
        made = self.compared(year=9999)
        self.assertEqual(made.year, made.years[-1])
        self.assertEqual(made.sides[0].forecast.year, made.year)
        early = self.compared(year=self.studio.today.year + 1)
        self.assertLessEqual(early.sides[0].chance, made.sides[0].chance)

    def test_what_is_marked_at_the_bench_stands_beside_the_plan(self):
        bench = begin(self.studio, 1, "routine")
        saved = save_entries(self.studio, bench.id, [entry("root:A", {"action": "remove"})])
        self.assertEqual(saved.refused, [])
        page = self.page()
        self.assertIn("cuts as marked at the bench", page)
        self.assertIn("cut A", page)

    def test_what_cannot_be_decided_is_said_on_the_page(self):
        self.assertIn("Please give a number", self.page("b_spread_ratio=wide"))
        self.assertIn("No session is open", self.page("b_cuts=marked"))
        self.assertIn("There is no root Q", self.page("b_cuts=listed&b_root=Q"))
        # A gap no target may have would ask for thousands of grafts.
        for gap in ("0.0001", "-5", "1e300"):
            self.assertIn('role="alert"', self.page(f"b_largest_gap_deg={gap}"))
        self.assertIn("compared", self.page("a_school=nobody&year=soon&b_cuts=%00"))

    def test_without_a_target_it_leads_to_the_path(self):
        self.tree(name="Bare larch")
        page = words(self.client.get("/trees/2/compare"))
        self.assertIn("Measure a photo from above first", page)
