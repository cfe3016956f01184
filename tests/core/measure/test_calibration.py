"""Calibration maps against cameras whose pose is known."""

import unittest

import numpy as np

from mirvo.core.errors import BadInput
from mirvo.core.measure.calibration import (
    STRAIGHT_DOWN,
    UNKNOWN_HEIGHT,
    calibrate,
    calibrate_by,
    card_layout,
)
from mirvo.core.measure.marks import read_marks
from mirvo.core.measure.plane_map import PhotoInfo
from mirvo.core.measure.uncertainty import Draws
from tests.marks import top_marks

PHOTO = PhotoInfo(2000, 1500, 50.0)
BLIND = PhotoInfo(2000, 1500)


def project(points, height, tilt_deg=0.0, above=700.0):
    """Own pinhole: plan x right, y down, heights up; camera over the origin, tilted about x."""
    turn = np.radians(tilt_deg)
    solid = np.column_stack([points, np.full(len(points), -height)])
    view = np.array([[1, 0, 0], [0, np.cos(turn), -np.sin(turn)], [0, np.sin(turn), np.cos(turn)]])
    seen = solid @ view.T + np.array([0, 0, above])
    return PHOTO.focal_px * seen[:, :2] / seen[:, 2:] + PHOTO.centre


def plane_of(calibration, photo=PHOTO, card=None):
    marks = read_marks(top_marks(calibration=calibration))
    return calibrate(marks.calibration, photo, Draws(2.0), card)


def distance(plane, pixels, height=0.0):
    points = plane.to_plane(np.broadcast_to(pixels, (401, 2, 2)), height)
    return np.hypot(*(points[0, 1] - points[0, 0]))


class SegmentTest(unittest.TestCase):
    def test_length_on_the_same_plane(self):
        ends = project(np.array([[-50.0, 30], [50, 30]]), 0)
        plane = plane_of(
            {"kind": "segment", "a": list(ends[0]), "b": list(ends[1]), "length_mm": 100}
        )
        self.assertAlmostEqual(distance(plane, project(np.array([[0.0, 0], [80, 0]]), 0)), 80, 3)
        self.assertIn(STRAIGHT_DOWN, plane.warnings)

    def test_reference_above_the_roots_with_entered_camera_height(self):
        cal = {
            "kind": "segment",
            "a": [100.0, 100.0],
            "b": [600.0, 100.0],
            "length_mm": 100,
            "height_above_root_plane_mm": 20,
            "camera_height_mm": 500,
        }
        plane = plane_of(cal, BLIND)
        # 500 px are 100 mm at the reference; lengths on the roots grow by 520/500
        self.assertAlmostEqual(distance(plane, np.array([[0.0, 0], [500, 0]])), 104.0, 6)

    def test_focal_length_stands_in_for_the_camera_height(self):
        ends = project(np.array([[-60.0, 0], [60, 0]]), 15, above=700)
        cal = {
            "kind": "segment",
            "a": list(ends[0]),
            "b": list(ends[1]),
            "length_mm": 120,
            "height_above_root_plane_mm": 15,
        }
        plane = plane_of(cal)
        self.assertAlmostEqual(plane.camera_height[0], 685, 3)
        self.assertAlmostEqual(distance(plane, project(np.array([[0.0, 0], [80, 0]]), 0)), 80, 3)

    def test_a_focal_length_told_by_the_marks_beats_the_photos_own(self):
        ends = project(np.array([[-60.0, 0], [60, 0]]), 15, above=700)
        cal = {"kind": "segment", "a": list(ends[0]), "b": list(ends[1]), "length_mm": 120}
        for told in (
            {"focal_length_35mm": 50, "calibration": cal},
            {"calibration": {**cal, "focal_length_35mm": 50}},
        ):
            for photo in (BLIND, PhotoInfo(2000, 1500, 24.0)):
                plane = calibrate_by(read_marks(top_marks(**told)), photo, Draws(2.0))
                self.assertAlmostEqual(plane.camera_height[0], 685, 3)

    def test_unknown_height_is_said_and_widens_the_draws(self):
        cal = {
            "kind": "segment",
            "a": [100.0, 100.0],
            "b": [600.0, 100.0],
            "length_mm": 100,
            "height_above_root_plane_mm": 20,
        }
        plane = plane_of(cal, BLIND)
        self.assertIn(UNKNOWN_HEIGHT, plane.warnings)
        self.assertAlmostEqual(distance(plane, np.array([[0.0, 0], [500, 0]])), 100.0, 6)


class RectangleTest(unittest.TestCase):
    corners = np.array([[-150.0, -100], [150, -100], [150, 100], [-150, 100]])

    def calibration(self, tilt, height, **more):
        seen = project(self.corners, height, tilt)
        return {
            "kind": "rectangle",
            "corners": seen.tolist(),
            "length_mm": 300,
            "width_mm": 200,
            "height_above_root_plane_mm": height,
            **more,
        }

    def test_pose_gives_tilt_height_and_exact_root_plane(self):
        for tilt in (0.5, 12.0, 35.0, 50.0):
            plane = plane_of(self.calibration(tilt, 25.0))
            self.assertAlmostEqual(plane.tilt_deg, tilt, 1)
            pair = project(np.array([[-40.0, -30], [50, 60]]), 0, tilt)
            self.assertAlmostEqual(distance(plane, pair), np.hypot(90, 90), 2)

    def test_points_above_the_root_plane_are_drawn_back(self):
        plane = plane_of(self.calibration(20.0, 10.0))
        pair = project(np.array([[-40.0, -30], [50, 60]]), 18.0, 20.0)
        self.assertAlmostEqual(distance(plane, pair, 18.0), np.hypot(90, 90), 2)

    def test_without_focal_length_lengths_on_the_reference_hold(self):
        plane = plane_of(self.calibration(15.0, 0.0), BLIND)
        pair = project(np.array([[-40.0, -30], [50, 60]]), 0, 15.0)
        self.assertAlmostEqual(distance(plane, pair), np.hypot(90, 90), 2)
        self.assertAlmostEqual(plane.tilt_deg, 15.0, delta=4)
        self.assertTrue(any("focal length" in said for said in plane.warnings))

    def test_swapped_lengths_are_noticed(self):
        cal = self.calibration(3.0, 0.0) | {"length_mm": 200, "width_mm": 300}
        self.assertTrue(any("swapped" in said for said in plane_of(cal).warnings))

    def test_steep_tilt_is_warned_of(self):
        said = plane_of(self.calibration(64.0, 0.0)).warnings
        self.assertTrue(any("beyond 60°" in one for one in said))

    def test_error_bars_cover_the_truth(self):
        rng = np.random.default_rng(4)
        pair = project(np.array([[-40.0, -30], [50, 60]]), 0, 10.0)
        held = 0
        for _ in range(60):
            cal = self.calibration(10.0, 10.0, height_plus_minus_mm=0)
            cal["corners"] = (np.array(cal["corners"]) + rng.normal(0, 2, (4, 2))).tolist()
            points = plane_of(cal).to_plane(np.broadcast_to(pair, (401, 2, 2)), 0.0)
            lengths = np.hypot(*(points[:, 1] - points[:, 0]).T)
            reach = np.quantile(np.abs(lengths - lengths[0]), 0.95)
            held += abs(lengths[0] - np.hypot(90, 90)) <= reach
        self.assertGreaterEqual(held, 50)


class EllipseTest(unittest.TestCase):
    def test_round_rim_seen_askew(self):
        turn = np.radians(np.arange(0, 360, 30))
        rim = 120 * np.column_stack([np.cos(turn), np.sin(turn)])
        # parallel projection: tilted by 30° about x
        seen = rim * [4.0, 4.0 * np.cos(np.radians(30))] + [1000, 700]
        plane = plane_of(
            {"kind": "ellipse", "points": seen.tolist(), "length_mm": 240, "width_mm": 240}
        )
        self.assertAlmostEqual(plane.tilt_deg, 30, 3)
        pair = np.array([[0.0, -50], [0, 50]]) * [4.0, 4.0 * np.cos(np.radians(30))] + [1000, 700]
        self.assertAlmostEqual(
            np.hypot(
                *np.diff(plane.to_plane(np.broadcast_to(pair, (401, 2, 2)), 0.0)[0], axis=0)[0]
            ),
            100,
            4,
        )

    def test_oval_rim_turned_in_the_picture(self):
        turn = np.radians(np.arange(0, 360, 20))
        oval = np.column_stack([150 * np.cos(turn), 100 * np.sin(turn)])
        roll = np.radians(25)
        spin = np.array([[np.cos(roll), -np.sin(roll)], [np.sin(roll), np.cos(roll)]])
        ends = (np.array([[-150.0, 0], [150, 0]]) @ spin.T * 3 + 800).tolist()
        cal = {
            "kind": "ellipse",
            "points": (oval @ spin.T * 3 + 800).tolist(),
            "length_mm": 300,
            "width_mm": 200,
            "long_axis": ends,
        }
        plane = plane_of(cal, BLIND)
        pair = np.array([[0.0, 0], [30, 40]]) @ spin.T * 3 + 800
        self.assertAlmostEqual(distance(plane, pair), 50.0, 4)

    def test_points_on_a_line_are_refused(self):
        cal = {
            "kind": "ellipse",
            "points": [[float(i), float(2 * i)] for i in range(6)],
            "length_mm": 300,
            "width_mm": 200,
        }
        with self.assertRaises(BadInput) as said:
            plane_of(cal)
        self.assertIn("ellipse", said.exception.message)


class CardTest(unittest.TestCase):
    def test_pose_from_the_card(self):
        seen = project(card_layout() - [60, 40], 12.0, 18.0)
        plane = plane_of({"kind": "card", "height_above_root_plane_mm": 12.0}, PHOTO, seen)
        self.assertAlmostEqual(plane.tilt_deg, 18, 2)
        pair = project(np.array([[-40.0, -30], [50, 60]]), 0, 18.0)
        self.assertAlmostEqual(distance(plane, pair), np.hypot(90, 90), 2)

    def test_corners_that_fit_no_camera_are_refused(self):
        spot, line = np.ones((16, 2)), np.column_stack([np.arange(16.0), np.arange(16.0)])
        crossed = project(card_layout() - [60, 40], 12.0)[::-1] * [1.0, 0.001]
        for corners in (spot, line, crossed):
            with self.subTest(corners=corners[:2].tolist()), self.assertRaises(BadInput):
                plane_of({"kind": "card"}, PHOTO, corners)

    def test_no_card_in_the_photo(self):
        with self.assertRaises(BadInput):
            plane_of({"kind": "card"})
