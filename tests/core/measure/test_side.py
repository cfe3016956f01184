"""Side views: hand-worked silhouettes, and turntables whose truth is known."""

import unittest
from dataclasses import replace

import numpy as np

from mirvo.core.errors import BadInput
from mirvo.core.measure.plane_map import PhotoInfo
from mirvo.core.measure.report import side_contract, side_set_contract
from mirvo.core.measure.side import measure_side
from mirvo.core.measure.side_marks import read_side_marks
from mirvo.core.measure.side_set import MarkedSide, measure_side_set, read_side_set
from mirvo.standins.base import random_base
from mirvo.standins.turntable import (
    CARD_ASIDE_MM,
    CARD_MIDDLE_MM,
    plane_of,
    side_camera,
    side_figures,
    side_truth,
)
from tests.hand import shaken

PHOTO = PhotoInfo(1000, 1000, 48)
SCALE = 4.0
SOIL_Y = 900.0


def at(x, z):
    """Pixel of a point x mm right of the middle, z mm above the soil line."""
    return [500.0 + SCALE * x, SOIL_Y - SCALE * z]


def trunk(half_widths, **more):
    """Marks of a trunk with half-widths {z: mm}, seen straight, 4 px a millimetre."""
    return {
        "view": "side",
        "calibration": {"kind": "segment", "a": at(-50, 10), "b": at(50, 10), "length_mm": 100},
        "soil_line": [at(-60, 0), at(60, 0)],
        "left_edge": [at(-half, z) for z, half in sorted(half_widths.items())],
        "right_edge": [at(half, z) for z, half in sorted(half_widths.items())],
        **more,
    }


def measured(half_widths, **more):
    return measure_side(read_side_marks(trunk(half_widths, **more), (1000, 1400)), PHOTO)


ROOTY = 511
FLARED = {0: 30, 10: 22, 20: 20, 140: 18}


class SilhouetteTest(unittest.TestCase):
    def test_flare_ratio_is_soil_width_over_the_narrowest_above(self):
        found = measured(FLARED)
        self.assertAlmostEqual(found.soil_line_width_mm.value, 60, 6)
        self.assertAlmostEqual(found.narrowest_width_mm.value, 36.7, delta=0.3)
        self.assertAlmostEqual(found.flare_ratio.value, 60 / 36.7, delta=0.02)

    def test_widths_every_5_mm(self):
        widths = measured(FLARED).widths
        self.assertEqual([z for z, _ in widths[:3]], [0.0, 5.0, 10.0])
        for (_, found), known in zip(widths, (60, 52, 44), strict=False):
            self.assertAlmostEqual(found, known, 6)

    def test_angles_are_from_upright_and_positive_where_it_flares(self):
        straight = measured({0: 30, 15: 15, 140: 15}).flare_angle_deg
        self.assertAlmostEqual(straight.left.value, 45, 4)
        self.assertAlmostEqual(straight.right.value, 45, 4)
        self.assertAlmostEqual(measured({0: 20, 140: 20}).flare_angle_deg.left.value, 0, 6)

    def test_lean_to_the_right_is_positive(self):
        marks = trunk({0: 20, 140: 20})
        for name in ("left_edge", "right_edge"):
            marks[name][1][0] += SCALE * 140 * np.tan(np.radians(5))
        found = measure_side(read_side_marks(marks), PHOTO)
        self.assertAlmostEqual(found.lean_deg.value, 5, 4)

    def test_reverse_taper_above_the_flare_only(self):
        found = measured({0: 30, 20: 20, 60: 18, 80: 21, 140: 21})
        self.assertTrue(found.reverse_taper)
        self.assertTrue(all(60 <= z <= 90 for z in found.reverse_taper))
        self.assertEqual(measured(FLARED).reverse_taper, ())

    def test_a_swelling_within_the_strays_of_clicks_is_not_called_sure(self):
        slight = {0: 30, 20: 20, 60: 18, 70: 18.8, 140: 18.8}
        self.assertTrue(measured(slight, click_sd_px=0.2).reverse_taper_sure)
        unsure = measured(slight, click_sd_px=6.0)
        self.assertTrue(unsure.reverse_taper)
        self.assertFalse(unsure.reverse_taper_sure)

    def test_undercut(self):
        self.assertTrue(measured({0: 20, 12: 24, 40: 18, 140: 16}).undercut)
        self.assertFalse(measured(FLARED).undercut)

    def test_another_soil_line_is_tried_on_the_same_marks(self):
        emergences = [{"label": "A", "point": at(-30, 6)}, {"label": "B", "point": at(30, -4)}]
        tried = [{"point": at(40, -10)}, {"point": at(0, 20), "line": "pot rim"}]
        found = measured({**FLARED, -10: 34}, emergences=emergences, tried=tried)
        self.assertAlmostEqual(found.soil_line_width_mm.value, 60, 6)  # stays as it is
        higher, rim = found.soil_line_trials
        self.assertAlmostEqual(higher.raised_mm.value, 10, 6)
        self.assertAlmostEqual(higher.width_mm.value, 68, 6)
        self.assertGreater(higher.flare_ratio.value, found.flare_ratio.value)
        self.assertEqual((higher.shown, higher.buried), (("A", "B"), ()))
        # the soil lies 10 mm below the rim, where the trunk is 44 mm wide
        self.assertAlmostEqual(rim.raised_mm.value, -10, 6)
        self.assertAlmostEqual(rim.width_mm.value, 44, 6)
        self.assertEqual((rim.shown, rim.buried), ((), ("A", "B")))

    def test_roots_nearer_to_a_tried_line_than_the_error_are_left_open(self):
        emergences = [{"label": "A", "point": at(-30, 6)}]
        [found] = measured(
            FLARED, emergences=emergences, tried=[{"point": at(0, 6.5)}]
        ).soil_line_trials
        self.assertEqual((found.shown, found.at_line, found.buried), ((), ("A",), ()))

    def test_a_line_tried_where_no_edges_are_marked_says_so(self):
        below, above = measured(
            FLARED, tried=[{"point": at(0, -30)}, {"point": at(0, 139)}]
        ).soil_line_trials
        self.assertIn("bare the trunk", below.problem)
        self.assertIn("above the marked edges", above.problem)
        self.assertIsNone(above.flare_ratio)
        self.assertAlmostEqual(below.raised_mm.value, 30, 6)

    def test_short_edges_leave_the_ratio_open_and_say_so(self):
        out = side_contract(measured({0: 30, 20: 20}))
        self.assertIsNone(out["flare_ratio"])
        self.assertTrue(any("Mark them higher" in said for said in out["calibration"]["warnings"]))

    def test_emergences_are_read_from_the_soil_line_and_the_middle(self):
        emergences = [{"label": "A", "point": at(-30, 6)}, {"label": "B", "point": at(0, 4)}]
        found = measured(FLARED, emergences=emergences).emergences
        self.assertAlmostEqual(found[0].height_mm.value, 6, 3)
        self.assertAlmostEqual(found[0].x_mm.value, -30, 3)
        # B stands nearer than the axis; how the camera looks is unknown, so only the ± grows
        self.assertAlmostEqual(found[1].height_mm.value, 4, 3)
        self.assertGreater(found[1].height_mm.plus_minus, found[0].height_mm.plus_minus)

    def test_woody_depth_counts_wood_thicker_than_an_eighth_of_the_trunk(self):
        ball = {
            "outline": [at(-70, 0), at(70, 0), at(60, -60), at(-60, -60)],
            "wood": [[at(0, -40), at(8, -40)], [at(20, -55), at(22, -55)]],
            "trunk_diameter_mm": 40,
        }
        found = measured(FLARED, ball=ball).ball
        self.assertAlmostEqual(found.woody_depth_mm.value, 40, 4)
        self.assertAlmostEqual(found.width_mm.value, 140, 4)
        self.assertAlmostEqual(found.depth_mm.value, 60, 4)


class BadMarksTest(unittest.TestCase):
    def refused(self, field, said, **changes):
        with self.assertRaises(BadInput) as error:
            measure_side(read_side_marks({**trunk(FLARED), **changes}, (1000, 1000)), PHOTO)
        self.assertEqual(error.exception.field, field)
        self.assertIn(said, error.exception.message)

    def test_each_is_answered_at_its_place(self):
        edges = trunk(FLARED)
        self.refused(
            "left_edge", "exchange", left_edge=edges["right_edge"], right_edge=edges["left_edge"]
        )
        self.refused("left_edge", "above the soil line", left_edge=[at(-20, 20), at(-20, 90)])
        self.refused("right_edge", "does not rise", right_edge=[at(20, -3), at(20, -20)])
        self.refused("soil_line", "on each other", soil_line=[at(0, 0), at(0, 0)])
        self.refused("soil_line", "more up than across", soil_line=[at(0, 0), at(1, 100)])
        self.refused("left_edge.0", "outside the picture", left_edge=[[-40.0, 900.0], at(-20, 90)])
        twice = [{"label": "A", "point": at(0, 3)}, {"label": "A", "point": at(9, 3)}]
        self.refused("emergences.1.label", "two emergences", emergences=twice)
        self.refused("left_edge", "at least 2", left_edge=[at(-20, 0)])


def turntable(seed, rng, sd=2.0, turns=range(0, 360, 45)):
    """Marked views of one tree, the card's corners as a photo shows them."""
    base, shot = random_base(seed), side_camera(seed)
    camera = shot.camera()
    across, up = (np.array(part, float) for part in ((-60, 60, 60, -60), (40, 40, -40, -40)))
    square = [(-15, 15), (15, 15), (15, -15), (-15, -15)]
    card = [
        [CARD_ASIDE_MM + x + a, 0.0, CARD_MIDDLE_MM + z + b]
        for x, z in zip(across, up, strict=True)
        for a, b in square
    ]
    corners = camera.see(np.array(card)) + rng.normal(0, 0.1, (16, 2))
    photo = PhotoInfo(camera.width, camera.height, round(camera.focal_35mm))
    views = []
    for turn in turns:
        marks = read_side_marks(shaken(side_truth(base, shot, float(turn)), rng, sd))
        views.append(MarkedSide(f"{turn}.jpg", marks, photo, corners))
    return base, views


def with_emergences(view, emergences):
    marks = view.marks.model_copy(update={"emergences": tuple(emergences)})
    return replace(view, marks=marks)


def too_high(view, label):
    """A view's emergences, one root marked 60 px above where it leaves the trunk."""
    for one in view.marks.emergences:
        x, y = one.point
        yield one.model_copy(update={"point": (x, y - 60)}) if one.label == label else one


class TurntableTest(unittest.TestCase):
    """Twelve trees, eight views each, clicks of 2 px."""

    @classmethod
    def setUpClass(cls):
        cls.sets = []
        for seed in range(500, 512):
            base, views = turntable(seed, np.random.default_rng(seed))
            cls.sets.append((base, measure_side_set(views)))

    def test_widths_and_ratio_are_near_the_truth_and_held_by_their_bars(self):
        misses, held = [], []
        for base, found in self.sets:
            for _, turn, view in found.views:
                known = side_figures(base, turn)
                for name in ("soil_line_width_mm", "narrowest_width_mm", "flare_ratio"):
                    figure = getattr(view, name)
                    misses.append(abs(figure.value / known[name] - 1))
                    held.append(abs(figure.value - known[name]) <= figure.plus_minus)
        self.assertLess(np.median(misses), 0.015)
        self.assertGreaterEqual(np.mean(held), 0.90)

    def test_root_plane(self):
        tilts, heights = [], []
        for base, found in self.sets:
            a, b, c = plane_of(base)
            plane = found.root_plane
            tilts.append(plane.tilt_deg.value - np.degrees(np.arctan(np.hypot(b, c))))
            heights.append(plane.height_mm.value - a)
            uphill = np.degrees(np.arctan2(b, c)) / 30
            away = abs((plane.tilt_clock - uphill + 6) % 12 - 6)
            self.assertLess(away, 1.5)
        self.assertLess(np.median(np.abs(tilts)), 1.0)
        self.assertLess(np.median(np.abs(heights)), 0.4)

    def test_a_root_marked_at_the_wrong_height_is_left_out(self):
        _, views = turntable(ROOTY, np.random.default_rng(0), 0.0)
        label = views[0].marks.emergences[0].label
        found = measure_side_set([with_emergences(view, too_high(view, label)) for view in views])
        self.assertEqual(found.root_plane.left_out, (label,))
        self.assertGreater(found.root_plane.residuals_mm[label], 10)

    def test_the_printed_set(self):
        out = side_set_contract(self.sets[0][1])
        self.assertLessEqual(
            {"height_mm", "tilt_deg", "tilt_clock", "residuals_mm"}, set(out["root_plane"])
        )
        self.assertEqual(len(out["views"]), 8)
        self.assertRegex(
            out["root_plane"]["advice"], r"toward (half past \d+|\d+ o'clock) levels it|Level"
        )

    def test_two_roots_make_no_plane(self):
        _, views = turntable(504, np.random.default_rng(0), 0.0, turns=[0])
        two = with_emergences(views[0], views[0].marks.emergences[:2])
        out = side_set_contract(measure_side_set([two]))
        self.assertIsNone(out["root_plane"])
        self.assertTrue(any("three roots" in said for said in out["calibration"]["warnings"]))

    def test_a_list_that_is_none(self):
        with self.assertRaises(BadInput):
            read_side_set({"view": "side-set", "photos": []})
