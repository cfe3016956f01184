"""Closing a session: the record it makes, and what it leaves."""

from mirvo.core.errors import BadInput
from mirvo.studio.bench_session.closing import close_session
from mirvo.studio.bench_session.entries import save_entries
from mirvo.studio.bench_session.session import begin, running_sessions
from mirvo.studio.records.aftercare import tasks_of_session
from mirvo.studio.yard.trees import offspring
from tests.studio.bench_session.bench_case import BenchCase, entry


class ClosingTest(BenchCase):
    def setUp(self):
        super().setUp()
        self.enter(bud_stage="buds swelling", ball_depth_before=80, slice_mm=20, old_soil=[7, 8])
        self.enter_field("root:B", {"action": "halve"})
        self.enter_field("root:A", {"action": "remove", "why": "above the others"})

    def test_closing_writes_one_record_with_its_aftercare_and_unfinished_work(self):
        self.enter(offcuts_g=200, ball_g=600, next_when="spring 2028 if it filled the pot")
        session = close_session(self.studio, self.bench.id)
        self.assertEqual(close_session(self.studio, self.bench.id).id, session.id)
        self.assertEqual(len(self.sessions_of(1)), 1)
        self.assertEqual(session.slice_mm, 20)
        done = {
            label: (cut.done_action, cut.done_part)
            for label, cut in self.cuts_of(session).items()
            if cut.done_action != "keep"
        }
        self.assertEqual(done, {"A": ("remove", 1.0), "B": ("shorten", 0.5)})
        self.assertEqual(self.cuts_of(session)["A"].why, "above the others")
        codes = [one.code for one in session.unfinished]
        self.assertEqual(
            [code for code in codes if code != "spared"], ["halved", "old_soil", "return"]
        )
        self.assertEqual(session.share_weighed, 0.25)
        self.assertIn("place", [task.code for task in self.read(tasks_of_session, session.id)])
        saved = save_entries(self.studio, self.bench.id, [entry("soil", "late")])
        self.assertIn("closed", saved.refused[0].message)
        self.assertEqual(self.read(running_sessions), [])

    def test_offcuts_kept_are_trees_with_their_parent(self):
        self.enter(offcuts_kept=2)
        close_session(self.studio, self.bench.id)
        _, children = self.read(offspring, self.load_tree(1), self.studio.today)
        self.assertEqual([child.species_key for child in children], ["zelkova"] * 2)
        self.assertEqual(self.read(offspring, children[0], self.studio.today)[0].id, 1)

    def test_a_root_removed_is_gone_from_the_next_session_and_what_was_left_stands_first(self):
        close_session(self.studio, self.bench.id)
        self.bench = begin(self.studio, 1, "routine")
        self.assertNotIn("A", self.review().cases)
        self.assertEqual(self.state().old_soil_hours, (7, 8))
        self.enter(old_soil=[])
        self.assertEqual(self.state().old_soil_hours, ())
        texts = [one.text for one in self.state().last.unfinished]
        self.assertIn("Root B was halved: the rest next time.", texts)

    def test_weighing_corrects_the_next_estimates_of_this_tree(self):
        self.enter(offcuts_g=900, ball_g=600)
        close_session(self.studio, self.bench.id)
        plain = self.sessions_of(1)[0].share_computed
        self.bench = begin(self.studio, 1, "routine")
        self.enter(bud_stage="buds swelling", ball_depth_before=80, slice_mm=20)
        ratio = min(2.5, 0.6 / plain)
        estimate = self.review().estimate
        self.assertAlmostEqual(estimate.share, min(1, estimate.uncorrected * ratio), 6)

    def test_what_cannot_be_recorded_is_said_and_nothing_is_lost(self):
        self.enter(slice_mm=90)
        with self.assertRaises(BadInput) as refused:
            close_session(self.studio, self.bench.id)
        self.assertEqual(refused.exception.field, "slice_mm")
        self.assertEqual(self.sessions_of(1), ())
        self.assertEqual(self.state().answers["slice_mm"], 90.0)
