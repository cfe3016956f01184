"""Top view measures: hand-worked cases, and the simulated camera's truth."""

import unittest

import numpy as np

from mirvo.core.angles import clock_hour
from mirvo.core.measure.marks import read_marks
from mirvo.core.measure.plane_map import PhotoInfo
from mirvo.core.measure.report import top_contract
from mirvo.core.measure.top import measure_top
from mirvo.standins.base import random_base
from mirvo.standins.camera import FOCAL_35MM, random_camera
from mirvo.standins.photo import truth
from tests.marks import ring, top_marks

BLIND = PhotoInfo(1000, 1000)


def measured(**changes):
    return measure_top(read_marks(top_marks(**changes)), BLIND)


def angle_between(a, b):
    return abs((a - b + 180) % 360 - 180)


class HandWorkedTest(unittest.TestCase):
    """Four px are one mm: the trunk is a circle of 50 mm, roots 50 mm long, 10 mm wide."""

    def test_trunk_diameter_of_a_circle_and_of_an_ellipse(self):
        self.assertAlmostEqual(measured().trunk_diameter_mm.value, 50, 1)
        wide = {"outline": ring(500, 500, 160, 90)}
        equal = 2 * np.sqrt(40 * 22.5)
        self.assertAlmostEqual(measured(trunk=wide, roots=[]).trunk_diameter_mm.value, equal, 1)

    def test_azimuth_runs_clockwise_from_the_back(self):
        back, right = measured().roots
        self.assertAlmostEqual(angle_between(back.azimuth_deg.value, 0), 0, 6)
        self.assertAlmostEqual(right.azimuth_deg.value, 90, 6)
        self.assertEqual((back.clock, right.clock), (12.0, 3.0))

    def test_front_turns_the_frame(self):
        turned = measured(front=[100.0, 500.0])
        self.assertAlmostEqual(turned.roots[0].azimuth_deg.value, 270, 6)

    def test_front_is_the_foot_of_the_picture_when_unmarked(self):
        marks = top_marks()
        del marks["front"]
        found = measure_top(read_marks(marks), BLIND)
        self.assertAlmostEqual(angle_between(found.roots[0].azimuth_deg.value, 0), 0, 6)

    def test_width_reach_and_heading(self):
        root = measured().roots[0]
        self.assertAlmostEqual(root.base_width_mm.value, 10, 6)
        self.assertAlmostEqual(root.reach_mm.value, 75, 6)
        self.assertAlmostEqual(root.heading_error_deg.value, 0, 6)
        self.assertEqual(root.faults, ())

    def test_roots_off_the_plane_count_unless_the_artist_says_otherwise(self):
        roots = [*top_marks()["roots"]]
        self.assertIsNone(measured().off_plane)
        lifted = [roots[0], {**roots[1], "height": "above"}]
        both, alone = measured(roots=lifted), measured(roots=lifted, flare_on_plane_only=True)
        self.assertEqual((both.off_plane.labels, both.off_plane.counted), (("B",), True))
        self.assertFalse(alone.off_plane.counted)
        # Either way both figures stand there, and they are those of the two counts.
        for found in (both, alone):
            self.assertEqual(found.off_plane.index_with, both.radiality.index)
            self.assertEqual(found.off_plane.index_without, alone.radiality.index)
        self.assertEqual(alone.radiality.index, measured(roots=roots[:1]).radiality.index)
        self.assertGreater(both.radiality.index.value, alone.radiality.index.value)
        # The spread is of what is there, whatever belongs to the flare.
        self.assertEqual(both.spread, alone.spread)

    def test_spread_on_the_flare_of_an_ellipse(self):
        found = measured(flare={"outline": ring(500, 500, 240, 160)}).spread.flare
        self.assertAlmostEqual(found.across_mm.value, 120, 1)
        self.assertAlmostEqual(found.least_mm.value, 80, 1)
        turn = np.radians(np.arange(360))
        radius = 1 / np.hypot(np.cos(turn) / 60, np.sin(turn) / 40)
        self.assertAlmostEqual(found.mean_mm.value, 2 * radius.mean(), 1)

    def test_roots_count_to_two_trunk_diameters(self):
        long = top_marks()["roots"]
        long[0]["path"] = [[500.0, 400.0], [500.0, 0.0]]
        found = measured(roots=long)
        diameter = found.trunk_diameter_mm.value
        self.assertAlmostEqual(found.roots[0].reach_mm.value, 125, 6)
        # from the cut end of A (2 D up, widened by 5 mm) down to the trunk's foot (25 mm)
        self.assertLess(found.spread.roots.across_mm.value, 2 * diameter + 5 + 25 + 12)

    def test_a_root_without_an_end_width_is_taken_to_taper(self):
        [root] = top_marks()["roots"][:1]
        # From the trunk's foot, 25 mm below the middle, to half a width beyond the tip at 75 mm.
        marked = {**root, "end_width": [[480.0, 200.0], [520.0, 200.0]]}
        found = measured(roots=[marked]).spread.roots.across_mm
        self.assertAlmostEqual(found.value, 25 + 75 + 10 / 2, delta=0.2)
        usual = measured(roots=[root]).spread.roots.across_mm
        self.assertAlmostEqual(usual.value, 25 + 75 + 0.45 * 10 / 2, delta=0.2)
        self.assertGreater(usual.plus_minus, found.plus_minus)

    def test_without_roots_radiality_is_nil(self):
        found = measured(roots=[])
        self.assertEqual(found.radiality.index.value, 0.0)
        self.assertEqual(found.radiality.largest_gap_deg.value, 360.0)
        self.assertEqual(found.radiality.open_arcs, ((0.0, 360.0),))

    def test_dead_roots_do_not_count(self):
        roots = top_marks()["roots"]
        roots[1]["condition"] = "dead"
        self.assertEqual(measured(roots=roots).radiality.largest_gap_deg.value, 360.0)

    def test_roots_planned_for_removal_are_left_out_but_measured(self):
        found = measure_top(read_marks(top_marks()), BLIND, leave_out=frozenset({"B"}))
        self.assertEqual(len(found.roots), 2)
        self.assertEqual(found.radiality.largest_gap_deg.value, 360.0)

    def test_more_careless_clicks_widen_the_error_bars(self):
        careful, careless = measured(click_sd_px=1.0), measured(click_sd_px=6.0)
        self.assertGreater(
            careless.roots[0].base_width_mm.plus_minus,
            2 * careful.roots[0].base_width_mm.plus_minus,
        )
        self.assertGreater(careful.trunk_diameter_mm.plus_minus, 0)

    def test_same_marks_give_the_same_figures(self):
        self.assertEqual(top_contract(measured()), top_contract(measured()))

    def test_clock(self):
        self.assertEqual(
            [clock_hour(a) for a in (0, 359.9, 15, 90, 180, 345)], [12, 12, 0.5, 3, 6, 11.5]
        )


class SimulatedTruthTest(unittest.TestCase):
    """Marks at their true places on 20 seeds: what is left is the error of the measuring."""

    def check(self, kind):
        for seed in range(20):
            base, camera = random_base(seed), random_camera(seed)
            known = truth(base, camera)
            marks, figures = known["marks"], known["figures"]
            if kind == "segment":
                line = known["segment"]
                marks["calibration"] = {
                    "kind": "segment",
                    "a": line["points"][0],
                    "b": line["points"][1],
                    "length_mm": line["length_mm"],
                    "height_above_root_plane_mm": line["height_mm"],
                }
            photo = PhotoInfo(camera.width, camera.height, FOCAL_35MM)
            found = measure_top(read_marks(marks, (camera.width, camera.height)), photo)
            yield seed, found, figures

    def test_rectangle_within_one_percent_and_one_degree(self):
        for seed, found, figures in self.check("rectangle"):
            with self.subTest(seed=seed):
                self.near(found.trunk_diameter_mm.value, figures["trunk_diameter_mm"], 0.01)
                self.near(found.spread.flare.mean_mm.value, figures["flare_mean_mm"], 0.01)
                self.near(found.spread.roots.mean_mm.value, figures["roots_mean_mm"], 0.01)
                for root, known in zip(found.roots, figures["roots"], strict=True):
                    away = angle_between(root.azimuth_deg.value, known["azimuth_deg"])
                    self.assertLess(away, 1.0)
                    self.near(root.base_width_mm.value, known["width_mm"], 0.01)
                    self.near(root.reach_mm.value, known["reach_mm"], 0.01)

    def test_segment_lies_within_its_own_error_bars(self):
        held = total = 0
        for _, found, figures in self.check("segment"):
            trunk = found.trunk_diameter_mm
            held += abs(trunk.value - figures["trunk_diameter_mm"]) <= trunk.plus_minus
            total += 1
        self.assertGreaterEqual(held, 0.8 * total)

    def near(self, value, truth_value, share):
        self.assertLess(abs(value / truth_value - 1), share)
