"""The camera fitted whole: pose, focal length, lens and height, against a known pinhole."""

import unittest

import numpy as np

from mirvo.core.errors import BadInput
from mirvo.core.measure.calibration import CROPPED, calibrate, card_layout
from mirvo.core.measure.marks import read_marks
from mirvo.core.measure.plane_map import PhotoInfo
from mirvo.core.measure.pose import Prior, solve_pose, unbend
from mirvo.core.measure.uncertainty import Draws
from mirvo.standins.camera import Camera
from tests.marks import top_marks

MIDDLE = card_layout().mean(axis=0)


def lay(points_mm):
    """Points of the card's plane (x right, y down) as plan points (y away)."""
    return (np.asarray(points_mm, float) - MIDDLE) * [1.0, -1.0]


def camera(tilt=15.0, above=600.0, radial=0.0, focal=26.0):
    return Camera(4032, 3024, above, tilt, 30.0, 5.0, (10.0, -20.0), focal, radial)


def plane_for(shot, told_focal=26.0, **changes):
    calibration = {"kind": "card", **changes}
    marks = read_marks(top_marks(calibration=calibration))
    corners = shot.project(lay(card_layout()), 0.0)
    photo = PhotoInfo(shot.width, shot.height, told_focal)
    return calibrate(marks.calibration, photo, Draws(2.0), corners)


def off(plane, shot, height=0.0):
    """Greatest error, mm, of points about the card read back at a height."""
    points = np.array([[x, y] for x in (-60, 60, 180) for y in (-80, 40, 160)], float)
    seen = shot.project(lay(points), height)
    rows = len(plane.foot)
    read = plane.to_plane(np.broadcast_to(seen, (rows, *seen.shape)), height)[0]
    return float(np.abs(read - points).max())


class WholeCameraTest(unittest.TestCase):
    def test_known_focal_length(self):
        for tilt in (1.0, 20.0, 50.0):
            with self.subTest(tilt=tilt):
                shot = camera(tilt)
                plane = plane_for(shot)
                self.assertAlmostEqual(plane.tilt_deg, tilt, 1)
                self.assertAlmostEqual(plane.camera_height[0], 600.0, delta=1.0)
                self.assertLess(off(plane, shot), 0.1)
                self.assertLess(off(plane, shot, 18.0), 0.15)

    def test_a_bent_lens_is_found_when_the_card_shows_it(self):
        shot = camera(20.0, 420.0, radial=-0.15)
        plane = plane_for(shot)
        self.assertAlmostEqual(float(plane.radial[0]), -0.15, delta=0.03)
        self.assertLess(off(plane, shot), 1.5)

    def test_a_straight_lens_is_left_straight(self):
        plane = plane_for(camera(12.0))
        self.assertLess(abs(float(plane.radial[0])), 0.001)
        self.assertGreater(float(plane.radial.std()), 0.001)

    def test_without_a_focal_length_tilt_shows_it(self):
        shot = camera(40.0, 450.0)
        plane = plane_for(shot, None)
        self.assertAlmostEqual(float(plane.focal[0]) / shot.focal_px, 1.0, delta=0.05)
        self.assertLess(off(plane, shot), 0.5)

    def test_without_focal_length_or_tilt_the_height_is_wide_and_said(self):
        plane = plane_for(camera(1.0), None)
        spread = float(np.log(plane.camera_height[1:]).std())
        self.assertGreater(spread, 0.2)
        self.assertTrue(any("focal length" in said for said in plane.warnings))

    def test_an_entered_camera_height_stands_in_for_the_focal_length(self):
        plane = plane_for(camera(1.0), None, camera_height_mm=600.0)
        self.assertAlmostEqual(float(plane.camera_height[0]), 600.0, delta=12)
        self.assertFalse(any("focal length" in said for said in plane.warnings))

    def test_a_cropped_photo_is_found_out_by_the_card(self):
        for tilt, left, top in ((12.0, 1300, 0), (25.0, 0, 900), (20.0, 900, 500)):
            with self.subTest(tilt=tilt):
                shot = camera(tilt, 500.0)
                part = PhotoInfo(shot.width - left, shot.height - top, 26.0)
                corners = shot.project(lay(card_layout()), 0.0) - [left, top]
                card = read_marks(top_marks(calibration={"kind": "card"})).calibration
                plane = calibrate(card, part, Draws(2.0), corners)
                self.assertIn(CROPPED, plane.warnings)
                self.assertFalse([said for said in plane.warnings if "bent" in said])
                self.assertLess(self.beyond(plane, shot, [left, top]), 1.0)

    def test_a_whole_photo_is_not_called_cropped(self):
        for tilt in (1.0, 12.0, 40.0):
            for told in (26.0, None):
                plane = plane_for(camera(tilt, 450.0), told)
                with self.subTest(tilt=tilt, told=told):
                    self.assertNotIn(CROPPED, plane.warnings)

    def beyond(self, plane, shot, corner):
        """Greatest error of points off the card as a share of its ±, on the plane and above."""
        points = np.array([[x, y] for x in (-60, 60, 180) for y in (-80, 40, 160)], float)
        shares = []
        for height in (0.0, 15.0):
            seen = np.broadcast_to(
                shot.project(lay(points), height) - corner, (len(plane.foot), 9, 2)
            )
            read = plane.to_plane(seen, height)
            # A place is told by its distance from another; where the card lies is free.
            far = np.hypot(*np.moveaxis(read - read[:, 4:5], 2, 0))
            true = np.hypot(*(points - points[4]).T)
            off, plus_minus = np.abs(far[0] - true), 1.96 * far[1:].std(axis=0)
            shares.append((off / np.maximum(plus_minus, 0.05)).max())
        return max(shares)

    def test_the_way_back_to_the_photo(self):
        shot = camera(25.0, 500.0, radial=-0.1)
        plane = plane_for(shot)
        points = np.array([[0.0, 0.0], [130.0, 50.0], [-40.0, 120.0]])
        for height in (0.0, 15.0):
            seen = plane.to_photo(points, height)
            rows = len(plane.foot)
            again = plane.to_plane(np.broadcast_to(seen, (rows, 3, 2)), height)[0]
            self.assertLess(np.abs(again - points).max(), 0.1)
        both = plane.to_photo(points, np.array([0.0, 15.0, 0.0]))
        self.assertLess(np.abs(both[1] - plane.to_photo(points[1:2], 15.0)[0]).max(), 1e-9)

    def test_seen_from_below_is_refused(self):
        shot = camera(10.0)
        corners = shot.project(lay(card_layout()), 0.0)
        mirrored = corners * [-1.0, 1.0] + [shot.width, 0.0]
        prior = Prior(float(np.log(shot.focal_px)), 0.015)
        draws = Draws(1.0)
        picture = draws.points(mirrored, 0.2)
        with self.assertRaises(BadInput):
            solve_pose(card_layout(), picture, 0.2, shot.middle, prior, draws)


class UnbendTest(unittest.TestCase):
    def test_inverse_of_the_bend(self):
        rng = np.random.default_rng(2)
        flat = rng.uniform(-0.6, 0.6, (1, 50, 2))
        for radial in (-0.05, -0.01, 0.02, 0.05):
            bent = flat * (1 + radial * (flat**2).sum(-1, keepdims=True))
            seen = bent * 2500.0 + 1000.0
            again = unbend(seen, np.array([1000.0, 1000.0]), np.array([2500.0]), np.array([radial]))
            self.assertLess(np.abs(again - (flat * 2500.0 + 1000.0)).max(), 2.0)

    def test_no_bend_changes_nothing(self):
        points = np.array([[[3.0, 4.0]]])
        same = unbend(points, np.zeros(2), np.array([900.0]), np.array([0.0]))
        np.testing.assert_array_equal(same, points)
