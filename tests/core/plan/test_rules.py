"""The rules of a session, each in a case worked by hand."""

import unittest

import numpy as np

from mirvo.core.errors import BadInput
from mirvo.core.plan.case import FINAL, read_case
from mirvo.core.plan.keeping import keeping
from mirvo.core.plan.outcomes import outcomes
from mirvo.core.plan.paths import plan, plan_school
from mirvo.core.plan.problem import PlanningProblem
from mirvo.core.plan.search import find_routes
from mirvo.core.plan.session_options import SessionOptions
from mirvo.core.plan.tree_state import start_state
from tests.core.plan.test_search import case

POT = {"name": "low tray", "kind": "wide training pot", "inner_depth_mm": 80,
       "inner_length_mm": 260, "inner_width_mm": 200}  # fmt: skip
SIDED = {
    "state__ball_length_mm": 280,
    "state__ball_width_mm": 200,
    "target__pot_length_mm": 240,
    "target__pot_width_mm": 190,
}


def problem(school="steady", **changes):
    return PlanningProblem(read_case(case(**changes)), school)


class FaultsFirstTest(unittest.TestCase):
    """The bold limit of the case is 0.65 and the edge 0.075: 0.622 inside, 0.363 within a strain
    of 40."""

    def cut(self, shares, school="bold", year=2027, progress=None, **changes):
        faults = [
            {"label": chr(65 + i), "share": share, "priority": i, "thickens": False}
            for i, share in enumerate(shares)
        ]
        made = problem(school, faults=faults, gaps=[], **changes)
        options = SessionOptions(made)
        return options.faults(progress or made.untouched, year, 0.0, False)

    def test_whole_in_their_order_up_to_a_strain_of_40(self):
        taken = self.cut([0.2, 0.1, 0.1, 0.05])
        # A and B make 0.3; C would pass the strain of 40, D still fits.
        self.assertEqual(list(taken.parts), ["A", "B", "D"])
        self.assertEqual(taken.progress, (0.0, 0.0, 1.0, 0.0))
        self.assertAlmostEqual(taken.share, 0.35)

    def test_the_first_that_fits_goes_whatever_its_strain(self):
        self.assertEqual(list(self.cut([0.5, 0.02]).parts), ["A"])

    def test_one_that_does_not_fit_is_passed_over(self):
        # 0.7 is more than an empty session could take: half of it goes, and nothing after it.
        taken = self.cut([0.7, 0.1])
        self.assertEqual(taken.parts, {"A": 0.5})
        self.assertEqual(taken.progress, (0.5, 1.0))

    def test_a_part_may_follow_a_whole_one_and_ends_the_session(self):
        # 0.1 goes first; half of 0.7 would be 0.45 in all, over the strain of 40, so C follows.
        taken = self.cut([0.1, 0.7, 0.02])
        self.assertEqual(list(taken.parts), ["A", "C"])

    def test_the_last_part_ends_the_session_too(self):
        taken = self.cut([0.7, 0.01], progress=(0.5, 1.0))
        self.assertEqual(taken.parts, {"A": 0.5})
        self.assertEqual(taken.progress, (0.0, 1.0))

    def test_a_root_never_grows_beyond_what_two_sessions_take(self):
        grown = problem("gentle", faults=[{"label": "C", "share": 0.3}], gaps=[])
        self.assertAlmostEqual(grown.fault_share(0, 2040), 2 * grown.room(2040))
        self.assertLess(grown.fault_share(0, 2040), 0.5)
        large = problem("gentle", faults=[{"label": "C", "share": 0.6}], gaps=[])
        self.assertEqual(large.fault_share(0, 2040), 0.6)

    def test_crossing_roots_go_before_the_soil_is_sliced(self):
        faults = [{"label": x, "share": 0.05, "priority": i} for i, x in enumerate("ABC")]
        for path in plan(read_case(case(faults=faults, gaps=[]))).paths:
            self.assertEqual(path.steps[0].year, 2027)
            self.assertEqual(path.steps[0].faults, ("A", "B", "C"))


class DecidedTest(unittest.TestCase):
    """Two roots of 0.2 and 0.1; the second goes first because it was decided so."""

    def setUp(self):
        self.faults = [
            {"label": "A", "share": 0.2, "priority": 1, "thickens": False},
            {"label": "B", "share": 0.1, "priority": 2, "thickens": False},
        ]

    def path(self, school="steady", year=2027, **cuts):
        first = {"year": year, "cuts": cuts}
        made = case(faults=self.faults, gaps=[], first_session=first)
        return plan_school(read_case(made), school)

    def test_it_takes_those_roots_and_no_others(self):
        first, *later = self.path(year=2028, B=1).steps
        self.assertEqual((first.year, first.fault_parts), (2028, {"B": 1.0}))
        self.assertEqual([root for step in later for root in step.faults], ["A"])

    def test_part_of_a_root_leaves_the_rest_for_later(self):
        first, *later = self.path(A=0.5).steps
        self.assertEqual(first.fault_parts, {"A": 0.5})
        # B with the 0.1 that is left of A.
        self.assertEqual(later[0].fault_parts, {"A": 0.5})

    def test_over_the_limit_it_goes_all_the_same_and_says_so(self):
        faults = [{"label": "A", "share": 0.5, "priority": 1, "thickens": False}]
        made = case(faults=faults, gaps=[], first_session={"year": 2027, "cuts": {"A": 1}})
        step = plan_school(read_case(made), "gentle").steps[0]
        self.assertGreater(step.share, step.budget)
        self.assertIn("over the limit", step.reasons[0])

    def test_it_must_fit_the_case(self):
        for first, field in [
            ({"year": 2026, "cuts": {}}, "first_session.year"),
            ({"year": 2027, "cuts": {"Q": 1}}, "first_session.cuts"),
        ]:
            with self.assertRaises(BadInput) as caught:
                read_case(case(faults=self.faults, first_session=first))
            self.assertEqual(caught.exception.field, field)


class RestTest(unittest.TestCase):
    def test_a_hard_session_rests_longer(self):
        made = problem()
        self.assertEqual([made.rest_after(s) for s in (0, 40, 40.1, 80, 80.1)], [0, 0, 1, 1, 2])
        self.assertFalse(made.may_work(2028, 2025, 2))
        self.assertTrue(problem(holds=[]).may_work(2029, 2025, 2))

    def test_the_last_session_made_counts(self):
        path = plan_school(read_case(case(state__last_session_year=2025)), "steady")
        self.assertEqual(path.steps[0].year, 2027)
        rested = case(state__last_session_year=2025, state__last_session_strain=90)
        path = plan_school(read_case(rested), "steady")
        # 2027 and two years of rest; 2029 is held free.
        self.assertEqual(path.steps[0].year, 2030)

    def test_gentle_never_works_two_years_running(self):
        fast = case(species__interval_years=1, holds=[])
        years = [step.year for step in plan_school(read_case(fast), "gentle").steps]
        self.assertTrue(all(b - a >= 2 for a, b in zip(years, years[1:], strict=False)), years)

    def test_a_layer_just_separated_rests(self):
        path = plan_school(read_case(case(state__rest_until_year=2028, holds=[])), "steady")
        self.assertEqual(path.steps[0].year, 2029)

    def test_the_longest_interval_waits_for_the_rest(self):
        made = problem(species__longest_interval_years=3)
        self.assertEqual((made.most_years(0), made.most_years(2)), (3, 4))
        self.assertTrue(made.overdue(2028, 2024, 0))
        self.assertFalse(made.overdue(2028, 2024, 2))


class SidesTest(unittest.TestCase):
    """A ball of 280 x 200 mm for a pot of 240 x 190 mm: 30 mm must go off each end, 15 off each
    long side."""

    def test_each_pair_of_sides_stops_at_its_own_need(self):
        sides = problem(**SIDED).sides
        self.assertEqual((sides.need_length, sides.need_width, sides.need), (30, 15, 30))
        at = np.array([0, 10, 20, 30])
        self.assertEqual(list(sides.lengths(at)), [280, 260, 240, 220])
        self.assertEqual(list(sides.widths(at)), [200, 180, 170, 170])
        taken = sides.share(np.array([0]), np.array([10]))[0]
        self.assertAlmostEqual(taken, 1 - 260 * 180 / (280 * 200))

    def test_unknown_sizes_leave_the_sides_alone(self):
        for missing in SIDED:
            with self.subTest(missing=missing):
                self.assertEqual(problem(**{**SIDED, missing: None}).sides.need, 0)

    def test_the_last_pot_takes_the_tree_only_when_the_sides_are_in(self):
        made = case(**SIDED, gaps=[], target__largest_gap_deg=300)
        path = plan_school(read_case(made), "steady")
        self.assertEqual(path.steps[-1].container, FINAL)
        length, width = path.steps[-1].ball_length_mm[1], path.steps[-1].ball_width_mm[1]
        self.assertLessEqual(length, 220)
        self.assertLessEqual(width, 170)
        trims = [step.side_trim_mm for step in path.steps]
        self.assertTrue(all(trim == 0 or trim >= 5 for trim in trims), trims)
        for step in path.steps:
            self.assertGreaterEqual(step.edge_share, 0.075)
            self.assertLessEqual(step.share, step.budget + 1e-4)

    def test_sides_grow_back_by_where_the_tree_stands(self):
        made = problem(**SIDED, containers=["usual pot", "wide training pot", "ground", FINAL],
                       pots=[POT])  # fmt: skip
        place = {(one.kind, one.pot): one for one in made.places[1:]}
        off = np.array([0, 8, 30])

        def after(kind, pot=None, worked=True):
            return list(place[kind, pot].off_after(off, worked))

        self.assertEqual(after("wide training pot"), [0, 0, 20])
        self.assertEqual(after("wide training pot", worked=False), [0, 8, 30])
        self.assertEqual(after("usual pot"), [0, 8, 30])
        self.assertEqual(after("ground", worked=False), [0, 0, 20])
        # 260 x 200 mm inside takes 240 x 180: 20 mm off each end, 10 off each long side.
        self.assertEqual(place["wide training pot", "low tray"].off, 20)
        self.assertEqual(list(place["wide training pot", "low tray"].off_after(off, False))[2], 20)

    def test_the_ball_grows_in_the_pot_it_stands_in_and_not_in_one_chosen_to_fit(self):
        made = problem(container_depths_mm={"usual pot": 80}, state__inner_depth_mm=100, pots=[POT])
        place = {(one.kind, one.pot): one for one in made.places[1:]}
        ball = np.array([50.0, 70.0, 90.0])
        # Until the first session it grows in its own pot, 20 mm a year to 20 mm under the rim.
        self.assertEqual(list(made.places[0].ball_after(ball)), [70, 80, 90])
        # From then on the depth of today's pot binds no other one.
        self.assertEqual(list(place["wide training pot", None].ball_after(ball)), [50, 70, 90])
        # The one pot there is of a kind has the depth it has, and so has one of the shelf.
        for real in (place["usual pot", None], place["wide training pot", "low tray"]):
            self.assertEqual((real.takes, list(real.ball_after(ball))), (60, [60, 70, 90]))

    def test_only_the_shelf_offers_nothing_else_but_its_own_pot(self):
        made = problem(pots=[POT], only_shelf=True, state__inner_depth_mm=130)
        open_to = [(one.kind, one.pot) for one in made.places if one.open]
        own = ("wide training pot", None)
        self.assertEqual(open_to, [own, (FINAL, None), ("wide training pot", "low tray")])
        path = plan_school(made.case, "steady")
        for step in path.steps[:-1]:
            self.assertIn((step.container, step.pot), (own, ("wide training pot", "low tray")))

    def test_a_last_pot_of_the_shelf_replaces_the_targets_sizes(self):
        show = {"name": "show tray", "kind": FINAL, "inner_depth_mm": 60}
        made = read_case(case(pots=[show]))
        self.assertEqual(made.need_mm, 40)
        last = plan_school(made, "steady").steps[-1]
        self.assertEqual((last.container, last.pot), (FINAL, "show tray"))
        self.assertEqual(last.pot_inside_mm, (60, None, None))

    def test_two_pots_of_one_name_are_refused(self):
        with self.assertRaises(BadInput) as said:
            read_case(case(pots=[POT, POT]))
        self.assertEqual(said.exception.field, "pots")

    def test_a_final_pot_too_long_is_not_the_targets_pot(self):
        done = {"state__container": FINAL, "state__ball_depth_mm": 28, "state__inner_depth_mm": 50,
                "faults": [], "gaps": [], "target__largest_gap_deg": 130,
                "target__spread_ratio": 1.8, "state__inner_length_mm": 300}  # fmt: skip
        self.assertTrue(problem(**done, target__pot_length_mm=300).arrived_today)
        self.assertFalse(problem(**done, target__pot_length_mm=290).arrived_today)


class NextStepTest(unittest.TestCase):
    """Every answer says what to do next."""

    def test_a_pot_too_shallow_for_the_trunk_is_refused_with_the_shallowest_that_suits(self):
        thick = {"state__trunk_diameter_mm": 120, "state__spread_mm": 220}
        for path in plan(read_case(case(**thick))).paths:
            self.assertIsNone(path.reached_year)
            # 0.3 x 120 mm is 36 mm of ball, and 20 mm of soil and rim: 6 mm more than 50.
            lacking = path.unreachable.fails[0]
            self.assertEqual((lacking.part, lacking.by, lacking.unit), ("pot_depth_mm", 6, "mm"))
            self.assertEqual(path.unreachable.nearest.pot_depth_mm, 56)
            self.assertIn("too shallow for a trunk 120 mm thick", path.unreachable.text)
            self.assertTrue(path.steps and path.next_step)
        self.assertFalse(problem(**thick, target__pot_depth_mm=56).trunk_refuses)

    def test_faults_that_cannot_all_be_taken_still_have_sessions(self):
        faults = [
            {"label": chr(65 + i), "share": 0.25, "priority": i, "thickens": False}
            for i in range(9)
        ]
        made = case(faults=faults, gaps=[], horizon_years=6, target__largest_gap_deg=360)
        path = plan_school(read_case(made), "gentle")
        self.assertIsNone(path.reached_year)
        self.assertEqual(path.unreachable.fails[0].part, "faults")
        self.assertEqual(path.steps[0].faults, ("A",))
        self.assertIn("I would still be there in 2032", path.next_step.text)
        self.assertEqual(len(path.forecast), 6)

    def test_a_weak_tree_has_the_path_of_a_fair_one_with_what_fails_there(self):
        far = plan_school(read_case(case(strength="weak", target__spread_ratio=5.5)), "steady")
        self.assertEqual([p.part for p in far.unreachable.fails], ["strength", "spread_ratio"])
        self.assertIsNotNone(far.unreachable.nearest)
        self.assertTrue(far.steps and far.next_step)

    def test_past_the_nearest_target_the_tree_is_kept(self):
        path = plan_school(read_case(case(target__spread_ratio=5.5)), "steady")
        kept = [step for step in path.steps if step.keeping]
        self.assertEqual(path.forecast[-1].year, 2041)
        for step in kept:
            self.assertEqual((step.slice_mm, step.faults), (0.0, ()))

    def test_sides_that_cannot_come_in_name_the_pot_that_can_be_had(self):
        wide = {**SIDED, "state__ball_length_mm": 600, "target__pot_length_mm": 200}
        made = case(**wide, horizon_years=4, gaps=[], target__largest_gap_deg=300,
                    target__spread_ratio=1.8, target__pot_depth_mm=110)  # fmt: skip
        path = plan_school(read_case(made), "steady")
        self.assertEqual(path.unreachable.fails[0].part, "pot_length_mm")
        sizes = {f"target__{name}": size for name, size in path.unreachable.nearest.sizes.items()
                 if name != "pot_depth_mm" and name.startswith("pot_")}  # fmt: skip
        again = case(**{**wide, **sizes}, horizon_years=4, gaps=[],
                     target__largest_gap_deg=300, target__spread_ratio=1.8,
                     target__pot_depth_mm=110)  # fmt: skip
        self.assertIsNotNone(plan_school(read_case(again), "steady").reached_year)

    def test_keeping_goes_back_where_it_stood(self):
        made = problem(gaps=[])
        states = keeping(made, start_state(made))
        worked = [state.year for state in states if state.cut]
        self.assertEqual(worked, [2027, 2030, 2032, 2034, 2036, 2038, 2040])
        self.assertEqual({state.place.kind for state in states if state.cut}, {"wide training pot"})


class AgreementTest(unittest.TestCase):
    def test_a_school_that_does_the_same_says_so(self):
        gentle, steady, bold = plan(read_case(CASE_OF_TWO)).paths
        self.assertEqual(bold.agrees_with, "steady")
        self.assertIsNone(steady.agrees_with)
        self.assertEqual([s.work for s in bold.steps], [s.work for s in steady.steps])
        self.assertNotIn("agrees_with", gentle.model_dump())


class ArtistTest(unittest.TestCase):
    """In the draws the tree goes into its last pot at any window, once flare and ball allow it."""

    def test_who_grows_faster_is_there_before_the_plan(self):
        made = problem("bold", gaps=[], target__largest_gap_deg=200)
        route = find_routes(made).routes[-1]
        look = outcomes(made, route)
        self.assertGreater(look.chance_in(route.year - 1), 0.0)
        self.assertEqual(look.chance, sorted(look.chance))


CASE_OF_TWO = case()
