"""Error bars against simulated truth: clicks of 2 px, many hands."""

import unittest

import numpy as np

from mirvo.core.errors import BadInput
from mirvo.core.measure.marks import read_marks
from mirvo.core.measure.plane_map import PhotoInfo
from mirvo.core.measure.report import top_contract
from mirvo.core.measure.roots import FOUND_TOGETHER
from mirvo.core.measure.top import measure_top
from mirvo.standins.base import random_base
from mirvo.standins.camera import FOCAL_35MM, random_camera
from mirvo.standins.photo import truth
from tests.hand import shaken
from tests.marks import top_marks

BASE_AT_MM = 27.5


class ErrorBarsTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.cases = []
        for seed in range(100, 124):
            base, camera = random_base(seed), random_camera(seed)
            known = truth(base, camera)
            rng = np.random.default_rng(seed)
            marks = read_marks(shaken(known["marks"], rng, 2.0))
            photo = PhotoInfo(camera.width, camera.height, FOCAL_35MM)
            cls.cases.append((measure_top(marks, photo), known["figures"]))

    def covered(self, pairs):
        return np.mean([abs(found.value - known) <= found.plus_minus for found, known in pairs])

    def test_trunk_and_spread_intervals_hold_the_truth(self):
        pairs = [(m.trunk_diameter_mm, f["trunk_diameter_mm"]) for m, f in self.cases]
        pairs += [(m.spread.flare.mean_mm, f["flare_mean_mm"]) for m, f in self.cases]
        self.assertGreaterEqual(self.covered(pairs), 0.85)

    def test_widths_and_reaches_hold_the_truth(self):
        pairs = [
            (root.base_width_mm, known["width_mm"])
            for m, f in self.cases
            for root, known in zip(m.roots, f["roots"], strict=True)
        ]
        self.assertGreaterEqual(self.covered(pairs), 0.88)
        self.assertLessEqual(self.covered(pairs), 0.995)

    def test_errors_are_as_small_as_the_work_needs(self):
        trunk = [abs(m.trunk_diameter_mm.value / f["trunk_diameter_mm"] - 1) for m, f in self.cases]
        self.assertLess(np.median(trunk), 0.006)
        azimuth = [
            abs((root.azimuth_deg.value - known["azimuth_deg"] + 180) % 360 - 180)
            for m, f in self.cases
            for root, known in zip(m.roots, f["roots"], strict=True)
        ]
        self.assertLess(np.median(azimuth), 1.0)


class FoundInThePhotoTest(unittest.TestCase):
    """Four px are one mm, clicks are exact: what was found strays as its own deviation says."""

    def measured(self, **of_root):
        marks = top_marks(click_sd_px=0.0)
        marks["calibration"]["height_plus_minus_mm"] = 0.0
        marks["roots"][0].update(of_root)
        return measure_top(read_marks(marks), PhotoInfo(1000, 1000))

    def test_a_width_found_strays_and_its_root_does_not(self):
        found = self.measured(base_width_sd_px=4.0)
        self.assertAlmostEqual(found.roots[0].base_width_mm.plus_minus, 1.96, delta=0.2)
        self.assertAlmostEqual(found.roots[0].base_width_mm.value, 10.0, 6)
        clicked = self.measured().roots[0].azimuth_deg.plus_minus
        self.assertAlmostEqual(found.roots[0].azimuth_deg.plus_minus, clicked, delta=0.1)
        self.assertLess(found.roots[1].base_width_mm.plus_minus, 0.5)

    def test_a_root_found_strays_in_width_and_place(self):
        found = self.measured(points_sd_px=4.0).roots[0]
        self.assertAlmostEqual(found.base_width_mm.plus_minus, 1.96 * np.sqrt(2), delta=0.3)
        # Each point strays by one mm alone, and both by FOUND_TOGETHER together.
        middle = np.hypot(1.0 / np.sqrt(2), FOUND_TOGETHER)
        away = np.degrees(middle / BASE_AT_MM)
        self.assertAlmostEqual(found.azimuth_deg.plus_minus, 1.96 * away, delta=0.5)

    def test_a_base_strays_to_one_side_as_far_as_its_mark_says(self):
        found = self.measured(points_sd_px=4.0, base_sd_px=12.0).roots[0]
        # Each point by one mm alone, and both by three together; its width stays as it was.
        away = np.degrees(np.hypot(1.0 / np.sqrt(2), 3.0) / BASE_AT_MM)
        self.assertAlmostEqual(found.azimuth_deg.plus_minus, 1.96 * away, delta=0.8)
        self.assertAlmostEqual(found.base_width_mm.plus_minus, 1.96 * np.sqrt(2), delta=0.3)
        alone = self.measured(points_sd_px=4.0, base_sd_px=0.0).roots[0]
        away = np.degrees(1.0 / np.sqrt(2) / BASE_AT_MM)
        self.assertAlmostEqual(alone.azimuth_deg.plus_minus, 1.96 * away, delta=0.3)

    def test_an_end_set_by_hand_strays_as_a_click_though_the_root_was_found(self):
        clicked, traced = self.measured().roots[0], self.measured(points_sd_px=4.0).roots[0]
        self.assertAlmostEqual(traced.reach_mm.plus_minus, clicked.reach_mm.plus_minus, delta=0.2)
        found = self.measured(points_sd_px=4.0, tip_sd_px=0.01).roots[0]
        self.assertGreater(found.reach_mm.plus_minus, traced.reach_mm.plus_minus + 0.5)

    def test_a_tip_found_strays_along_its_way_and_nothing_else_does(self):
        clicked, found = self.measured().roots, self.measured(tip_sd_px=20.0).roots
        # 20 px are 5 mm; the root runs straight away from the trunk.
        strayed = np.hypot(1.96 * 5.0, clicked[0].reach_mm.plus_minus)
        self.assertAlmostEqual(found[0].reach_mm.plus_minus, strayed, delta=0.1 * strayed)
        self.assertEqual(found[0].reach_mm.value, clicked[0].reach_mm.value)
        for figure in ("azimuth_deg", "base_width_mm"):
            before, after = getattr(clicked[0], figure), getattr(found[0], figure)
            self.assertAlmostEqual(after.plus_minus, before.plus_minus, delta=0.15)
        others = found[1].reach_mm.plus_minus - clicked[1].reach_mm.plus_minus
        self.assertAlmostEqual(others, 0.0, delta=0.2)

    def test_what_is_found_in_a_small_photo_is_no_truer_than_a_click(self):
        widths = []
        for stray in (0.0, 0.5):
            marks = top_marks(click_sd_px=2.0)
            marks["roots"][0]["points_sd_px"] = stray
            found = measure_top(read_marks(marks), PhotoInfo(1000, 1000))
            widths.append(found.roots[0].base_width_mm.plus_minus)
        self.assertEqual(widths[0], widths[1])

    def test_an_outline_not_clicked_round_strays_as_a_whole(self):
        marks = top_marks(click_sd_px=0.0)
        marks["calibration"]["height_plus_minus_mm"] = 0.0
        exact = measure_top(read_marks(marks), PhotoInfo(1000, 1000))
        marks["trunk"]["outline_sd_px"] = 4.0
        found = measure_top(read_marks(marks), PhotoInfo(1000, 1000))
        self.assertEqual(found.trunk_diameter_mm.value, exact.trunk_diameter_mm.value)
        swollen = 1.96 * found.trunk_diameter_mm.value / 25.0
        wider = np.hypot(swollen, exact.trunk_diameter_mm.plus_minus)
        self.assertAlmostEqual(found.trunk_diameter_mm.plus_minus, wider, delta=0.5)
        self.assertGreater(found.roots[0].azimuth_deg.plus_minus, 1.0)

    def test_a_stray_below_nothing_is_refused(self):
        with self.assertRaises(BadInput) as said:
            self.measured(points_sd_px=-1.0)
        self.assertEqual(said.exception.field, "roots.0.points_sd_px")


class ContractTest(unittest.TestCase):
    """The printed figures keep their names."""

    @classmethod
    def setUpClass(cls):
        base, camera = random_base(6), random_camera(6)
        cls.marks = truth(base, camera)["marks"]
        cls.photo = PhotoInfo(camera.width, camera.height, FOCAL_35MM)
        cls.found = measure_top(read_marks(cls.marks), cls.photo)

    def test_names(self):
        out = top_contract(self.found)
        self.assertEqual(
            set(out["calibration"]),
            {"kind", "px_per_mm", "tilt_deg", "camera_height_mm", "residual_mm", "warnings"},
        )
        for basis in ("flare", "roots"):
            self.assertEqual(
                set(out["spread"][basis]), {"across_mm", "least_mm", "mean_mm", "ratio"}
            )
        wanted = {"label", "azimuth_deg", "clock", "base_width_mm", "reach_mm"}
        wanted |= {"heading_error_deg", "sweep_deg", "faults"}
        self.assertLessEqual(wanted, set(out["roots"][0]))
        self.assertEqual(set(out["roots"][0]["azimuth_deg"]), {"value", "plus_minus"})

    def test_unmarked_parts_are_null(self):
        marks = {**self.marks, "roots": [dict(root) for root in self.marks["roots"]]}
        del marks["flare"]
        del marks["roots"][0]["base_width"]
        out = top_contract(measure_top(read_marks(marks), self.photo))
        self.assertIsNone(out["spread"]["flare"])
        self.assertIsNone(out["roots"][0]["base_width_mm"])

    def test_the_record_adds_the_plan_for_drawing(self):
        self.assertEqual(len(self.found.roots), len(self.marks["roots"]))
        trunk = np.array(self.found.trunks[0].outline_mm)
        self.assertLess(np.abs(trunk.mean(axis=0)).max(), 1.0)

    def test_plan_frame_has_the_front_below(self):
        """The root nearest the viewer lies below, the one on the right at the right."""
        for root in self.found.roots:
            x, y = root.path_mm[1]
            azimuth = np.degrees(np.arctan2(x, y)) % 360
            away = abs((azimuth - root.azimuth_deg.value + 180) % 360 - 180)
            self.assertLess(away, 4)
