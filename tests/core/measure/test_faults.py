"""Each fault alone on a hand-worked root, with its figure."""

import unittest

import numpy as np

from mirvo.core.measure.faults import RootShape, find_faults


def shape(label="A", azimuth=0.0, path=((0, -20), (0, -60)), **changes):
    values = {
        "path": np.array(path, dtype=float),
        "azimuth_deg": azimuth,
        "base_width_mm": 8.0,
        "heading_error_deg": 0.0,
        "sweep_deg": 0.0,
        "sharpest_turn_deg": 0.0,
        "looped_share": 0.0,
        "height": None,
        "feeders": None,
        "condition": "sound",
    }
    return RootShape(label=label, **(values | changes))


def codes(roots, label="A"):
    return [fault.code for fault in find_faults(roots, 40.0)[label]]


class FaultsTest(unittest.TestCase):
    def test_a_straight_sound_root_has_none(self):
        self.assertEqual(codes([shape()]), [])

    def test_single_faults(self):
        for change, code in (
            ({"condition": "dead"}, "dead"),
            ({"feeders": 0}, "no_feeders"),
            ({"height": "above"}, "above_plane"),
            ({"height": 10.5}, "above_plane"),
            ({"height": -10.5}, "below_plane"),
            ({"sweep_deg": 61.0}, "circling"),
            ({"heading_error_deg": 61.0}, "circling"),
            ({"looped_share": 0.16}, "looping_back"),
            ({"sharpest_turn_deg": 71.0}, "kinked"),
        ):
            with self.subTest(code=code, change=change):
                self.assertEqual(codes([shape(**change)]), [code])

    def test_at_the_threshold_nothing_is_said(self):
        calm = shape(height=10.0, sweep_deg=60, looped_share=0.15, sharpest_turn_deg=70)
        self.assertEqual(codes([calm]), [])

    def test_crossing_names_both_and_the_point(self):
        roots = [shape(path=((-30, -30), (30, 30))), shape("B", 90, path=((-30, 30), (30, -30)))]
        found = find_faults(roots, 40.0)
        self.assertEqual(found["A"][0].with_root, "B")
        self.assertEqual(found["B"][0].with_root, "A")
        self.assertEqual(found["A"][0].at_mm, (0.0, 0.0))

    def test_roots_forking_from_one_spot_do_not_cross(self):
        roots = [shape(), shape("B", 40, path=((0, -20), (40, -60)))]
        self.assertEqual(codes(roots), [])

    def test_oversized_against_the_median_of_three(self):
        thick = shape(base_width_mm=17.0)
        others = [
            shape("B", 120, path=((20, 10), (60, 30))),
            shape("C", 240, path=((-20, 10), (-60, 30))),
        ]
        self.assertEqual(codes([thick, *others]), ["oversized"])
        self.assertEqual(codes([thick, others[0]]), [])

    def test_the_worse_of_two_in_one_direction_is_crowded(self):
        near = shape("B", 12, path=((4, -20), (12, -60)), base_width_mm=5.0)
        self.assertEqual(codes([shape(), near]), [])
        found = find_faults([shape(), near], 40.0)["B"]
        self.assertEqual([(f.code, f.with_root, f.figure) for f in found], [("crowded", "A", 12.0)])

    def test_crowding_over_north(self):
        roots = [shape(azimuth=355), shape("B", 5, path=((4, -20), (12, -60)), base_width_mm=5.0)]
        self.assertEqual(codes(roots, "B"), ["crowded"])
