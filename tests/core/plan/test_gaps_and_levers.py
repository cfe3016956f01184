"""Gap methods, years fixed by hand, and what brings a path forward."""

import unittest

from mirvo.core.errors import BadInput
from mirvo.core.plan.case import FINAL, Gap, read_case
from mirvo.core.plan.layering import lay, wants_layer
from mirvo.core.plan.paths import forward, plan, plan_school
from mirvo.core.plan.problem import open_gaps
from mirvo.core.plan.records import GapWork
from tests.core.plan.test_search import case

SURE = {"spread_mm_per_year": 6, "trunk_mm_per_year": 1.2, "spread_sd": 0, "trunk_sd": 0}


def path(school="steady", **changes):
    return plan_school(read_case(case(**changes)), school)


class GapMethodsTest(unittest.TestCase):
    def test_where_the_new_root_stands(self):
        for method, azimuth in (("graft", 268), ("fork", 235), ("ground layer", 268)):
            gap = Gap(from_deg=205, to_deg=331, method=method)
            self.assertEqual(gap.new_roots_deg(100), [azimuth])
        self.assertEqual(Gap(from_deg=340, to_deg=20, method="fork").new_roots_deg(30), [0])
        self.assertEqual(Gap(from_deg=350, to_deg=70, method="fork").new_roots_deg(30), [20])

    def test_a_fork_narrows_its_gap_by_30_degrees(self):
        found = path(gaps=[{"from_deg": 205, "to_deg": 331, "method": "fork"}])
        self.assertEqual(found.steps[0].forks, (GapWork(azimuth_deg=235.0),))
        self.assertEqual(found.steps[0].grafts, ())
        last = {f.year: f for f in found.forecast}[found.reached_year]
        self.assertEqual(last.largest_gap_deg, 98.0)
        narrow = path(
            gaps=[{"from_deg": 205, "to_deg": 331, "method": "fork"}], target__largest_gap_deg=95
        )
        self.assertIsNone(narrow.reached_year)

    def test_a_fork_needs_no_luck(self):
        sure = path(
            gaps=[{"from_deg": 205, "to_deg": 331, "method": "fork"}], state__growth=SURE
        )  # fmt: skip
        self.assertEqual(sure.chance_by_year[sure.reached_year], 1.0)

    def test_only_the_grafts_that_are_needed_count_for_the_chance(self):
        gaps = [
            {"from_deg": 205, "to_deg": 331, "method": "graft"},
            {"from_deg": 62, "to_deg": 160, "method": "graft"},
        ]
        two = path(gaps=gaps, target__largest_gap_deg=90, state__growth=SURE)
        one = path(gaps=gaps[:1], target__largest_gap_deg=100, state__growth=SURE)
        first = two.steps[0].year + 2
        chances = [found.chance_by_year.get(first, 0.0) for found in (one, two)]
        # two that must both take are less sure than one, until they are set again
        self.assertLessEqual(chances[1], chances[0])
        self.assertTrue(0.43 < two.chance_by_year[two.reached_year] < 0.95)

    def test_a_gap_a_fault_leaves_open_is_closed_too(self):
        named = [{"from_deg": 62, "to_deg": 118}, {"from_deg": 205, "to_deg": 331}]
        made = read_case(case(gaps=named, target__largest_gap_deg=90))
        self.assertEqual([gap.from_deg for gap in open_gaps(made)], [62, 205])
        wide = read_case(case(gaps=named, target__largest_gap_deg=100))
        self.assertEqual([gap.from_deg for gap in open_gaps(wide)], [205])

    def test_with_one_root_left_every_named_gap_lies_open(self):
        faults = [{"label": "C", "share": 0.1, "azimuth_deg": 118}]
        made = case(
            state__root_azimuths_deg=[10, 118], faults=faults, target__largest_gap_deg=300,
            gaps=[{"from_deg": 10, "to_deg": 118}, {"from_deg": 118, "to_deg": 10}],
        )  # fmt: skip
        self.assertEqual([gap.from_deg for gap in open_gaps(read_case(made))], [10, 118])


class GroundLayerTest(unittest.TestCase):
    LAYER = ({"from_deg": 205, "to_deg": 331, "method": "ground layer"},)

    def made(self, **changes):
        return read_case(case(**({"gaps": list(self.LAYER), "horizon_years": 20} | changes)))

    def test_made_at_once_separated_two_years_on(self):
        found = lay(self.made(holds=[]), "steady")
        self.assertEqual((found.made, found.separated), (2027, 2029))
        self.assertEqual(found.after.today.year, 2029)
        self.assertEqual(tuple(found.after.faults), ())
        # the old trunk grew two years at 1.2 mm in a wide training pot, and a third on the layer
        self.assertAlmostEqual(found.new.case.state.trunk_diameter_mm, 42 + 2 * 1.2)
        self.assertAlmostEqual(found.after.state.spread_mm, 42 + 2 * 1.2 + 6.0)
        # its pot is chosen to fit, so its ball stays as it came
        self.assertEqual(found.after.state.ball_depth_mm, 60)

    def test_the_years_fixed_move_it(self):
        found = lay(self.made(holds=[{"year": 2027, "allow": "none"}]), "steady")
        self.assertEqual((found.made, found.separated), (2028, 2030))
        self.assertIsNone(lay(self.made(holds=[], horizon_years=3), "steady"))

    def test_the_interval_of_root_work_does_not_bind_the_separation(self):
        found = lay(self.made(holds=[], species__interval_years=5), "steady")
        self.assertEqual((found.made, found.separated), (2029, 2031))

    def test_its_path_tells_every_year_and_carries_the_luck(self):
        found = plan_school(self.made(holds=[], target__spread_ratio=1.8), "steady")
        self.assertEqual([step.layer for step in found.steps[:3]],
                         ["make", "separate", None])  # fmt: skip
        years = [state.year for state in found.forecast]
        self.assertEqual(years, list(range(2027, 2047)))
        ratios = {state.year: state.spread_ratio for state in found.forecast}
        self.assertGreater(ratios[2028], 1.9)
        self.assertLess(ratios[2029], 1.2)
        self.assertGreaterEqual(ratios[found.reached_year], 1.8)
        self.assertLessEqual(max(found.chance_by_year.values()), 0.8)
        self.assertNotIn(2030, [step.year for step in found.steps])
        self.assertIn("ground_layer", [bound.code for bound in found.binding])

    def test_only_where_the_gap_must_be_closed(self):
        self.assertTrue(wants_layer(self.made()))
        self.assertFalse(wants_layer(self.made(target__largest_gap_deg=130)))

    def test_a_species_that_layers_unwillingly_has_half_the_chance(self):
        willing, unwilling = (
            plan_school(
                self.made(holds=[], target__spread_ratio=1.8, species__ground_layers=layers),
                "steady",
            )
            for layers in (True, False)
        )
        last = max(willing.chance_by_year)
        self.assertAlmostEqual(unwilling.chance_by_year[last], willing.chance_by_year[last] / 2, 2)
        self.assertIn("40%", " ".join(unwilling.steps[0].reasons))

    def test_a_weak_tree_is_not_layered(self):
        found = plan_school(self.made(strength="weak"), "steady")
        self.assertEqual(found.unreachable.fails[0].part, "strength")


class FixedYearsTest(unittest.TestCase):
    def test_a_session_owed_is_held_whatever_it_takes(self):
        found = path(holds=[{"year": 2030, "allow": "session"}])
        self.assertIn(2030, [step.year for step in found.steps])

    def test_in_the_show_pot_by_a_year_and_from_then_on(self):
        by = 2031
        found = path("bold", holds=[{"year": by, "allow": "final pot"}])
        stands = {state.year: state.container for state in found.forecast}
        self.assertTrue(all(pot == FINAL for year, pot in stands.items() if year >= by))
        free = path("bold", holds=[])
        self.assertGreater(found.reached_year, free.reached_year)

    def test_what_cannot_be_kept_is_said_with_the_year_without_it(self):
        found = path("gentle", holds=[{"year": 2027, "allow": "final pot"}])
        why = found.unreachable
        self.assertEqual(why.fails[0].part, "holds")
        free = path("gentle", holds=[]).earliest_year
        self.assertIn(f"reached in {free}", why.text)

    def test_a_year_cannot_be_both(self):
        both = [{"year": 2029, "allow": kind} for kind in ("none", "session")]
        with self.assertRaises(BadInput) as said:
            read_case(case(holds=both))
        self.assertEqual(said.exception.field, "holds")

    def test_two_sessions_owed_closer_than_the_interval(self):
        close = [{"year": year, "allow": "session"} for year in (2028, 2029)]
        self.assertEqual(path(holds=close).unreachable.fails[0].part, "holds")


class LeversTest(unittest.TestCase):
    def levers(self, school="steady", **changes):
        made = read_case(case(**changes))
        path = plan_school(made, school)
        return made, path, forward(made, school, path.likely_year)

    def test_each_lever_brings_the_likely_year_forward_by_what_it_says(self):
        _, path, found = self.levers(target__spread_ratio=2.1)
        self.assertTrue(1 <= len(found) <= 3)
        for one in found:
            self.assertEqual(one.gained_years, path.likely_year - one.likely_year)
            self.assertGreater(one.gained_years, 0)
        years = [one.likely_year for one in found]
        self.assertEqual(years, sorted(years))

    def test_what_a_lever_sets_gives_its_year(self):
        made, _, found = self.levers()
        ratio = next(one for one in found if one.code == "spread_ratio")
        self.assertAlmostEqual(ratio.value, 2.3)
        target = made.target.model_copy(update={"spread_ratio": ratio.value})
        again = plan_school(made.model_copy(update={"target": target}), "steady")
        self.assertEqual(again.reached_year, ratio.reached_year)
        # The shown path is looked at with more draws, which may move it by a year.
        self.assertAlmostEqual(again.likely_year, ratio.likely_year, delta=1)

    def test_the_ground_is_named_by_the_years_it_takes(self):
        _, _, found = self.levers(
            containers=["usual pot", FINAL], state__container="usual pot", gaps=[],
            state__ball_depth_mm=40, target__pot_depth_mm=120, target__largest_gap_deg=200,
        )  # fmt: skip
        ground = next(one for one in found if one.value == "ground")
        self.assertRegex(ground.text, r"^(a year|\d years) in the ground$")

    def test_where_nothing_alone_helps_two_things_together_do(self):
        made = case(gaps=[], target__largest_gap_deg=90, target__spread_ratio=3.4)
        path = plan_school(read_case(made), "bold")
        self.assertIsNone(path.reached_year)
        found = forward(read_case(made), "bold", path.likely_year)
        self.assertLessEqual(len(found), 1)
        for one in found:
            self.assertIsNotNone(one.with_code)
            self.assertIn(" and ", one.text)

    def test_out_of_reach_names_the_year_a_lever_makes_possible(self):
        _, path, found = self.levers(target__largest_gap_deg=90)
        self.assertIsNone(path.reached_year)
        gap = next(one for one in found if one.code == "largest_gap_deg")
        self.assertIsNone(gap.gained_years)
        self.assertGreater(gap.likely_year, 2026)

    def test_nothing_is_left_to_gain_where_it_stands(self):
        made = case(
            state__container=FINAL, state__ball_depth_mm=28, state__woody_depth_mm=20,
            faults=[], gaps=[], target__largest_gap_deg=130, target__spread_ratio=1.8,
        )  # fmt: skip
        self.assertEqual(forward(read_case(made), "steady", 2026), ())
        self.assertEqual(plan(read_case(made)).unreachable, None)
