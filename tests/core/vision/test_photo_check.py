"""The photo check: what is wrong with a photo is said, and nothing about a good one."""

import unittest
from dataclasses import replace
from datetime import date

import cv2
import numpy as np

from mirvo.core.measure.plane_map import PhotoInfo
from mirvo.core.vision.card import find_card
from mirvo.core.vision.photo_check import Shot, check_photo, softness_px
from mirvo.records.pictures import colour_of
from mirvo.standins.base import random_base
from mirvo.standins.camera import Camera
from mirvo.standins.card import CardPlace
from mirvo.standins.photo import take_photo
from mirvo.standins.scene import Layout

SIZE = (1600, 1200)
DAY = date(2026, 11, 1)


def shot_of(camera: Camera, seed: int = 5) -> Shot:
    """A photo of a made-up base with the card in it, as the check takes it."""
    content = take_photo(random_base(seed), camera, DAY, Layout(card=CardPlace(height_mm=4.0)))
    picture = colour_of(content)
    info = PhotoInfo(camera.width, camera.height, round(camera.focal_35mm))
    return Shot(picture, info, find_card(cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY)), "top")


class PhotoCheckTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.camera = Camera(
            *SIZE, above_mm=600.0, tilt_deg=6.0, aim_mm=(0.0, -80.0), focal_35mm=26.0
        )
        cls.good = shot_of(cls.camera)

    def said(self, shot: Shot) -> dict[str, str]:
        return {remark.about: remark.text for remark in check_photo(shot)}

    def test_a_good_photo_is_passed_without_a_word(self):
        self.assertEqual(self.said(self.good), {})

    def test_a_blur_is_measured_and_told_in_millimetres(self):
        for deviation in (3.0, 5.0):
            soft = cv2.GaussianBlur(self.good.picture, (0, 0), deviation)
            self.assertAlmostEqual(softness_px(soft), deviation, delta=0.25 * deviation)
        said = self.said(replace(self.good, picture=soft))
        self.assertRegex(said["blurred"], r"\d\.\d mm wide")
        # Without a card nobody knows how large a millimetre is.
        said = self.said(replace(self.good, picture=soft, corners=None))
        self.assertIn("px wide", said["blurred"])

    def test_noise_is_no_sharpness(self):
        soft = cv2.GaussianBlur(self.good.picture, (0, 0), 5.0).astype(float)
        noisy = soft + np.random.default_rng(0).normal(0, 4, soft.shape)
        noisy = np.clip(noisy, 0, 255).astype(np.uint8)
        self.assertIn("blurred", self.said(replace(self.good, picture=noisy)))

    def test_too_small_too_dark_too_bright(self):
        small = cv2.resize(self.good.picture, (400, 300), interpolation=cv2.INTER_AREA)
        shrunk = Shot(small, PhotoInfo(400, 300, 26), (self.good.corners + 0.5) / 4 - 0.5, "top")
        self.assertRegex(self.said(shrunk)["small"], r"One millimetre is only \d\.\d px")
        self.assertIn("400 × 300 px", self.said(replace(shrunk, corners=None))["small"])
        dark = (self.good.picture * 0.08).astype(np.uint8)
        self.assertIn("dark", self.said(replace(self.good, picture=dark)))
        bright = np.clip(self.good.picture.astype(int) * 3, 0, 255).astype(np.uint8)
        self.assertRegex(self.said(replace(self.good, picture=bright))["glare"], r"\d+% of the")

    def test_an_oblique_photo_is_one_from_above_only(self):
        camera = replace(self.camera, tilt_deg=38.0)
        oblique = shot_of(camera)
        self.assertRegex(self.said(oblique)["oblique"], r"3[789]° from straight down")
        self.assertNotIn("oblique", self.said(replace(oblique, view="side")))

    def test_a_card_in_part_shade_or_clipped_says_what_it_costs(self):
        shaded = self.good.picture.copy()
        middle = int(np.nanmean(self.good.corners[:, 0]))
        shaded[:, :middle] = (shaded[:, :middle] * 0.5).astype(np.uint8)
        self.assertRegex(self.said(replace(self.good, picture=shaded))["card"], r"±\d\.\d%")
        paper = self.good.picture.copy()
        low, high = self.good.corners.min(axis=0).astype(int), self.good.corners.max(axis=0)
        part = np.s_[low[1] : int(high[1]), low[0] : int(high[0])]
        paper[part] = np.clip(paper[part].astype(int) * 2, 0, 255)
        self.assertIn("clipped", self.said(replace(self.good, picture=paper))["card"])
        hidden = self.good.corners.copy()
        hidden[4:8] = np.nan
        self.assertIn("One marker", self.said(replace(self.good, corners=hidden))["card"])

    def test_a_cropped_photo_is_noticed_and_a_smaller_one_is_not_taken_for_it(self):
        self.assertIn("cropped", self.said(replace(self.good, said_size=(4000, 2250))))
        self.assertNotIn("cropped", self.said(replace(self.good, said_size=(3000, 4000))))
        odd = replace(self.good, picture=self.good.picture[:700], corners=None)
        self.assertIn("cropped", self.said(odd))
