"""Widths drawn to the flanks of made-up roots whose edges are known to a fraction of a pixel."""

import unittest

import cv2
import numpy as np

from mirvo.core.vision.flanks import set_to_flanks

SIDE, MIDDLE, START = 260, 130.0, 60.0
CLICK_SD = 2.0
BARK, GROUND = (112, 84, 60), (96, 98, 100)


def root_photo(seed, half=16.0, taper=0.06, bark=BARK, ground=GROUND):
    """A root that runs to the right and tapers, over grainy ground; and its true width, path."""
    rng = np.random.default_rng(seed)
    fine = 4
    y, x = np.mgrid[: SIDE * fine, : SIDE * fine] / fine
    inside = np.abs(y - MIDDLE) < half - taper * (x - START)
    picture = np.where(inside[..., None], np.array(bark, float), np.array(ground, float))
    picture = cv2.resize(picture, (SIDE, SIDE), interpolation=cv2.INTER_AREA)
    grain = cv2.GaussianBlur(rng.normal(0, 1, (SIDE, SIDE)), (0, 0), 2.5)
    picture *= np.exp(0.25 * grain / grain.std())[..., None] ** 0.8
    picture = cv2.GaussianBlur(picture, (0, 0), 0.8) + rng.normal(0, 3, picture.shape)
    width = np.array([[START, MIDDLE - half], [START, MIDDLE + half]]) - 0.5 / fine
    path = np.array([[START, MIDDLE], [150.0, MIDDLE], [240.0, MIDDLE]])
    return np.clip(picture, 0, 255).astype(np.uint8), width, path


def wide(points):
    return float(np.hypot(*(points[1] - points[0])))


class FlanksTest(unittest.TestCase):
    def test_a_shaky_hand_is_steadied_and_the_deviation_left_is_told(self):
        rng = np.random.default_rng(8)
        by_hand, drawn, told = [], [], []
        for seed in range(6):
            picture, width, path = root_photo(seed)
            for _ in range(25):
                clicked = width + rng.normal(0, CLICK_SD, (2, 2))
                found = set_to_flanks(picture, clicked, path, CLICK_SD)
                by_hand.append(wide(clicked) - wide(width))
                drawn.append(wide(found.points) - wide(width))
                told.append(np.hypot(*found.sd_px))
        self.assertLess(np.quantile(np.abs(drawn), 0.9), 0.75 * np.quantile(np.abs(by_hand), 0.9))
        self.assertLess(abs(np.mean(drawn)), 0.8)
        held = np.mean(np.abs(drawn) <= 1.96 * np.array(told))
        self.assertGreaterEqual(held, 0.9)
        self.assertLess(np.median(told), CLICK_SD * np.sqrt(2))

    def test_points_keep_their_order_and_move_only_across_the_root(self):
        picture, width, path = root_photo(3)
        shifted = np.add(width, [[0.0, -3.0], [0.0, 2.5]])
        for given in (shifted, shifted[::-1]):
            found = set_to_flanks(picture, given, path, CLICK_SD).points
            self.assertLess(wide(found), wide(given) - 1.5)
            np.testing.assert_allclose(found[:, 0], given[:, 0], atol=1e-6)
            self.assertEqual(np.sign(np.diff(found[:, 1])), np.sign(np.diff(given[:, 1])))

    def test_a_width_at_the_path_s_end_is_read_inward(self):
        picture, width, path = root_photo(4, taper=0.0)
        clicked = np.add(width, [[175.0, -3.0], [175.0, 3.0]])
        found = set_to_flanks(picture, clicked, path, CLICK_SD).points
        self.assertLess(wide(found), wide(clicked) - 2.0)

    def test_dark_bark_on_light_ground_and_the_other_way_round(self):
        for bark, ground in (((60, 45, 35), (170, 165, 150)), ((190, 170, 140), (70, 65, 60))):
            picture, width, path = root_photo(5, bark=bark, ground=ground)
            clicked = np.add(width, [[0.0, 3.0], [0.0, -3.0]])
            found = set_to_flanks(picture, clicked, path, CLICK_SD).points
            self.assertAlmostEqual(wide(found), wide(width), delta=2.0)

    def test_where_nothing_is_seen_the_hand_stands(self):
        _, width, path = root_photo(6)
        plain = np.full((SIDE, SIDE, 3), 90, np.uint8)
        np.testing.assert_allclose(
            set_to_flanks(plain, width, path, CLICK_SD).points, width, atol=0.05
        )
        picture, width, path = root_photo(6)
        for given, along, sd in (
            (width, path, 0.0),
            (width, path[:1].repeat(2, axis=0), CLICK_SD),
            (np.array([[60.0, 129.0], [60.0, 131.0]]), path, CLICK_SD),
            (np.array([[60.0, -900.0], [60.0, 900.0]]), path, CLICK_SD),
        ):
            found = set_to_flanks(picture, given, along, sd)
            np.testing.assert_array_equal(found.points, given)
            np.testing.assert_array_equal(found.sd_px, [sd, sd])

    def test_marks_at_and_beyond_the_picture_s_rim(self):
        picture, width, path = root_photo(7)
        for move in ((-60.0, -125.0), (-70.0, 0.0), (500.0, 500.0)):
            found = set_to_flanks(picture, width + move, path + move, CLICK_SD)
            self.assertTrue(np.isfinite(found.points).all())
            self.assertLess(np.abs(found.points - width - move).max(), 3.6 * CLICK_SD)


if __name__ == "__main__":
    unittest.main()
