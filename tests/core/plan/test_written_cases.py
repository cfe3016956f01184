"""Twelve written trees: what two schools of artists would do, and that plan and verdict do it."""

import itertools
import unittest

from mirvo.core.plan.case import read_case
from mirvo.core.plan.paths import plan
from tests.core.plan.test_search import case
from tests.core.standing.test_verdict import EARLY, RECOVERING, judged, tree

PINE = {
    "group": "conifer",
    "interval_years": 5,
    "budget": {"gentle": 0.2, "steady": 0.3, "bold": 0.4},
}
AZALEA = {
    "group": "azalea-like",
    "interval_years": 2,
    "budget": {"gentle": 0.3, "steady": 0.45, "bold": 0.6},
}
FIG = {
    "group": "warm-climate",
    "interval_years": 1,
    "budget": {"gentle": 0.35, "steady": 0.5, "bold": 0.7},
}
RADIAL = [0, 60, 120, 180, 240, 300]
# What every case begins with unless it says otherwise: no fault, no gap, no year fixed by hand.
PLAIN = {
    "faults": [],
    "gaps": [],
    "holds": [],
    "state__root_azimuths_deg": RADIAL,
    "target__largest_gap_deg": 120,
    "target__year": None,
}


def fault(label, share, azimuth, priority=1):
    return {"label": label, "share": share, "priority": priority, "azimuth_deg": azimuth}


class WrittenCasesTest(unittest.TestCase):
    def planned(self, **changes):
        self.case = read_case(case(**(PLAIN | changes)))
        return plan(self.case)

    def schools(self, result):
        """The gentle and the bold artist's paths, each kept to what no artist would break."""
        for path in result.paths:
            self.assertTrue(path.settled)
            until = path.reached_year or self.case.last_year
            years = [step.year for step in path.steps if step.year <= until]
            for first, third in zip(years, years[2:], strict=False):
                self.assertGreater(third - first, 2, f"{path.school} opens the pot in {years}")
            waits = [b - a for a, b in itertools.pairwise([self.last_year(), *years])]
            self.assertTrue(all(wait <= self.case.longest for wait in waits), years)
        return result.path_of("gentle"), result.path_of("bold")

    def last_year(self):
        return self.case.state.last_session_year

    def test_young_vigorous_maple_in_a_basket(self):
        result = self.planned(
            age="young",
            state__container="basket",
            state__ball_depth_mm=90,
            state__woody_depth_mm=60,
            state__last_session_year=2024,
            faults=[fault("A", 0.1, 0), fault("C", 0.08, 120, 2)],
            target__largest_gap_deg=130,
        )
        gentle, bold = self.schools(result)
        # Both take the two roots at the first sessions; the bold one is there no later.
        self.assertEqual(gentle.steps[0].year, 2027)
        self.assertIn("A", gentle.steps[0].faults)
        self.assertEqual(set(bold.steps[0].faults), {"A", "C"})
        self.assertLessEqual(bold.likely_year, gentle.likely_year)
        self.assertEqual(judged(tree(years=3.0, age="young")).kind, "repot_now")

    def test_old_pine_with_a_deep_ball(self):
        result = self.planned(
            species=PINE,
            age="old",
            state__last_session_year=2021,
            state__ball_depth_mm=140,
            state__woody_depth_mm=60,
            target__pot_depth_mm=90,
            target__spread_ratio=1.8,
            horizon_years=40,
        )
        gentle, bold = self.schools(result)
        for path in (gentle, bold):
            # Never flat at once: a little at a time, and never over what the tree may lose.
            self.assertGreaterEqual(path.sessions, 2)
            self.assertTrue(all(step.share <= step.budget + 1e-9 for step in path.steps))
        self.assertGreaterEqual(gentle.sessions, bold.sessions)
        old = judged(tree(years=15.0, interval=5.0, age="old"), "roots_at_holes")
        self.assertEqual(old.kind, "repot_now")
        # One that drains and thrives is left by whoever works on evidence.
        left = judged(tree(years=6.0, interval=5.0, age="old"), when="evidence")
        self.assertEqual(left.kind, "leave")

    def test_collected_tree_with_a_tap_root(self):
        result = self.planned(
            origin_factor=0.7,
            origin_factor_until=2028,
            age="mature",
            faults=[fault("T", 0.3, None)],
            state__last_session_year=2025,
        )
        gentle, bold = self.schools(result)
        first = gentle.steps[0]
        # While it is new the gentle artist takes the tap root in parts or waits; the bold one cuts.
        self.assertTrue(first.year > 2028 or first.fault_parts.get("T", 0.0) < 1.0)
        self.assertEqual(bold.steps[0].fault_parts, {"T": 1.0})
        self.assertLessEqual(bold.steps[0].share, bold.steps[0].budget)
        resting = judged(tree(years=0.5, recovery=RECOVERING))
        self.assertEqual(resting.kind, "rest")

    def test_weak_maple_after_a_rescue(self):
        result = self.planned(strength="weak", faults=[fault("A", 0.1, 0)])
        gentle, bold = self.schools(result)
        for path in (gentle, bold):
            self.assertIsNotNone(path.unreachable)
            self.assertIn("rest", path.next_step.text.lower())
        self.assertEqual(judged(tree(strength="weak", recovery=RECOVERING)).kind, "rest")
        wet = judged(tree(strength="weak"), "soil_decayed", "stays_wet")
        self.assertEqual(wet.kind, "change_soil")

    def test_azalea(self):
        result = self.planned(
            species=AZALEA,
            state__ball_depth_mm=80,
            state__woody_depth_mm=50,
            target__pot_depth_mm=60,
            target__spread_ratio=2.0,
        )
        gentle, bold = self.schools(result)
        self.assertTrue(all(not step.grafts for step in gentle.steps))
        # A fine mat is sliced; no school takes more at once than its limit.
        self.assertGreater(sum(step.slice_mm for step in bold.steps), 0)
        self.assertLessEqual(bold.earliest_year, gentle.earliest_year)
        self.assertEqual(judged(tree(years=3.0)).kind, "repot_now")

    def test_fig_with_storage_roots(self):
        # Thick as they are, they feed little: their share is what counts, so all go at once.
        thick = [fault(label, 0.02, at) for label, at in zip("ABC", (0, 60, 120), strict=True)]
        result = self.planned(
            species=FIG,
            faults=thick,
            state__woody_depth_mm=40,
            state__ball_depth_mm=70,
            target__largest_gap_deg=240,
            state__last_session_year=2025,
        )
        gentle, bold = self.schools(result)
        for path in (gentle, bold):
            self.assertEqual(set(path.steps[0].faults), {"A", "B", "C"})
        # Warm growers fill a pot in a year, and still their pot is not opened every year.
        self.assertEqual(judged(tree(years=1.1, interval=1.0)).kind, "repot_now")

    def test_one_sided_base_with_a_gap_of_205_degrees(self):
        azimuths = [0, 40, 80, 120, 155]
        result = self.planned(
            state__root_azimuths_deg=azimuths,
            gaps=[{"from_deg": 155, "to_deg": 0, "method": "graft"}],
            target__largest_gap_deg=110,
        )
        gentle, bold = self.schools(result)
        for path in (gentle, bold):
            grafts = [graft for step in path.steps for graft in step.grafts]
            # One root in the middle leaves two gaps under the target's.
            self.assertEqual([round(graft.azimuth_deg) for graft in grafts[:1]], [258])
            self.assertLess(path.chance_by_year[path.reached_year], 1.0)
            self.assertGreaterEqual(path.likely_year or 9999, path.reached_year)
        # A bare side is no reason to open the pot before it is due.
        self.assertEqual(judged(tree(years=1.0, due=False)).kind, "leave")

    def test_layered_tree(self):
        result = self.planned(
            gaps=[{"from_deg": 300, "to_deg": 0, "method": "ground layer"}],
            faults=[fault("A", 0.2, 60)],
            target__largest_gap_deg=50,
        )
        gentle, bold = self.schools(result)
        for path in (gentle, bold):
            layers = [step.layer for step in path.steps if step.layer]
            self.assertEqual(layers[:2], ["make", "separate"])
            # The old flare goes as a whole, so nothing of it is cut first.
            self.assertEqual(path.steps[0].faults, ())
        # A layer that was just separated is left alone, whatever the pot looks like.
        self.assertEqual(judged(tree(recovery=RECOVERING), "roots_at_holes").kind, "rest")

    def test_tree_at_its_target(self):
        result = self.planned(
            state__container="final pot",
            state__ball_depth_mm=60,
            state__woody_depth_mm=50,
            state__spread_mm=110,
            target__pot_depth_mm=80,
            target__spread_ratio=2.4,
        )
        gentle, bold = self.schools(result)
        for path in (gentle, bold):
            self.assertEqual(path.sessions, 0)
            self.assertIsNotNone(path.next_step)
            self.assertGreaterEqual(path.next_step.year, 2027)
        shown = judged(tree(years=1.0, due=False, stage="showing"))
        self.assertEqual(shown.kind, "leave")

    def test_target_deeper_than_today(self):
        result = self.planned(
            state__ball_depth_mm=50,
            state__woody_depth_mm=40,
            target__pot_depth_mm=100,
            target__spread_ratio=2.0,
        )
        gentle, bold = self.schools(result)
        for path in (gentle, bold):
            # Nothing needs to come off the underside of a ball that is shallow enough.
            self.assertEqual(sum(step.slice_mm for step in path.steps), 0)
            self.assertLessEqual(path.sessions, 2)
        # It drinks fast and drains well: no depth to gain, so nothing calls for the bench.
        self.assertEqual(judged(tree(years=1.0, due=False)).kind, "leave")

    def test_absurd_target(self):
        result = self.planned(target__spread_ratio=12, target__pot_depth_mm=40)
        gentle, bold = self.schools(result)
        for path in (gentle, bold):
            self.assertIsNone(path.reached_year)
            self.assertIsNotNone(path.unreachable.nearest)
            self.assertLess(path.unreachable.nearest.spread_ratio, 12)
            self.assertIsNotNone(path.next_step)
        # A target out of reach puts off no session that the soil asks for.
        self.assertEqual(judged(tree(years=3.0), "roots_at_holes").kind, "repot_now")

    def test_tree_in_its_final_pot_too_early(self):
        result = self.planned(
            state__container="final pot",
            state__ball_depth_mm=60,
            state__woody_depth_mm=40,
            state__spread_mm=70,
            target__pot_depth_mm=80,
            target__spread_ratio=2.3,
        )
        gentle, bold = self.schools(result)
        for path in (gentle, bold):
            # Where it hardly grows the flare never comes: it goes out to grow and back in.
            self.assertNotEqual(path.steps[0].container, "final pot")
            self.assertEqual(path.steps[-1].container, "final pot")
            self.assertGreaterEqual(path.sessions, 2)
        # Out to grow at the next window, not in summer.
        early = judged(tree(season=EARLY, years=3.0, due=True))
        self.assertEqual(early.kind, "repot_next")
