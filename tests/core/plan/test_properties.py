"""Properties any plan must have, on generated cases."""

import random
import unittest

import numpy as np

from mirvo.core.plan.case import FINAL, read_case
from mirvo.core.plan.cut_work import CutWork
from mirvo.core.plan.gaps import largest_gap
from mirvo.core.plan.growth import (
    PRIOR_RELATIVE_SD,
    YEARLY_RELATIVE_SD,
    Seen,
    growth_rate,
)
from mirvo.core.plan.outcomes import outcomes
from mirvo.core.plan.paths import forward, plan_school
from mirvo.core.plan.problem import PlanningProblem
from mirvo.core.plan.search import Route, find_routes, glance
from mirvo.core.plan.tree_state import left_alone, start_state
from mirvo.core.plan.unreachable import why_unreachable
from tests.core.plan.test_search import case, richer, small
from tests.proofs import few_or_all

LATER = 9999


def generated(rng, **changes):
    """A case of usual size with one or two faults."""
    azimuths = sorted(rng.sample(range(0, 360, 5), rng.randint(5, 8)))
    faults = [
        {
            "label": label,
            "share": round(rng.uniform(0.02, 0.15), 2),
            "priority": i,
            "azimuth_deg": a,
        }
        for i, (label, a) in enumerate(zip("AB", azimuths, strict=False))
    ]
    values = {
        "state__root_azimuths_deg": azimuths,
        "state__ball_depth_mm": rng.randint(40, 100),
        "state__woody_depth_mm": rng.randint(30, 80),
        "state__spread_mm": rng.randint(60, 85),
        "faults": faults[: rng.randint(0, 2)],
        "gaps": [],
        "holds": [],
        "target__largest_gap_deg": 300,
        "target__spread_ratio": round(rng.uniform(1.8, 2.4), 2),
        "target__pot_depth_mm": rng.choice([50, 55, 60]),
        "horizon_years": 9,
    }
    return case(**(values | changes))


def year(data, school="steady"):
    first = find_routes(PlanningProblem(read_case(data), school)).earliest
    return first.year if first else LATER


class MonotoneTest(unittest.TestCase):
    def setUp(self):
        rng = random.Random(11)
        self.cases = [generated(rng) for _ in range(12)]
        for data in self.cases[::2]:  # every second has its widest gaps named
            order = data["state"]["root_azimuths_deg"]
            ends = list(zip(order, order[1:] + order[:1], strict=True))
            widest = sorted(ends, key=lambda ends: (ends[0] - ends[1]) % 360)[:3]
            data["gaps"] = [{"from_deg": a, "to_deg": b} for a, b in widest]

    def test_a_bolder_school_is_never_later(self):
        for data in self.cases:
            self.assertLessEqual(year(data, "bold"), year(data, "steady"))
            self.assertLessEqual(year(data, "steady"), year(data, "gentle"))

    def test_a_harder_target_is_never_earlier(self):
        for data in self.cases:
            for part, steps in (
                ("spread_ratio", (0, 0.1, 0.2, 0.4)),
                ("pot_depth_mm", (0, -3, -6, -9)),
                ("largest_gap_deg", (0, -120, -180, -210, -220)),
            ):
                years = []
                for step in steps:
                    target = {**data["target"], part: data["target"][part] + step}
                    years.append(year({**data, "target": target}))
                self.assertEqual(years, sorted(years), part)

    def test_a_longer_horizon_is_never_later(self):
        for data in self.cases:
            years = [year({**data, "horizon_years": horizon}) for horizon in (3, 6, 9, 11)]
            self.assertEqual(years, sorted(years, reverse=True))
            self.assertLessEqual(len(set(years) - {LATER}), 1)  # the year itself does not move

    def test_a_held_year_is_never_earlier(self):
        for data in self.cases:
            held = {**data, "holds": [{"year": 2027, "allow": "none"}]}
            self.assertGreaterEqual(year(held), year(data))

    def test_every_route_ends_with_all_faults_gone_in_the_final_pot(self):
        for data in self.cases:
            ground = PlanningProblem(read_case(data), "steady")
            for route in find_routes(ground).routes:
                if not route.states:
                    continue
                last = route.states[-1]
                self.assertTrue(last.all_gone)
                self.assertTrue(last.place.last)
                self.assertEqual(last.year, route.year)
                self.assertEqual(
                    [state.year for state in route.states], list(range(2027, route.year + 1))
                )

    def test_unreachable_targets_name_a_nearest_one_that_is_reachable(self):
        checked = 0
        for data in self.cases:
            hard = {**data, "target": {**data["target"], "spread_ratio": 3.2}}
            if year(hard, "bold") != LATER:
                continue
            nearest = why_unreachable(read_case(hard), "bold").nearest
            if nearest is None:
                continue
            checked += 1
            near = {**hard, "target": {**hard["target"], **nearest.model_dump()}}
            self.assertNotEqual(year(near, "bold"), LATER)
        self.assertGreater(checked, 3)


class ProblemTest(unittest.TestCase):
    def problem(self, school="steady", **changes):
        return PlanningProblem(read_case(case(**changes)), school)

    def test_largest_gap_over_north(self):
        self.assertEqual(largest_gap([350, 10, 180]), 170)
        self.assertEqual(largest_gap([90, 10, 200]), 170)
        self.assertEqual(largest_gap([20]), 360)
        self.assertEqual(largest_gap([]), 360)

    def test_the_budget_multiplies_worth_and_the_bearing_does_not(self):
        problem = self.problem(strength="fair", age="old", worth=0.7)
        self.assertAlmostEqual(problem.budget(2027), 0.45 * 0.75 * 0.7 * 0.7)
        self.assertAlmostEqual(problem.bearing(2027), 0.65 * 0.75 * 0.7)
        self.assertAlmostEqual(problem.edge(2027), 0.3 * 0.75 * 0.7 * 0.7 / 4)

    def test_as_many_grafts_as_bring_every_part_of_a_gap_to_the_target(self):
        wide = self.problem(gaps=[{"from_deg": 205, "to_deg": 50}], target__largest_gap_deg=60)
        self.assertEqual(len(wide.new_roots()), 3)
        self.assertAlmostEqual(wide.new_roots()[0], 205 + 205 / 4)

    def test_ratio_limit(self):
        self.assertAlmostEqual(self.problem().ratio_limit, 5.0)
        self.assertEqual(self.problem(state__growth__trunk_mm_per_year=0).ratio_limit, float("inf"))


class BoundsTest(unittest.TestCase):
    """The bounds never ask for more than the best way pays."""

    def test_no_state_of_a_best_way_is_thought_dearer_than_it_is(self):
        checked = 0
        for seed in range(few_or_all(80, 400)):
            made = (small, richer)[seed % 2](seed)
            problem = PlanningProblem(read_case(made), "steady")
            if problem.arrived_today or problem.never:
                continue
            # Coarse cells must bound as surely as fine ones.
            work = CutWork(problem, (None, 7)[seed % 3 == 0])
            for route in find_routes(problem).routes:
                paid, at = 0.0, int(np.flatnonzero(work.arrivals == route.year)[0])
                for state in route.states:
                    if state.cut is not None:
                        paid += 20 + problem.strain(state.year, state.cut.share)
                    least = work.least(
                        state.progress, state.last, state.rest, state.worked, state.year,
                        state.place.last,
                    )  # fmt: skip
                    cell = work.cell_of(np.array([state.ball]), np.array([state.off]))[0]
                    self.assertLessEqual(least[at, cell], route.toll - paid + 1e-6)
                    checked += 1
        self.assertGreater(checked, 100)

    def test_a_glance_is_never_better_than_the_whole_search(self):
        for seed in range(40):
            problem = PlanningProblem(read_case(small(seed)), "bold")
            best = {route.year: route.toll for route in find_routes(problem).routes}
            for route in glance(problem).routes:
                sooner = [toll for year, toll in best.items() if year <= route.year]
                self.assertGreaterEqual(route.toll + 1e-6, min(sooner))


SURE = {"spread_mm_per_year": 6, "trunk_mm_per_year": 1.2, "spread_sd": 0, "trunk_sd": 0}


class OutcomesTest(unittest.TestCase):
    def outlook(self, **changes):
        problem = PlanningProblem(read_case(case(**changes)), "bold")
        route = find_routes(problem).recommended(10)
        return route, outcomes(problem, route)

    def test_sure_growth_and_no_graft_arrive_for_certain(self):
        route, look = self.outlook(state__growth=SURE, gaps=[], target__largest_gap_deg=200)
        self.assertEqual(look.chance_in(route.year), 1.0)
        self.assertEqual(look.chance_in(route.year - 1), 0.0)
        self.assertEqual(look.low, look.high)
        self.assertEqual(look.likely_year(0.8), route.year)

    def test_a_graft_takes_with_its_luck_and_is_set_again_where_it_did_not(self):
        route, look = self.outlook(state__growth=SURE)
        first = look.chance_in(route.year)
        self.assertTrue(0.65 < first < 1.0)
        self.assertGreater(look.chance[-1], 0.97)
        self.assertEqual(look.chance, sorted(look.chance))

    def test_the_band_widens_with_the_years(self):
        _, look = self.outlook()
        widths = [high - low for low, high in zip(look.low, look.high, strict=True)][:8]
        self.assertEqual(widths, sorted(widths))

    def test_a_likely_year_comes_after_the_planned_one(self):
        route, look = self.outlook()
        self.assertGreater(look.likely_year(0.8), route.year)

    def test_a_way_that_leaves_todays_last_pot_grows_by_the_one_it_is_put_into(self):
        sure = {"state__growth": SURE, "gaps": [], "target__largest_gap_deg": 200}
        for container in (FINAL, "wide training pot"):
            # Both trees are cut in the same years, so nothing else tells them apart.
            route, look = self.outlook(state__container=container, **sure)
            self.assertEqual(look.chance_in(route.year), 1.0, container)

    def test_draws_grow_as_slowly_in_an_overdue_year_as_the_plan_does(self):
        problem = PlanningProblem(
            read_case(
                case(
                    state__growth=SURE,
                    gaps=[],
                    target__largest_gap_deg=200,
                    species__longest_interval_years=3,
                    holds=[{"year": year, "allow": "none"} for year in range(2027, 2031)],
                )
            ),
            "bold",
        )
        route = find_routes(problem).recommended(10)
        look = outcomes(problem, route)
        for state in route.states:
            with self.subTest(year=state.year):
                at = state.year - look.first_year
                self.assertAlmostEqual(look.low[at], problem.ratio(state.grown), places=6)


class SignedTest(unittest.TestCase):
    """What an artist would strike out of a plan never stands in one."""

    def paths(self):
        for seed in range(few_or_all(8, 120)):
            made = read_case(generated(random.Random(seed)))
            for school in ("gentle", "steady", "bold"):
                yield made, school, plan_school(made, school)

    def test_slices_are_worth_a_saw_or_bring_the_ball_to_need(self):
        for made, school, path in self.paths():
            for step in path.steps:
                _, after = step.ball_depth_mm
                if step.slice_mm and step.layer is None and path.unreachable is None:
                    with self.subTest(school=school, year=step.year):
                        to_need = abs(after - made.need_mm) < 1e-6
                        self.assertTrue(step.slice_mm >= 10 - 1e-6 or to_need, step.slice_mm)
                        least = max(10, 0.3 * made.state.trunk_diameter_mm)
                        self.assertGreaterEqual(after, least - 1e-6)

    def test_grafts_are_set_in_a_session_that_takes_half(self):
        seen = 0
        for school in ("gentle", "steady", "bold"):
            made = read_case(case())
            step = plan_school(made, school).steps[0]
            self.assertTrue(step.grafts)
            bearing = PlanningProblem(made, school).bearing(step.year)
            self.assertLessEqual(step.share, bearing / 2 + 1e-6)
            seen += step.share > 0.2
        self.assertTrue(seen)

    def test_a_plan_is_chosen_by_when_it_is_likely_to_succeed(self):
        chosen_later = 0
        for made, _, path in self.paths():
            if not path.tradeoff or path.unreachable is not None:
                continue
            never = made.last_year + 15
            weights = {
                point.year: point.toll + 10 * (point.likely_year or never)
                for point in path.tradeoff
            }
            # The chosen one was looked at again with more draws, which may move it by a year.
            self.assertLessEqual(weights[path.reached_year], min(weights.values()) + 10.1)
            chosen_later += path.reached_year > path.earliest_year
        self.assertGreater(chosen_later, 0)

    def test_no_plan_is_brought_forward_by_a_shorter_rest(self):
        old_pine = {"species__interval_years": 5, "age": "old", "strength": "fair"}
        made = read_case(case(**old_pine))
        path = plan_school(made, "steady")
        codes = [one.code for one in (*path.binding, *forward(made, "steady", path.reached_year))]
        self.assertNotIn("interval", codes)


class CalibrationTest(unittest.TestCase):
    """On made-up histories whose growth is known, the band holds what is measured later."""

    PRIOR, TRUNK_MM, AHEAD = 0.1, 60.0, 4

    def later_and_band(self, rng):
        """A spread measured some years on, and the forecast's band for that year."""
        mean = self.PRIOR * self.TRUNK_MM
        own = max(0.0, rng.normal(mean, PRIOR_RELATIVE_SD * mean))
        years = rng.integers(2, 9)
        grown = own + rng.normal(0, YEARLY_RELATIVE_SD * mean, years + self.AHEAD)
        spread = 100.0 + np.concatenate([[0.0], grown.cumsum()])
        seen = [
            Seen(float(at), spread[at] + rng.normal(0, 0.5), 1.0)
            for at in sorted({0, years // 2, years})
        ]
        rate = growth_rate(self.PRIOR, self.TRUNK_MM, seen, 1.0)
        growth = {"spread_mm_per_year": rate.mm_per_year, "spread_sd": rate.sd,
                  "trunk_mm_per_year": 0.0, "trunk_sd": 0.0}  # fmt: skip
        made = case(
            state__growth=growth, state__spread_mm=seen[-1].size_mm,
            state__trunk_diameter_mm=self.TRUNK_MM, faults=[], gaps=[],
            state__last_session_year=2026, species__longest_interval_years=20,
        )  # fmt: skip
        ground = PlanningProblem(read_case(made), "steady")
        label, labels = start_state(ground), []
        for _ in range(self.AHEAD):
            label = left_alone(ground, label)
            labels.append(label)
        outlook = outcomes(ground, Route(labels[-1].year, tuple(labels), 0.0, 0.0))
        later = (spread[-1] + rng.normal(0, 0.5)) / self.TRUNK_MM
        return later, outlook.low[self.AHEAD - 1], outlook.high[self.AHEAD - 1]

    def test_the_80_percent_band_holds_74_to_86_percent(self):
        rng = np.random.default_rng(17)
        told = [self.later_and_band(rng) for _ in range(500)]
        held = np.mean([low <= later <= high for later, low, high in told])
        self.assertTrue(0.74 <= held <= 0.86, held)
