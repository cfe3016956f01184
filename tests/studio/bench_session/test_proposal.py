"""What the plan proposes at the bench, what is left of it at closing, and grafts in the record."""

from mirvo.core.limits.sessions import SessionFields
from mirvo.core.limits.targets import TargetFields
from mirvo.core.plan.records import GapWork, PlannedStep
from mirvo.studio.bench_session.closing import close_session, unfinished
from mirvo.studio.bench_session.proposal import proposed
from mirvo.studio.path.path import plan_path
from mirvo.studio.path.plans import actual_session
from mirvo.studio.path.target import set_target
from mirvo.studio.records.aftercare import tasks_of_session
from mirvo.studio.records.record import record_of
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.standing.kept_plans import grafts_set
from tests.studio.bench_session.bench_case import BenchCase

STEP = PlannedStep(
    year=2027, share=0.3, budget=0.38, strain=40.0, slice_mm=12.0, container="board in a wide pot",
    grafts=(GapWork(azimuth_deg=107.0), GapWork(azimuth_deg=40.0)),
    ball_depth_mm=(90.0, 78.0), woody_depth_mm=(80.0, 70.0),
)  # fmt: skip


class ProposalTest(BenchCase):
    def plan(self):
        target = TargetFields(
            spread_ratio=1.8, basis="roots", largest_gap_deg=60, pot_depth_mm=60, year=2034
        )
        set_target(self.studio, 1, target)
        plan_path(self.studio, 1)

    def test_each_field_the_plan_speaks_of(self):
        self.assertEqual(proposed(None, self.here), {})
        self.assertEqual(
            proposed(STEP, self.here),
            {
                "container_after": "board in a wide pot",
                "slice_mm": 12.0,
                "graft_hours": "1:20, 3:35",
            },
        )
        plain = STEP.model_copy(update={"grafts": (), "slice_mm": 0.0})
        self.assertEqual(set(proposed(plain, self.here)), {"container_after"})

    def test_a_tree_that_stays_in_its_kind_of_pot_goes_back_into_its_own(self):
        self.here.pot_id = 7
        self.assertNotIn("pot_id", proposed(STEP, self.here))
        stays = STEP.model_copy(update={"container": self.here.container})
        self.assertEqual(proposed(stays, self.here)["pot_id"], 7)

    def test_a_pot_of_the_shelf_and_trimmed_sides(self):
        step = STEP.model_copy(
            update={
                "pot": "grey oval", "side_trim_mm": 12,
                "ball_length_mm": (300.0, 276.0), "ball_width_mm": (220.0, 196.0),
            }
        )  # fmt: skip
        found = proposed(step, self.here, {"grey oval": 3, "show tray": 4})
        self.assertEqual(found["pot_id"], 3)
        self.assertEqual((found["ball_length_after"], found["ball_width_after"]), (276.0, 196.0))
        # A pot that has gone from the shelf is not proposed.
        self.assertNotIn("pot_id", proposed(step, self.here, {}))

    def test_what_is_planned_and_not_noted_is_left_for_next_time(self):
        self.plan()
        state = self.state()
        self.assertTrue(state.planned.grafts)
        said = [one.text for one in unfinished(state, self.review()) if one.code == "planned"]
        self.assertTrue(any(text.startswith("Set the graft") for text in said), said)
        self.enter(graft_hours="3:30")
        left = [one.text for one in unfinished(self.state(), self.review())]
        self.assertFalse(any(text.startswith("Set the graft") for text in left))

    def test_a_graft_set_in_a_routine_session_is_in_its_record_and_followed(self):
        self.enter(graft_today=True, graft_hours="10:05, 3:30", graft_how="thread")
        session = close_session(self.studio, self.bench.id)
        self.assertEqual(grafts_set(session), [105.0, 302.5])
        self.assertEqual(actual_session(session, ()).grafts_deg, (105.0, 302.5))
        codes = [task.code for task in self.read(tasks_of_session, session.id)]
        self.assertLessEqual({"graft-buds", "graft-thicker", "graft-taken"}, set(codes))
        record = self.read(record_of, session, self.here)
        # No plan was made, so nothing is held against one.
        self.assertEqual(record.pairs, ())
        session.planned = STEP
        [pair] = [
            one for one in self.read(record_of, session, self.here).pairs if "raft" in one.name
        ]
        self.assertEqual(
            (pair.planned, pair.done, pair.otherwise), ("1:20, 3:35", "3:30, 10:05", True)
        )

    def test_a_layer_is_not_held_against_the_plan(self):
        self.plan()
        layer = SessionFields(kind="layer", done_on=self.studio.today)
        self.assertIsNone(record_session(self.studio, 1, layer).planned)
        self.plan()
        routine = SessionFields(done_on=self.studio.today)
        self.assertIsNotNone(record_session(self.studio, 1, routine).planned)
