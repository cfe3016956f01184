"""Proposals, live trace, widths and outlines on simulated photos of known roots."""

import io
import unittest
from dataclasses import replace
from datetime import date

import cv2
import numpy as np
from PIL import Image
from scipy.spatial.distance import cdist
from shapely import Polygon

from mirvo.core.errors import BadInput
from mirvo.core.measure.calibration import calibrate_by
from mirvo.core.measure.geometry import dense
from mirvo.core.measure.marks import read_marks
from mirvo.core.measure.plane_map import PhotoInfo
from mirvo.core.measure.top import measure_top
from mirvo.core.measure.uncertainty import Draws
from mirvo.core.vision.assist import assistant
from mirvo.core.vision.outline import ellipse_points, set_outline
from mirvo.core.vision.trunk import propose_trunk
from mirvo.standins.base import random_base
from mirvo.standins.camera import phone_camera
from mirvo.standins.card import CardPlace
from mirvo.standins.photo import card_seen, take_photo, true_marks
from mirvo.standins.scene import Layout, random_palette
from mirvo.standins.truth import true_figures
from tests.hand import taken_up

SIZE = (2016, 1512)


class Scene:
    """One simulated photo, its true marks and the help set up on it."""

    def __init__(self, seed):
        base = random_base(seed)
        layout = Layout(card=CardPlace(0.0, -190.0, 5.0, 14.0), palette=random_palette(seed))
        shot = replace(phone_camera(seed, 15, SIZE), above_mm=470.0)
        content = take_photo(base, shot, date(2025, 3, 1), layout)
        self.picture = np.asarray(Image.open(io.BytesIO(content)).convert("RGB"))
        self.marks = true_marks(base, shot, layout)
        self.figures = true_figures(base)["roots"]
        read = read_marks({**self.marks, "roots": []})
        self.card, self.photo = card_seen(layout.card, shot), PhotoInfo(*SIZE, 26)
        self.help = assistant(read, self.photo, self.picture, self.card)


class AssistTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.scenes = [Scene(seed) for seed in (61, 62, 63, 64)]

    def test_proposals_are_the_roots(self):
        found, made, away, widths = 0, 0, [], []
        for scene in self.scenes:
            proposals = scene.help.propose()
            made += len(proposals)
            for known in scene.figures:
                off = [
                    (abs((p.azimuth_deg - known["azimuth_deg"] + 180) % 360 - 180), p)
                    for p in proposals
                ]
                nearest, proposal = min(off, key=lambda pair: pair[0])
                if nearest < 12:
                    found += 1
                    away.append(nearest)
                    across = np.hypot(*(proposal.base_width[1] - proposal.base_width[0]))
                    widths.append(across)
        total = sum(len(scene.figures) for scene in self.scenes)
        self.assertGreaterEqual(found / total, 0.85)
        self.assertGreaterEqual(found / made, 0.85)
        self.assertLess(np.median(away), 1.5)
        self.assertGreater(min(widths), 5)

    def test_a_root_taken_up_is_measured_where_it_was_proposed(self):
        scene = self.scenes[0]
        proposals = scene.help.propose()
        record = measure_top(
            read_marks({**scene.marks, "roots": taken_up(proposals)}), scene.photo, scene.card
        )
        for one, taken in zip(proposals, record.roots, strict=True):
            off = (taken.azimuth_deg.value - one.azimuth_deg + 180) % 360 - 180
            self.assertLess(abs(off), 0.5)

    def test_they_come_in_the_order_of_the_clock_with_a_confidence(self):
        proposals = self.scenes[0].help.propose()
        azimuths = [one.azimuth_deg for one in proposals]
        self.assertEqual(azimuths, sorted(azimuths))
        for one in proposals:
            self.assertEqual(
                set(one.offered().model_dump()),
                {
                    *("path", "base_width", "points_sd_px", "base_sd_px", "tip_sd_px"),
                    *("confidence", "azimuth_deg"),
                },
            )
            self.assertTrue(0 <= one.confidence <= 1)
            self.assertGreater(one.offered().points_sd_px, 1.0)

    def test_a_click_at_the_tip_traces_the_root(self):
        good = total = 0
        for scene in self.scenes:
            paths = [np.array(root["path"]) for root in scene.marks["roots"]]
            for i, root in enumerate(scene.marks["roots"]):
                others = paths[:i] + paths[i + 1 :]
                traced = scene.help.trace(tuple(root["path"][-1]), others)
                half = np.hypot(*np.diff(np.array(root["base_width"]), axis=0)[0]) / 2
                near = cdist(dense(np.array(traced.path)), dense(paths[i])).min(axis=1)
                good += (near <= half).mean() >= 0.9
                total += 1
        self.assertGreaterEqual(good / total, 0.85)

    def test_tips_that_lead_nowhere(self):
        helper = self.scenes[0].help
        middle = np.mean(self.scenes[0].marks["trunk"]["outline"], axis=0)
        for tip, said in (((2.0, 2.0), "by hand"), (tuple(middle), "on the trunk")):
            with self.assertRaises(BadInput) as error:
                helper.trace(tip)
            self.assertIn(said, error.exception.message)

    def test_the_width_across_a_path_drawn_by_hand(self):
        ratios, held, aside = [], [], []
        for scene in self.scenes:
            for root in scene.marks["roots"]:
                pair = np.array(root["base_width"])
                known = np.hypot(*(pair[1] - pair[0]))
                found = scene.help.width_of(np.array(root["path"]))
                ends = np.array(found.base_width)
                width = np.hypot(*(ends[1] - ends[0]))
                ratios.append(width / known)
                held.append(abs(width - known) <= 1.96 * found.base_width_sd_px)
                off = ends.mean(axis=0) - pair.mean(axis=0)
                aside.append(abs(off @ (pair[1] - pair[0])) / known**2)
        self.assertAlmostEqual(np.median(ratios), 1.0, delta=0.12)
        self.assertGreater(np.mean(held), 0.9)
        self.assertLess(np.median(aside), 0.08)

    def test_a_trunk_is_proposed_of_whatever_size_the_tree_is(self):
        scene = self.scenes[0]
        marks = read_marks({**scene.marks, "roots": []})
        plane = calibrate_by(marks, scene.photo, Draws(0.0, 1), scene.card)
        known = Polygon(scene.marks["trunk"]["outline"])
        for larger in (1.0, 2.5):
            # The same picture, as if all in it were so much larger.
            mm = replace(
                plane,
                to_reference=np.diag([larger, larger, 1.0]) @ plane.to_reference,
                foot=larger * plane.foot,
                camera_height=larger * plane.camera_height,
                reference_height=larger * plane.reference_height,
            )
            seen = Polygon(propose_trunk(scene.picture, mm).outline)
            with self.subTest(larger=larger):
                self.assertTrue(known.contains(seen.centroid))
                self.assertAlmostEqual(np.sqrt(seen.area / known.area), 1.0, delta=0.45)

    def test_no_trunk_is_proposed_where_none_is_seen(self):
        rng = np.random.default_rng(3)
        soil = cv2.GaussianBlur(rng.integers(60, 190, (900, 1200, 3)).astype(np.uint8), (0, 0), 2)
        line = {"kind": "segment", "a": [100.0, 100.0], "b": [500.0, 100.0], "length_mm": 100.0}
        marks = read_marks({"view": "top", "calibration": line, "roots": []}, in_set=True)
        plane = calibrate_by(marks, PhotoInfo(1200, 900, 26), Draws(0.0, 1))
        with self.assertRaises(BadInput) as said:
            propose_trunk(soil, plane)
        self.assertIn("ellipse", said.exception.message)

    def test_without_a_trunk_there_is_nothing_to_go_out_from(self):
        marks = {**self.scenes[0].marks, "roots": []}
        del marks["trunk"]
        with self.assertRaises(BadInput) as said:
            assistant(read_marks(marks, in_set=True), PhotoInfo(*SIZE, 26), self.scenes[0].picture)
        self.assertEqual(said.exception.field, "trunk")


class OutlineTest(unittest.TestCase):
    def picture(self, bark=(90, 60, 40)):
        picture = np.full((600, 800, 3), (150, 140, 120), np.uint8)
        cv2.ellipse(picture, (400, 300), (150, 110), 0, 0, 360, bark, -1)
        noise = np.random.default_rng(1).normal(0, 6, picture.shape)
        return np.clip(picture + noise, 0, 255).astype(np.uint8)

    def test_a_rough_ellipse_finds_the_edge(self):
        rough = ellipse_points(np.array([262.0, 200.0]), np.array([556.0, 415.0]))
        found = set_outline(self.picture(), rough)
        off = np.hypot((found.points[:, 0] - 400) / 150, (found.points[:, 1] - 300) / 110) - 1
        self.assertTrue(found.follows)
        self.assertLess(np.abs(off).max(), 0.03)
        self.assertLess(abs(off.mean()) * 130, 2 * found.sd_px)
        self.assertEqual(len(found.points), 36)

    def test_where_no_edge_runs_all_round_it_stays_as_drawn(self):
        rough = ellipse_points(np.array([250.0, 190.0]), np.array([550.0, 410.0]))
        half = self.picture()
        half[:, 400:] = self.picture((150, 140, 120))[:, 400:]
        for name, picture in (("half", half), ("none", self.picture((150, 140, 120)))):
            with self.subTest(name):
                found = set_outline(picture, rough)
                self.assertFalse(found.follows)
                np.testing.assert_array_equal(found.points, rough)
                self.assertGreater(found.sd_px, 2.0)

    def test_an_edge_far_off_is_another_things(self):
        rough = ellipse_points(np.array([262.0, 199.0]), np.array([538.0, 401.0]))
        self.assertFalse(set_outline(self.picture(), rough).follows)

    def test_nothing_drawn(self):
        with self.assertRaises(BadInput):
            set_outline(np.zeros((50, 50, 3), np.uint8), np.full((8, 2), 20.0))
