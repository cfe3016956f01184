"""A cut list put into a case, worked by hand."""

import unittest

from mirvo.core.errors import BadInput
from mirvo.core.plan.case import Gap, read_case
from mirvo.core.plan.first_session import CuttableRoot, with_cut_list
from mirvo.core.plan.paths import plan_way
from tests.core.plan.test_search import case

# A carries 0.3 and half of it goes in the end; B carries 0.1 and goes; C is sound.
ROOTS = {
    "A": CuttableRoot(0.3, 30.0, 0.5),
    "B": CuttableRoot(0.1, 120.0, 1.0),
    "C": CuttableRoot(0.2, 210.0),
}
FAULTS = [
    {"label": "A", "share": 0.15, "priority": 1},
    {"label": "B", "share": 0.1, "priority": 2, "azimuth_deg": 120.0, "returns_years": 2},
]


class CutListTest(unittest.TestCase):
    def setUp(self):
        self.case = read_case(case(faults=FAULTS, gaps=[]))

    def cut(self, gaps=(), **cuts):
        made = with_cut_list(self.case, 2027, cuts, ROOTS, gaps)
        return made, {fault.label: fault for fault in made.faults}

    def test_what_the_plan_would_take_keeps_its_share(self):
        made, faults = self.cut(A=0.5, B=1.0)
        self.assertEqual(made.first_session.cuts, {"A": 1.0, "B": 1.0})
        self.assertEqual(tuple(faults.values()), self.case.faults)

    def test_less_than_the_plan_would_take_is_part_of_the_fault(self):
        made, faults = self.cut(A=0.2)
        # 0.2 of the root is 0.4 of the half that goes.
        self.assertEqual(made.first_session.cuts, {"A": 0.4})
        self.assertEqual(faults["A"].share, 0.15)

    def test_more_than_the_plan_would_take_makes_the_fault_larger(self):
        made, faults = self.cut(A=1.0)
        self.assertEqual(made.first_session.cuts, {"A": 1.0})
        self.assertEqual((faults["A"].share, faults["A"].azimuth_deg), (0.3, 30.0))

    def test_a_sound_root_becomes_the_last_fault(self):
        made, faults = self.cut(C=0.5)
        self.assertEqual((faults["C"].share, faults["C"].azimuth_deg), (0.1, None))
        self.assertEqual(faults["C"].priority, 3)
        self.assertEqual(made.first_session.cuts, {"C": 1.0})
        step, *later = plan_way(made, "steady").steps
        self.assertEqual(step.fault_parts, {"C": 1.0})
        self.assertEqual({root for one in later for root in one.faults}, {"A", "B"})

    def test_a_gap_that_opens_is_worked_on(self):
        gap = Gap(from_deg=120.0, to_deg=30.0, between="B-A")
        self.assertEqual(self.cut((gap,), C=1.0)[0].gaps, (gap,))

    def test_a_root_nobody_knows_is_refused(self):
        with self.assertRaises(BadInput):
            self.cut(Q=1.0)
