"""The path-traced camera's scenes, as far as they need no renderer: shapes, camera, card."""

import unittest

import numpy as np

from mirvo.core.measure.calibration import card_layout
from mirvo.standins.base import random_base, root_widths, trunk_outline
from mirvo.standins.scene import CREST_SHARE
from tools.traced.base import random_solid_base
from tools.traced.camera import random_traced_camera
from tools.traced.conditions import CONDITIONS, under
from tools.traced.of_base import solid_of
from tools.traced.scene import random_scene, seen_anew
from tools.traced.sheet import Sheet
from tools.traced.solid import skin
from tools.traced.surroundings import Pot, random_pot
from tools.traced.truth import IN_FRONT, SOIL, seen_base


class BaseTest(unittest.TestCase):
    def test_a_base_is_the_same_for_a_seed_and_its_roots_begin_in_the_trunk(self):
        for seed in range(6):
            base, again = (random_solid_base(np.random.default_rng(seed)) for _ in range(2))
            self.assertEqual(base.radius_mm, again.radius_mm)
            self.assertGreaterEqual(len(base.tubes), 4)
            for tube in base.tubes:
                start = float(np.hypot(*tube.middle[0, :2]))
                if tube.parent < 0:
                    self.assertLess(start, base.radius_mm * 1.3)
                # It ends below the soil.
                self.assertLess(tube.crest[-1, 2], 1.0)

    def test_the_skin_lies_on_trunk_and_roots(self):
        base = random_solid_base(np.random.default_rng(3), 0.0)
        corners, faces = skin(base, np.random.default_rng(3), 2.0)
        self.assertLess(faces.max(), len(corners))
        self.assertLessEqual(corners[:, 2].max(), base.top_mm + 2)
        top = corners[corners[:, 2] > base.top_mm - 6]
        away = np.hypot(*(top[:, :2] - base.axis_at(top[:, 2])).T)
        self.assertLess(away.max(), base.radius_mm * 1.5)
        for tube in base.tubes:
            middle = len(tube.crest) // 2
            near = np.linalg.norm(corners - tube.crest[middle], axis=1).min()
            self.assertLess(near, 3.5)


class SolidOfBaseTest(unittest.TestCase):
    """A base of the quick camera as a solid: as wide and as high as its truth says."""

    def setUp(self):
        self.base = random_base(4, 44.0)
        self.solid = solid_of(self.base, 4)

    def test_the_trunk_stands_on_its_outline_and_widens_to_the_flare(self):
        ring = self.solid.outline(self.base.trunk_height_mm)
        known = np.hypot(*trunk_outline(self.base).T)
        self.assertAlmostEqual(float(np.hypot(*ring.T).mean()), float(known.mean()), delta=0.1)
        low = np.hypot(*self.solid.outline(0.0).T)
        self.assertGreater(low.mean(), known.mean() + 0.3 * self.base.flare_mm)

    def test_a_root_is_as_wide_at_the_soil_and_as_high_as_marked(self):
        for root, tube in zip(self.base.roots, self.solid.tubes, strict=True):
            # Two points lie within the trunk, four beyond the tip.
            middle, radius = tube.middle[2:-4, 2], tube.radius[2:-4]
            widths = root_widths(root, len(middle))
            np.testing.assert_allclose(2 * np.sqrt(radius**2 - middle**2), widths, rtol=1e-6)
            np.testing.assert_allclose(middle + radius, CREST_SHARE * widths, rtol=1e-6)
            self.assertLess(tube.crest[-1, 2], tube.crest[-5, 2])


class SeenBaseTest(unittest.TestCase):
    """A tube 20 px wide from 90 to 110, and what a picture of it shows across."""

    OWN = np.array([[90.0, 50.0], [110.0, 50.0]])

    def across(self, *shown):
        """What shows from a pixel on, (from, what), soil before the first."""
        row = np.full(200, SOIL)
        for first, what in shown:
            row[first:] = what
        return seen_base(self.OWN, np.tile(row, (100, 1)), 4)

    def test_grains_against_it_make_it_narrower_and_bark_wider(self):
        # Pixels 93 to 106 show it: from 92.5 to 106.5 px, 14 of 20.
        narrow = self.across((93, 4), (107, SOIL))
        np.testing.assert_allclose(narrow.ends, (-0.75, 0.65), atol=0.02)
        self.assertAlmostEqual(narrow.width, 0.7, delta=0.02)
        self.assertAlmostEqual(self.across((88, 4), (113, SOIL)).width, 1.25, delta=0.02)

    def test_where_another_root_lies_against_it_its_own_flank_counts(self):
        self.assertEqual(self.across((70, 5), (96, 4), (107, SOIL)).ends[0], -1.0)

    def test_behind_the_trunk_or_nearly_gone_it_is_hidden(self):
        for shown in (
            [(80, IN_FRONT), (95, 4), (111, SOIL)],
            [(99, 4), (103, SOIL)],
            [(0, 7)],
        ):
            self.assertTrue(self.across(*shown).hidden, shown)


class ConditionTest(unittest.TestCase):
    def test_each_condition_changes_what_it_is_named_for(self):
        scene = random_scene(1, "easy", 320, 240)
        plain = under("plain", scene).meshes["base"].colours
        np.testing.assert_allclose(plain, scene.meshes["base"].colours)
        for condition in CONDITIONS:
            found = under(condition, scene)
            colours = found.meshes["base"].colours
            self.assertTrue(((colours >= 0) & (colours <= 1)).all(), condition)
            if CONDITIONS[condition]:
                self.assertGreater(np.abs(colours - plain).max(), 0.02, condition)
        self.assertIn("litter", under("twigs", scene).meshes)
        with self.assertRaises(KeyError):
            under("snow", scene)

    def test_another_day_keeps_base_and_soil(self):
        scene = random_scene(2, "normal", 320, 240)
        other = seen_anew(scene, 99)
        self.assertIs(other.base, scene.base)
        self.assertIs(other.meshes["soil"], scene.meshes["soil"])
        self.assertFalse(np.allclose(other.camera.place, scene.camera.place))
        self.assertFalse(
            np.allclose(other.meshes["base"].colours, scene.meshes["base"].colours, atol=0.01)
        )


class SceneTest(unittest.TestCase):
    def test_a_pot_holds_what_lies_within_its_edge(self):
        pot = Pot((100.0, 60.0), 2.0, 6.0, 4.0, 0.7)
        self.assertTrue((pot.inside(pot.edge(-5.0)) < 1).all())
        self.assertTrue((pot.inside(pot.edge(5.0)) > 1).all())
        self.assertTrue(any(random_pot(np.random.default_rng(i), 90.0) is None for i in range(30)))

    def test_every_preset_makes_a_scene(self):
        for seed, preset in ((1, "easy"), (2, "normal"), (3, "hard")):
            scene = random_scene(seed, preset, 320, 240)
            for name, mesh in scene.meshes.items():
                self.assertLess(mesh.faces.max(), len(mesh.corners), name)
                self.assertTrue(((mesh.colours >= 0) & (mesh.colours <= 1)).all(), name)
                self.assertTrue(np.isfinite(mesh.corners).all(), name)


class CameraTest(unittest.TestCase):
    def test_what_is_seen_leads_back_to_a_straight_picture(self):
        camera = random_traced_camera(np.random.default_rng(5), 400, 300, 120.0, 1.0)
        points = np.array([[0.0, 0, 0], [40, -30, 5], [-60, 50, 12]])
        seen = camera.see(points)
        straight = camera.straight_pixels()
        turned = (points - camera.place) @ camera.turn.T
        known = camera.focal_px * turned[:, :2] / turned[:, 2:] + camera.middle
        for (x, y), wanted in zip(seen, known, strict=True):
            if 0 <= x < 399 and 0 <= y < 299:
                found = straight[round(y), round(x)] + (np.array([x, y]) - np.round([x, y]))
                np.testing.assert_allclose(found, wanted, atol=0.2)

    def test_a_flat_card_has_its_markers_where_they_are_printed(self):
        corners = Sheet((0.0, 0.0), 0.0, 5.0).corners()
        printed = (card_layout() - card_layout().mean(axis=0)) * np.array([1, -1])
        np.testing.assert_allclose(corners[:, :2], printed, atol=1e-9)
        np.testing.assert_allclose(corners[:, 2], 5.0)
        bent = Sheet((0.0, 0.0), 0.4, 5.0, crease_mm=2.0).corners()
        self.assertGreater(np.ptp(bent[:, 2]), 0.5)

    def test_what_lies_under_the_paper_and_what_stands_above_it(self):
        sheet = Sheet((100.0, 0.0), np.pi / 2, 4.0)  # turned a quarter: 170 mm along y
        points = [(100.0, 80.0, 1.0), (100.0, 80.0, 9.0), (150.0, 80.0, 3.9), (170.0, 0.0, 1.0)]
        self.assertEqual(sheet.covers(np.array(points)).tolist(), [True, False, True, False])
