"""Planned against done, case by case."""

import unittest

from mirvo.core.plan.plan_vs_actual import ActualSession, against_plan
from mirvo.core.plan.records import GapWork, PlannedStep

STEP = PlannedStep(
    year=2027,
    share=0.30,
    budget=0.38,
    strain=60.0,
    slice_mm=20.0,
    container="usual pot",
    fault_parts={"C": 1.0, "F": 0.5},
    ball_depth_mm=(90.0, 70.0),
    woody_depth_mm=(80.0, 70.0),
)


def codes(step=STEP, **changes):
    values = {
        "year": 2027, "roots": {"C": 1.0, "F": 0.5}, "slice_mm": 20, "share": 0.30,
        "container": "usual pot",
    }  # fmt: skip
    return [one.code for one in against_plan(step, ActualSession(**(values | changes)))]


class PlanVsActualTest(unittest.TestCase):
    def test_as_planned(self):
        self.assertEqual(codes(), [])
        self.assertEqual(codes(slice_mm=21, share=0.32), [])

    def test_each_difference_by_itself(self):
        self.assertEqual(codes(step=None), ["unplanned"])
        self.assertEqual(codes(roots={"F": 0.5}), ["spared"])
        self.assertEqual(codes(roots={"C": 0.5, "F": 0.5}), ["less"])
        self.assertEqual(codes(roots={"C": 1.0, "F": 1.0, "H": 0.2}), ["extra"])
        self.assertEqual(codes(slice_mm=30), ["slice"])
        self.assertEqual(codes(container="final pot"), ["container"])

    def test_more_than_the_budget_is_said(self):
        [one] = against_plan(STEP, ActualSession(2027, {"C": 1, "F": 0.5}, 20, 0.41, "usual pot"))
        self.assertEqual(one.text, "41% of the fine roots went instead of 30%, above the "
                         "budget of 38%.")  # fmt: skip
        [under] = against_plan(STEP, ActualSession(2027, {"C": 1, "F": 0.5}, 20, 0.36, "usual pot"))
        self.assertNotIn("budget", under.text)

    def test_a_fault_that_is_a_part_of_a_root_is_held_against_that_part(self):
        # Of C half the root was to go in all, and all of that in this session.
        shortened = STEP.model_copy(update={"root_parts": {"C": 0.5, "F": 0.5}})
        self.assertEqual(codes(step=shortened, roots={"C": 0.5, "F": 0.5}), [])
        self.assertEqual(codes(step=shortened, roots={"C": 0.2, "F": 0.5}), ["less"])

    def test_a_graft_is_held_against_its_place(self):
        planned = STEP.model_copy(update={"grafts": (GapWork(azimuth_deg=107.0),)})
        [missing] = against_plan(planned, self.done())
        self.assertEqual(missing.text, "The graft planned at 3:35 was not set.")
        # Within half an hour of the clock it is where it was planned, also over noon.
        self.assertEqual(against_plan(planned, self.done(grafts_deg=(120.0,))), [])
        noon = STEP.model_copy(update={"grafts": (GapWork(azimuth_deg=355.0),)})
        self.assertEqual(against_plan(noon, self.done(grafts_deg=(5.0,))), [])
        elsewhere = against_plan(planned, self.done(grafts_deg=(200.0,)))
        self.assertEqual([one.code for one in elsewhere], ["graft", "graft"])
        self.assertIn("6:40 that was not planned", elsewhere[1].text)

    def done(self, **more):
        return ActualSession(2027, {"C": 1.0, "F": 0.5}, 20, 0.30, "usual pot", **more)
