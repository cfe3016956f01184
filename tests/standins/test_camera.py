"""The simulated camera: true to its geometry, the same every time, honest EXIF."""

import io
import unittest
from datetime import date

import numpy as np
from PIL import Image

from mirvo.standins.base import (
    flare_radius_at,
    grown,
    nearest_root,
    radius_at,
    random_base,
    root_path,
    trunk_outline,
    without,
)
from mirvo.standins.camera import Camera, random_camera
from mirvo.standins.photo import take_photo, truth
from mirvo.standins.scene import Layout
from mirvo.standins.truth import true_figures

SMALL = (800, 600)


class BaseTest(unittest.TestCase):
    def test_a_seed_gives_one_base(self):
        self.assertEqual(random_base(5), random_base(5))
        self.assertNotEqual(random_base(5), random_base(6))

    def test_growth_widens_flare_more_than_trunk(self):
        young, old = random_base(5), grown(random_base(5), 8)
        before, after = true_figures(young), true_figures(old)
        trunk = after["trunk_diameter_mm"] / before["trunk_diameter_mm"]
        self.assertGreater(trunk, 1.1)
        self.assertGreater(after["flare_mean_mm"] / before["flare_mean_mm"], trunk)

    def test_a_cut_root_is_gone_and_found_by_its_direction(self):
        base = random_base(5)
        root = base.roots[2]
        self.assertEqual(nearest_root(base, root.azimuth_deg + 3), root.key)
        left = without(base, {root.key})
        self.assertNotIn(root, left.roots)
        self.assertEqual(len(left.roots), len(base.roots) - 1)

    def test_flare_lies_outside_the_trunk_and_roots_start_at_its_edge(self):
        base = random_base(9)
        azimuths = np.arange(0, 360, 5.0)
        self.assertTrue((flare_radius_at(base, azimuths) > radius_at(base, azimuths)).all())
        for root in base.roots:
            start = np.hypot(*root_path(base, root)[0])
            self.assertAlmostEqual(start, radius_at(base, root.azimuth_deg) + 1, 6)


class CameraTest(unittest.TestCase):
    def test_straight_down_the_scale_is_focal_length_over_height(self):
        camera = Camera(above_mm=700, tilt_deg=0)
        a, b = camera.project(np.array([[0.0, 0], [100, 0]]), 0.0)
        self.assertAlmostEqual(b[0] - a[0], camera.focal_px * 100 / 700, 6)
        self.assertAlmostEqual(a[1], b[1], 9)

    def test_the_far_side_is_up_and_right_is_right(self):
        camera = random_camera(4)
        middle, far, right = camera.project(np.array([[0.0, 0], [0, 50], [50, 0]]), 0.0)
        self.assertLess(far[1], middle[1])
        self.assertGreater(right[0], middle[0])

    def test_higher_points_look_larger(self):
        camera = Camera(tilt_deg=0)
        low, high = (camera.project(np.array([[100.0, 0]]), h)[0, 0] for h in (0.0, 20.0))
        self.assertGreater(high, low)


class PhotoTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.base, cls.camera = random_base(4), random_camera(4, *SMALL)
        cls.content = take_photo(cls.base, cls.camera, date(2025, 3, 14))
        with Image.open(io.BytesIO(cls.content)) as image:
            cls.exif = image.getexif().get_ifd(0x8769)
            cls.pixels = np.asarray(image.convert("RGB"), float)

    def patch(self, x, y, half):
        """Mean colour round a point of the photo."""
        rows, cols = (slice(int(v) - half, int(v) + half + 1) for v in (y, x))
        return self.pixels[rows, cols].mean((0, 1))

    def test_size_and_exif(self):
        self.assertEqual(self.pixels.shape, (600, 800, 3))
        self.assertEqual(self.exif[0xA405], 48)
        self.assertEqual(self.exif[0x9003], "2025:03:14 10:30:00")

    def test_the_same_scene_gives_the_same_photo(self):
        self.assertEqual(take_photo(self.base, self.camera, date(2025, 3, 14)), self.content)

    def test_the_rim_stands_where_the_truth_says(self):
        """Just outside the true inner corners lies glaze, bluish; just inside lies soil."""
        layout = Layout()
        for corner in layout.pot_corners():
            outward = corner / np.hypot(*corner)
            x, y = self.camera.project((corner + 5 * outward)[None], layout.rim_height_mm)[0]
            red, _, blue = self.pixels[int(y) - 1 : int(y) + 2, int(x) - 1 : int(x) + 2].mean(
                (0, 1)
            )
            self.assertGreater(blue, red)
            x, y = self.camera.project((corner - 14 * outward)[None], 0.0)[0]
            red, _, blue = self.pixels[int(y) - 3 : int(y) + 4, int(x) - 3 : int(x) + 4].mean(
                (0, 1)
            )
            self.assertGreater(red, blue)

    def test_roots_are_browner_than_the_soil_beside_them(self):
        known = truth(self.base, self.camera)
        browner = 0
        for root in known["marks"]["roots"]:
            x, y = root["path"][len(root["path"]) // 2]
            red, _, blue = self.pixels[int(y) - 1 : int(y) + 2, int(x) - 1 : int(x) + 2].mean(
                (0, 1)
            )
            browner += red - blue > 20
        self.assertGreaterEqual(browner, len(known["marks"]["roots"]) - 2)

    def test_truth_of_the_trunk_is_the_area_of_its_outline(self):
        x, y = trunk_outline(self.base).T
        area = abs(0.5 * (x @ np.roll(y, -1) - y @ np.roll(x, -1)))
        found = true_figures(self.base)["trunk_diameter_mm"]
        self.assertAlmostEqual(found, 2 * np.sqrt(area / np.pi), 6)
