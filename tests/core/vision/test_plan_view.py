"""The flat view, what is seen on it, edges and contours on pictures drawn for the purpose."""

import unittest

import cv2
import numpy as np
from scipy.spatial.distance import cdist

from mirvo.core.errors import BadInput
from mirvo.core.measure.geometry import area_and_centroid, bulged, dense, smooth_outline
from mirvo.core.vision.contour import best_line, snap_line
from mirvo.core.vision.edges import edge_offsets
from mirvo.core.vision.plan_view import CELLS_PER_TRUNK
from mirvo.core.vision.trace import avoiding, covered_by, on_the_crest, reaching, tracer
from mirvo.core.vision.width import base_width, width_along, widths_seen
from tests.drawn_base import SIDE, TRUNK_PX, base_picture, view_of


class CrestTest(unittest.TestCase):
    """A band drawn along a bend, and a path that cuts it short."""

    def setUp(self):
        turn = np.linspace(0.0, 1.4, 15)
        self.bend = np.stack([60 + 140 * np.sin(turn), 40 + 140 * (1 - np.cos(turn))], axis=1)
        band = np.zeros((260, 260), np.uint8)
        places = np.round(dense(self.bend, 1.0)).astype(np.int32)
        for x, y in places:
            cv2.circle(band, (int(x), int(y)), 8, 255, -1)  # 17 cells across
        self.root = cv2.GaussianBlur(band, (0, 0), 2.0).astype(np.float32) / 255
        inward = np.array([60.0, 180.0]) - self.bend
        self.cut = self.bend + 4 * inward / np.hypot(*inward.T)[:, None]

    def test_a_path_comes_back_onto_the_crest(self):
        found = on_the_crest(self.root, self.cut, self.root)
        away = cdist(found[1:-2], dense(self.bend, 1.0)).min(axis=1)
        self.assertLess(away.max(), 1.0)
        np.testing.assert_array_equal(found[-1], self.cut[-1])

    def test_where_nothing_is_seen_of_a_root_its_path_is_kept(self):
        bare = np.zeros_like(self.root)
        np.testing.assert_allclose(on_the_crest(bare, self.cut, bare), self.cut)

    def test_the_base_is_as_wide_as_the_band(self):
        widths = width_along(self.root, self.bend)
        # Its edges are sharp; what is allowed for a map's blur makes it a little narrower.
        self.assertAlmostEqual(base_width(self.root, self.bend, widths), 17.0, delta=1.5)

    def test_a_path_of_one_step_has_a_width_too(self):
        short = self.bend[:2]
        self.assertGreater(base_width(self.root, short, width_along(self.root, short)), 0.0)


class FlatTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.picture, cls.mask = base_picture()
        cls.view = view_of(cls.picture)
        cls.tracer = tracer(cls.view)

    def test_the_trunk_fills_its_cells_in_the_middle(self):
        self.assertAlmostEqual(np.ptp(self.view.trunk[:, 0]), CELLS_PER_TRUNK, delta=0.5)
        middle = self.view.colour.shape[0] / 2
        np.testing.assert_allclose(self.view.trunk.mean(axis=0), middle, atol=1.0)
        middle = self.view.known.shape[0] // 2
        self.assertTrue(self.view.known[middle, middle])

    def test_cells_and_photo_go_both_ways(self):
        cells = np.array([[100.0, 120.0], [300.0, 250.0]])
        np.testing.assert_allclose(self.view.cells(self.view.mm(cells)), cells, atol=1e-9)
        pixels = self.view.photo(cells)
        step = TRUNK_PX * 2 / CELLS_PER_TRUNK
        np.testing.assert_allclose(pixels[1] - pixels[0], (cells[1] - cells[0]) * step, rtol=2e-3)

    def test_roots_are_told_from_soil(self):
        root = self.tracer.root
        side = root.shape[0]
        y, x = np.mgrid[0:side, 0:side]
        places = np.round(self.view.photo(np.stack([x.ravel(), y.ravel()], 1))).astype(int)
        inside = ((places >= 0) & (places < SIDE)).all(axis=1)
        known = np.zeros(side * side, bool)
        known[inside] = self.mask[places[inside, 1], places[inside, 0]] > 0
        known = known.reshape(side, side)
        core = cv2.erode(known.astype(np.uint8), np.ones((5, 5))).astype(bool)
        far = ~cv2.dilate(known.astype(np.uint8), np.ones((9, 9))).astype(bool)
        self.assertGreater((root[core] > 0.5).mean(), 0.9)
        self.assertLess((root[far & self.view.known] > 0.5).mean(), 0.05)

    def root(self, angle=110.0):
        turn = np.radians(angle)
        middle = self.view.trunk.mean(axis=0)
        unit = CELLS_PER_TRUNK / (2 * TRUNK_PX)
        reach = np.linspace(95, 250, 24)[:, None] * unit
        return middle + reach * [np.sin(turn), -np.cos(turn)]

    def test_widths_follow_the_taper(self):
        unit = CELLS_PER_TRUNK / (2 * TRUNK_PX)
        widths = width_along(self.tracer.root, self.root())
        known = 2 * np.interp(np.linspace(95, 250, 24), [80, 260], [22, 9]) * unit
        self.assertLess(np.median(np.abs(widths / known - 1)), 0.3)
        self.assertGreater(widths[0], 1.5 * widths[-1])
        self.assertTrue(np.isfinite(widths_seen(self.tracer.root, self.root())).any())

    def test_a_trace_runs_down_the_root(self):
        tip = self.root()[-1]
        path = self.tracer.path((round(tip[0]), round(tip[1])))
        line = self.root()[-1] - self.root()[0]
        line = line / np.hypot(*line)
        away = path - self.root()[0]
        off = np.abs(away[:, 0] * line[1] - away[:, 1] * line[0])
        self.assertLess(off.max(), 5.0)

    def test_avoiding_a_root_leaves_other_ways_alone(self):
        tip = self.root(200.0)[-1]
        cell = (round(tip[0]), round(tip[1]))
        other = avoiding(self.tracer, covered_by(self.tracer, [self.root(110.0)]))
        np.testing.assert_allclose(other.path(cell)[-1], self.tracer.path(cell)[-1], atol=2.0)
        away = cdist(other.path(cell), dense(self.tracer.path(cell), 1.0)).min(axis=1)
        self.assertLess(away.max(), 3.0)
        taken = self.root(110.0)[-1]
        dear, cheap = (
            one.ways.cost[one.ways.nodes_at((round(taken[0]), round(taken[1])))].min()
            for one in (other, self.tracer)
        )
        self.assertGreater(dear, cheap)

    def test_ground_without_a_root_is_reached_when_asked(self):
        middle = self.view.trunk.mean(axis=0)
        cell = (round(middle[0] - 200), round(middle[1] + 20))
        self.assertFalse(self.tracer.ways.reach(cell))
        path = reaching(self.tracer, cell).path(cell)
        np.testing.assert_allclose(path[-1], cell)
        straight = dense(np.array([middle, cell], float), 1.0)
        self.assertLess(cdist(path, straight).min(axis=1).max(), CELLS_PER_TRUNK)


class EdgeTest(unittest.TestCase):
    def test_an_edge_to_a_tenth_of_a_pixel(self):
        for at in (20.0, 20.3, 20.7):
            x = np.arange(60) - at
            row = 60 + 120 / (1 + np.exp(-x / 0.6))
            grey = np.tile(row, (40, 1)).astype(np.uint8)
            spots = np.stack([np.full(20, 20.0), np.arange(10, 30)], axis=1)
            offsets, strength = edge_offsets(grey, spots, np.array([1.0, 0.0]), 6.0)
            self.assertAlmostEqual(float(np.median(offsets)), at - 20.0, delta=0.12)
            self.assertGreater(strength.min(), 20)

    def test_a_line_is_snapped_and_keeps_its_ends_in_order(self):
        picture = np.full((400, 300, 3), 200, np.uint8)
        edge = 150 + 20 * np.sin(np.arange(400) / 60)
        for y in range(400):
            picture[y, int(edge[y]) :] = (90, 70, 50)
        rough = np.array([[153.0, 380.0], [144.0, 200.0], [155.0, 20.0]])
        found = snap_line(picture, rough)
        np.testing.assert_allclose(found[[0, -1]], rough[[0, -1]], atol=1.5)
        off = np.abs(dense(found)[:, 0] - np.interp(dense(found)[:, 1], np.arange(400), edge))
        self.assertLess(np.median(off), 1.5)

    def test_no_line_to_snap(self):
        with self.assertRaises(BadInput):
            snap_line(np.zeros((50, 50, 3), np.uint8), np.array([[5.0, 5.0], [6.0, 5.0]]))

    def test_the_best_line_does_not_jump(self):
        gain = np.zeros((30, 20))
        gain[np.arange(30), 5] = 1.0
        gain[12, 18] = 3.0
        np.testing.assert_array_equal(best_line(gain, 0.3, 1), np.full(30, 5))


class OutlineShapesTest(unittest.TestCase):
    def circle(self, clicks, jitter=0.0):
        turn = np.arange(clicks) + np.random.default_rng(clicks).uniform(-jitter, jitter, clicks)
        turn = turn * 2 * np.pi / clicks
        return 50 * np.stack([np.sin(turn), np.cos(turn)], axis=1)

    def test_a_few_clicks_on_a_circle_give_its_diameter(self):
        for clicks, jitter, within in ((6, 0, 0.6), (8, 0, 0.25), (8, 0.3, 1), (12, 0.3, 0.3)):
            curve = smooth_outline(self.circle(clicks, jitter)[None])
            diameter = 2 * np.sqrt(area_and_centroid(curve)[0][0] / np.pi)
            self.assertAlmostEqual(diameter, 100, delta=within, msg=clicks)
            self.assertGreaterEqual(curve.shape[1], 96)

    def test_the_curve_runs_through_every_click_and_all_draws_are_bent_alike(self):
        clicks = self.circle(10, 0.3)
        curve = smooth_outline(np.stack([clicks, 2 * clicks]))
        self.assertLess(cdist(clicks, curve[0]).min(axis=1).max(), 1e-9)
        np.testing.assert_allclose(curve[1], 2 * curve[0])

    def test_what_the_clicks_hide_may_swell_or_shrink_an_outline(self):
        circle = self.circle(24)[None].repeat(3, axis=0)
        swollen = bulged(circle, np.array([0.0, 1.0, -1.0]))
        np.testing.assert_allclose(swollen[0], circle[0], atol=1e-9)
        for row, sign in ((1, 1), (2, -1)):
            grown = np.hypot(*swollen[row].T).mean() / 50 - 1
            self.assertAlmostEqual(grown, sign * (2 * np.sin(np.pi / 24)) ** 2 / 12, delta=1e-4)
