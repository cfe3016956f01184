"""Plans read as an artist would before signing them."""

import itertools
import unittest

from mirvo.core.plan.case import FINAL, read_case
from mirvo.core.plan.paths import plan
from mirvo.core.plan.problem import PlanningProblem
from tests.core.plan.signed_cases import SIGNED


class SignedTest(unittest.TestCase):
    def test_every_plan_of_twenty_trees(self):
        for why, data in SIGNED.items():
            case = read_case(data)
            for path in plan(case).paths:
                with self.subTest(why, school=path.school):
                    self.assertTrue(path.settled)
                    self.concrete(path)
                    if path.unreachable is None:
                        self.sound(case, path)
                    self.rested(case, path)
                    self.never_wider_or_deeper(path)

    def concrete(self, path):
        """The next step says what to do, when, and where the tree goes."""
        self.assertTrue(path.steps)
        self.assertEqual(path.steps[0].reasons[-1][-1], ".")
        self.assertTrue(path.steps[0].container)
        if path.reached_year is None:
            self.assertTrue(path.next_step and path.unreachable.fails)
        else:
            self.assertIn(path.reached_year, path.chance_by_year)
            if path.likely_year is not None:
                self.assertGreaterEqual(path.likely_year, path.reached_year)

    def sound(self, case, path):
        """Faults first, no slice that is not worth a saw, and a last pot that fits."""
        problem = PlanningProblem(case, path.school)
        steps = [step for step in path.steps if not step.keeping]
        if case.faults or problem.open_gaps:
            self.assertEqual(steps[0].year, problem.first_possible)
        if any(not fault.after_graft for fault in case.faults):
            self.assertTrue(steps[0].faults)
        for step in steps:
            after = step.ball_after_mm
            to_need = abs(after - case.need_mm) < 0.05
            self.assertTrue(step.slice_mm == 0 or step.slice_mm >= 10 or to_need, step)
            if step.slice_mm:
                self.assertGreaterEqual(after, 0.3 * case.state.trunk_diameter_mm - 0.05)
        for step in steps[-1:]:
            _, length, width = case.last_pot_mm
            self.assertEqual(step.container, FINAL)
            self.assertLessEqual(step.ball_after_mm, case.need_mm + 0.05)
            if step.ball_length_mm and step.ball_width_mm:
                self.assertLessEqual(step.ball_length_mm[1], length - 20)
                self.assertLessEqual(step.ball_width_mm[1], width - 20)

    def rested(self, case, path):
        """Nothing sooner than its rest, and past youth no more than one session in two years."""
        problem, steps = PlanningProblem(case, path.school), path.steps
        for before, after in itertools.pairwise(steps):
            least = problem.least_years(problem.rest_after(before.strain))
            self.assertGreaterEqual(after.year - before.year, least)
        if case.age != "young" and len(steps) > 1:
            self.assertGreaterEqual(steps[-1].year - steps[0].year, 2 * (len(steps) - 1))
        last, rest = case.state.last_session_year, problem.rest_today
        if last is not None:
            self.assertGreaterEqual(steps[0].year - last, problem.least_years(rest))

    def never_wider_or_deeper(self, path):
        """Between one session and the next the ball only grows where its pot is a real one."""
        for before, after in itertools.pairwise(path.steps):
            if before.pot is None and before.container != "ground" and not before.layer:
                self.assertLessEqual(after.ball_depth_mm[0], before.ball_after_mm + 0.05)
            if before.ball_length_mm and after.ball_length_mm:
                self.assertLessEqual(after.ball_length_mm[1], before.ball_length_mm[1])
                self.assertLessEqual(after.ball_width_mm[1], before.ball_width_mm[1])
