"""Properties any plan must have, on generated cases."""

import random
import unittest

import numpy as np

from mirvo.core.plan.case import read_case
from mirvo.core.plan.growth import (
    PRIOR_RELATIVE_SD,
    YEARLY_RELATIVE_SD,
    Seen,
    growth_rate,
)
from mirvo.core.plan.label_setting import LabelSetting
from mirvo.core.plan.outcomes import outcomes
from mirvo.core.plan.paths import fault_parts
from mirvo.core.plan.problem import PlanningProblem, largest_gap
from mirvo.core.plan.search import earliest_year, find_route
from mirvo.core.plan.tree_state import UNGRAFTED, arrived, grow, start_state
from mirvo.core.plan.unreachable import why_unreachable
from tests.core.plan.test_search import case

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
    return earliest_year(PlanningProblem(read_case(data), school)) or LATER


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

    def test_a_larger_budget_is_never_later(self):
        for data in self.cases:
            years = []
            for factor in (0.7, 1.0, 1.2, 1.5):
                larger = {school: b * factor for school, b in data["species"]["budget"].items()}
                years.append(year({**data, "species": {**data["species"], "budget": larger}}))
            self.assertEqual(years, sorted(years, reverse=True))

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
            route = find_route(ground)
            if route is None or not route.states:
                continue
            last = route.states[-1]
            self.assertEqual(last.halves, ground.all_halves)
            self.assertEqual(last.container, "final pot")
            self.assertEqual(last.year, route.reached)
            self.assertEqual(
                [label.year for label in route.states],
                list(range(2027, route.reached + 1)),
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


class GroundTest(unittest.TestCase):
    def test_largest_gap_over_north(self):
        self.assertEqual(largest_gap([350, 10, 180]), 170)
        self.assertEqual(largest_gap([90, 10, 200]), 170)
        self.assertEqual(largest_gap([20]), 360)
        self.assertEqual(largest_gap([]), 360)

    def test_ball_grows_only_where_it_may_and_never_shrinks(self):
        ground = PlanningProblem(read_case(case()), "steady")
        grow = ground.ball_after_year
        self.assertEqual(grow(50, "wide training pot"), 70)
        self.assertEqual(grow(80, "basket"), 90)
        self.assertEqual(grow(110, "wide training pot"), 110)
        self.assertEqual(grow(190, "ground"), 200)
        for container in ("usual pot", "board in a wide pot", "final pot"):
            self.assertEqual(grow(50, container), 50)

    def test_slices_go_in_steps_or_exactly_to_need(self):
        ground = PlanningProblem(read_case(case(target__pot_depth_mm=53)), "steady")
        self.assertEqual(ground.depths_left(50), [50, 40, 30, 20, 10, 33])

    def test_faults_go_in_halves_in_advice_order(self):
        faults = [
            {"label": "B", "share": 0.2, "priority": 2},
            {"label": "A", "share": 0.1, "priority": 1},
        ]
        ground = PlanningProblem(read_case(case(faults=faults)), "steady")
        self.assertEqual(fault_parts(ground, 0, 3), {"A": 1.0, "B": 0.5})
        self.assertAlmostEqual(ground.fault_share(0, 3), 0.2)
        self.assertAlmostEqual(ground.fault_share(2, 4), 0.2)

    def test_a_fault_root_stands_until_its_second_half_is_gone(self):
        ground = PlanningProblem(read_case(case(gaps=[])), "steady")
        before = ground.largest_gap(0, False)
        self.assertEqual(ground.largest_gap(1, False), before)
        wide = PlanningProblem(
            read_case(case(state__root_azimuths_deg=[10, 118, 230], gaps=[])), "steady"
        )
        self.assertEqual(wide.largest_gap(1, False), 140)
        self.assertEqual(wide.largest_gap(2, False), 220)

    def test_budget_multiplies_strength_age_origin_and_worth(self):
        made = case(strength="fair", age="old", origin_factor=0.7, worth=0.7)
        self.assertAlmostEqual(
            PlanningProblem(read_case(made), "steady").budget, 0.45 * 0.75 * 0.7 * 0.7 * 0.7
        )

    def test_ratio_limit(self):
        ground = PlanningProblem(read_case(case()), "steady")
        self.assertAlmostEqual(ground.ratio_limit, 5.0)
        still = PlanningProblem(read_case(case(state__growth__trunk_mm_per_year=0)), "steady")
        self.assertEqual(still.ratio_limit, float("inf"))


class OutcomesTest(unittest.TestCase):
    def outlook(self, **changes):
        ground = PlanningProblem(read_case(case(**changes)), "bold")
        route = find_route(ground)
        return route, outcomes(ground, route.states)

    def test_sure_growth_and_no_graft_arrive_for_certain(self):
        route, outlook = self.outlook(
            state__growth={
                "spread_mm_per_year": 6, "trunk_mm_per_year": 1.2, "spread_sd": 0, "trunk_sd": 0,
            },
            gaps=[], target__largest_gap_deg=200,
        )  # fmt: skip
        self.assertEqual(outlook.chance[-1], 1.0)
        self.assertEqual(outlook.chance[-2], 0.0)
        self.assertEqual(outlook.low, outlook.high)
        self.assertEqual(len(outlook.chance), len(route.states))

    def test_a_graft_takes_with_its_luck(self):
        _, outlook = self.outlook(
            state__growth={
                "spread_mm_per_year": 6, "trunk_mm_per_year": 1.2, "spread_sd": 0, "trunk_sd": 0,
            },
        )  # fmt: skip
        self.assertAlmostEqual(outlook.chance[-1], 0.7, 1)

    def test_the_band_widens_with_the_years(self):
        _, outlook = self.outlook()
        widths = [high - low for low, high in zip(outlook.low, outlook.high, strict=True)]
        self.assertEqual(widths, sorted(widths))


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
        )  # fmt: skip
        ground = PlanningProblem(read_case(made), "steady")
        label, labels = start_state(ground), []
        for _ in range(self.AHEAD):
            label = grow(ground, label, "wide training pot", None, UNGRAFTED)
            labels.append(label)
        outlook = outcomes(ground, labels)
        later = (spread[-1] + rng.normal(0, 0.5)) / self.TRUNK_MM
        return later, outlook.low[-1], outlook.high[-1]

    def test_the_80_percent_band_holds_74_to_86_percent(self):
        rng = np.random.default_rng(17)
        told = [self.later_and_band(rng) for _ in range(500)]
        held = np.mean([low <= later <= high for later, low, high in told])
        self.assertTrue(0.74 <= held <= 0.86, held)


class BoundsTest(unittest.TestCase):
    """The bounds only cut off ways that cannot arrive."""

    WAY = (  # halves of faults taken, ball left, container; None leaves it alone
        (10, 1030, "wide training pot"), (16, 520, "wide training pot"),
        (16, 260, "wide training pot"), (16, 130, "wide training pot"), (16, 70, "usual pot"),
        (16, 40, "board in a wide pot"), None, None, (16, 30, "final pot"),
    )  # fmt: skip

    def test_no_label_of_a_way_that_just_arrives_is_cut_off(self):
        faults = [{"label": label, "share": 0.01, "priority": 1} for label in "ABCDEFGH"]
        data = case(
            state__ball_depth_mm=2000, state__woody_depth_mm=1990, state__last_session_year=None,
            state__root_azimuths_deg=[], faults=faults, gaps=[], holds=[],
            target__largest_gap_deg=360, species__interval_years=1,
        )  # fmt: skip
        ground = PlanningProblem(read_case(data), "bold")
        label = start_state(ground)
        way = [label]
        for step in self.WAY:
            cut, container = None, label.container
            if step is not None:
                halves, ball, container = step
                cuts = ground.cuts(label.halves, label.ball)
                cut = next(c for c in cuts if (c.halves, c.ball_mm) == (halves, ball))
            label = grow(ground, label, container, cut, UNGRAFTED)
            way.append(label)
        self.assertTrue(arrived(ground, label))
        cap = max(label.cut.strain for label in way if label.cut)
        under = LabelSetting(ground, label.year, cap)
        self.assertTrue(all(under.in_time(one) for one in way))
