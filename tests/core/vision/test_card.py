"""The card is found on a warped print, and what is wrong with it is said."""

import unittest

import cv2
import numpy as np

from mirvo.core.errors import BadInput
from mirvo.core.measure.calibration import card_layout
from mirvo.core.vision.card import find_card
from mirvo.core.vision.marker_places import FEW, likely_parts, squares

PX_PER_MM = 4.0
MARGIN = 40.0


def printed(ids=(0, 1, 2, 3)):
    sheet = np.full((640, 800), 235, np.uint8)
    book = cv2.aruco.getPredefinedDictionary(cv2.aruco.DICT_4X4_50)
    side = int(30 * PX_PER_MM)
    for place, number in enumerate(ids):
        x, y = ((card_layout().reshape(4, 4, 2)[place, 0] + MARGIN) * PX_PER_MM).astype(int)
        sheet[y : y + side, x : x + side] = cv2.aruco.generateImageMarker(book, number, side)
    return sheet


def warped(sheet):
    source = np.array([[0, 0], [799, 0], [799, 639], [0, 639]], np.float32)
    onto = np.array([[210, 150], [1090, 190], [1150, 900], [160, 840]], np.float32)
    matrix = cv2.getPerspectiveTransform(source, onto)
    return cv2.warpPerspective(sheet, matrix, (1300, 1000), borderValue=120), matrix


class CardTest(unittest.TestCase):
    def test_corners_within_half_a_pixel(self):
        picture, matrix = warped(printed())
        known = ((card_layout() + MARGIN) * PX_PER_MM - 0.5).reshape(-1, 1, 2)
        wanted = cv2.perspectiveTransform(known, matrix)[:, 0]
        self.assertLess(np.abs(find_card(picture) - wanted).max(), 0.8)

    def test_a_card_with_another_marker_is_no_card(self):
        with self.assertRaises(BadInput) as said:
            find_card(warped(printed((0, 1, 2, 9)))[0])
        self.assertIn("marker 9 lies where marker 3", said.exception.message)

    def test_three_markers_are_enough_and_two_are_not(self):
        sheet = printed()
        sheet[: sheet.shape[0] // 2, : sheet.shape[1] // 2] = 200
        found = find_card(warped(sheet)[0]).reshape(4, 4, 2)
        self.assertTrue(np.isnan(found[0]).all())
        whole = find_card(warped(printed())[0]).reshape(4, 4, 2)
        np.testing.assert_allclose(found[1:], whole[1:], atol=0.1)
        sheet[:, : sheet.shape[1] // 2] = 200
        with self.assertRaises(BadInput) as said:
            find_card(warped(sheet)[0])
        self.assertIn("markers 0 and 3 are missing", said.exception.message)

    def test_a_soft_dark_or_burnt_out_photo_does_not_shrink_the_card(self):
        picture, matrix = warped(printed())
        known = ((card_layout() + MARGIN) * PX_PER_MM - 0.5).reshape(-1, 1, 2)
        wanted = cv2.perspectiveTransform(known, matrix)[:, 0]
        light = (picture / 255.0) ** 2.2
        for blur, exposure in ((1.5, 1.0), (2.5, 1.0), (1.5, 3.0), (1.0, 0.2)):
            soft = cv2.GaussianBlur(light, (0, 0), blur) * exposure
            shot = (np.clip(soft, 0, 1) ** (1 / 2.2) * 255).astype(np.uint8)
            with self.subTest(blur=blur, exposure=exposure):
                away = np.hypot(*(find_card(shot) - wanted).T)
                # Read at its outer edge alone it is off by 0.6 to 1.6 px.
                self.assertLess(away.mean(), 0.25)

    def test_on_mesh_only_what_looks_like_a_marker_is_looked_at(self):
        picture, _ = warped(printed())
        y, x = np.indices(picture.shape)
        for dark, light in ((60, 190), (190, 60)):
            mesh = np.where((x % 24 < 7) | (y % 24 < 7), dark, light).astype(np.uint8)
            on_mesh = np.where(picture == 120, mesh, picture)
            quads = squares(on_mesh)
            self.assertGreater(len(quads), FEW)
            self.assertLess(len(likely_parts(on_mesh, quads)), 30)
            alone, among = find_card(picture), find_card(on_mesh)
            self.assertLess(np.abs(alone - among).max(), 0.3)
            with self.assertRaises(BadInput):
                find_card(mesh)

    def test_two_cards(self):
        picture = warped(printed())[0]
        with self.assertRaises(BadInput) as said:
            find_card(np.hstack([picture, picture]))
        self.assertIn("more than one", said.exception.message)

    def test_none(self):
        with self.assertRaises(BadInput):
            find_card(np.full((500, 500), 128, np.uint8))
