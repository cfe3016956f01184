"""Plane geometry by hand, each for one row and for a stack of rows."""

import unittest
from concurrent.futures import ThreadPoolExecutor

import numpy as np

from mirvo.core.measure import geometry
from mirvo.core.measure.uncertainty import Draws, figure, figure_of_angle

SQUARE = np.array([[0.0, 0], [4, 0], [4, 4], [0, 4]])


def rows(points, count=3):
    """The same points in several rows, each row a little larger than the one before."""
    return np.stack([np.asarray(points, dtype=float) * (1 + 0.01 * i) for i in range(count)])


def regular(count, radius=10.0):
    turn = np.arange(count) * 2 * np.pi / count
    return radius * np.column_stack([np.cos(turn), np.sin(turn)])


class AreaTest(unittest.TestCase):
    def test_square(self):
        area, centre = geometry.area_and_centroid(rows(SQUARE))
        self.assertAlmostEqual(area[0], 16)
        self.assertAlmostEqual(area[2], 16 * 1.02**2)
        np.testing.assert_allclose(centre[0], [2, 2])

    def test_turning_sense_does_not_matter(self):
        area, centre = geometry.area_and_centroid(rows(SQUARE[::-1]))
        self.assertAlmostEqual(area[0], 16)
        np.testing.assert_allclose(centre[0], [2, 2])

    def test_triangle_centroid_is_the_mean_of_its_corners(self):
        corners = np.array([[0.0, 0], [9, 0], [0, 6]])
        area, centre = geometry.area_and_centroid(rows(corners))
        self.assertAlmostEqual(area[0], 27)
        np.testing.assert_allclose(centre[0], [3, 2])

    def test_far_from_the_origin_nothing_is_lost(self):
        area, centre = geometry.area_and_centroid(np.array([SQUARE + 1e6]))
        self.assertAlmostEqual(area[0], 16, 6)
        np.testing.assert_allclose(centre[0], [1e6 + 2, 1e6 + 2])


class DirectionTest(unittest.TestCase):
    def test_clockwise_from_up_in_the_picture(self):
        for vector, wanted in (((0, -1), 0), ((1, 0), 90), ((0, 1), 180), ((-1, 0), -90)):
            found = geometry.direction_deg(np.array([vector], dtype=float))[0]
            self.assertAlmostEqual((found - wanted + 180) % 360, 180)


class ArcLengthTest(unittest.TestCase):
    path = np.array([[0.0, 0], [3, 4], [3, 10]])

    def test_lengths(self):
        np.testing.assert_allclose(geometry.arc_lengths(rows(self.path))[0], [0, 5, 11])

    def test_points_on_the_way_and_at_both_ends(self):
        stack = rows(self.path)
        at = np.array([[0.0, 2.5, 5.0, 8.0, 11.0]] * 3)
        found = geometry.points_at(stack, geometry.arc_lengths(stack), at)[0]
        np.testing.assert_allclose(found, [[0, 0], [1.5, 2], [3, 4], [3, 7], [3, 10]])

    def test_cut_where_it_leaves_the_circle(self):
        straight = rows([[1.0, 0], [5, 0], [20, 0]])
        cut = geometry.cut_at_radius(straight, np.zeros((3, 2)), np.full(3, 12.0))
        self.assertEqual(cut.shape, (3, 3, 2))
        np.testing.assert_allclose(cut[:, -1], [[12, 0]] * 3)

    def test_a_path_within_the_circle_stays_whole(self):
        short = rows([[1.0, 0], [5, 0]])
        self.assertIs(geometry.cut_at_radius(short, np.zeros((3, 2)), np.full(3, 50.0)), short)

    def test_a_path_that_starts_outside_leaves_its_first_point(self):
        far = rows([[30.0, 0], [50, 0]])
        self.assertEqual(
            geometry.cut_at_radius(far, np.zeros((3, 2)), np.full(3, 10.0)).shape, (3, 1, 2)
        )


class DiameterTest(unittest.TestCase):
    def test_feret_of_a_rectangle(self):
        greatest, least = geometry.feret(rows([[0.0, 0], [30, 0], [30, 40], [0, 40]]))
        np.testing.assert_allclose(greatest, [50, 50.5, 51])
        np.testing.assert_allclose(least, [30, 30.3, 30.6])

    def test_least_diameter_of_a_triangle_is_its_least_height(self):
        _, least = geometry.feret(rows([[0.0, 0], [10, 0], [5, 12]]))
        self.assertAlmostEqual(least[0], 120 / 13)

    def test_many_corners_come_near_the_circle(self):
        greatest, least = geometry.feret(rows(regular(90)))
        self.assertAlmostEqual(greatest[0], 20, 6)
        self.assertAlmostEqual(least[0], 20 * np.cos(np.pi / 90), 6)

    def test_an_edge_that_is_a_mere_point_in_a_draw_leaves_a_radius(self):
        square = np.array([[[10.0, 10], [10, -10], [-10, -10], [-10, 10]]]).repeat(2, axis=0)
        square[1, 1] = square[1, 0]
        radii = geometry.mean_radius(square, np.zeros((2, 2)))
        self.assertTrue(np.isfinite(radii).all())

    def test_mean_radius_of_a_circle_and_from_an_edge_of_it(self):
        circle = rows(regular(720))
        self.assertAlmostEqual(geometry.mean_radius(circle, np.zeros((3, 2)))[0], 10, 3)
        aside = geometry.mean_radius(circle, np.tile([2.0, 0.0], (3, 1)))[0]
        wanted = np.mean(
            [np.sqrt(100 - 4 * np.sin(t) ** 2) - 2 * np.cos(t) for t in np.radians(np.arange(360))]
        )
        self.assertAlmostEqual(aside, wanted, 3)

    def test_the_outermost_edge_counts_where_an_outline_folds_back(self):
        notched = [[10.0, 10], [10, -10], [-10, -10], [-10, 10], [-1, 10], [-1, 2], [1, 2], [1, 10]]
        plain = [[10.0, 10], [10, -10], [-10, -10], [-10, 10]]
        self.assertLess(
            geometry.mean_radius(rows(notched), np.zeros((3, 2)))[0],
            geometry.mean_radius(rows(plain), np.zeros((3, 2)))[0],
        )

    def test_hull_leaves_inner_points_out(self):
        found = geometry.hull_indices(np.vstack([SQUARE, [[2, 2], [1, 3]]]))
        self.assertEqual(set(found), {0, 1, 2, 3})


class VectorTest(unittest.TestCase):
    def test_lengths_of_any_stack(self):
        np.testing.assert_allclose(geometry.length_of(np.array([3.0, 4.0])), 5)
        np.testing.assert_allclose(geometry.length_of(np.array([[[3.0, 4], [0, -2]]])), [[5, 2]])

    def test_away_from_a_point_and_out_again(self):
        points = rows(SQUARE)
        for origin in (np.array([7.0, -1.0]), np.array([[7.0, -1.0], [0, 0], [2, 3]])):
            away = geometry.away_from(origin, points)
            np.testing.assert_allclose(away[:, 2], points[:, 2] - origin)
            doubled = geometry.scaled(origin, away, np.full((3, 4), 2.0))
            np.testing.assert_allclose(doubled[:, 1], 2 * points[:, 1] - origin)


class DrawsTest(unittest.TestCase):
    def test_the_same_draws_every_time_and_new_ones_at_each_step(self):
        first, again = Draws(2.0, 50), Draws(2.0, 50)
        once = [first.points(SQUARE), first.points(SQUARE), first.scalars(5.0, 1.0)]
        for one, same in zip(once, (again.points(SQUARE), again.points(SQUARE)), strict=False):
            np.testing.assert_array_equal(one, same)
        self.assertFalse(np.allclose(once[0][1:], once[1][1:]))
        self.assertFalse(np.allclose(Draws(2.0, 50, seed=1).points(SQUARE)[1:], once[0][1:]))

    def test_another_click_deviation_goes_on_in_the_same_stream(self):
        whole, coarse = Draws(1.0, 50), Draws(1.0, 50)
        whole.points(SQUARE)
        coarse.points(SQUARE)
        fine = coarse.with_click_sd(0.5)
        np.testing.assert_allclose(
            fine.points(SQUARE) - SQUARE, (whole.points(SQUARE) - SQUARE) / 2, atol=1e-12
        )
        np.testing.assert_array_equal(coarse.scalars(0.0, 1.0), whole.scalars(0.0, 1.0))

    def test_what_was_given_can_be_changed_without_harm_to_the_next(self):
        given = Draws(1.0, 50).points(SQUARE)
        kept = given.copy()
        given += 100.0
        np.testing.assert_array_equal(Draws(1.0, 50).points(SQUARE), kept)

    def test_many_at_once_draw_the_numbers_of_the_seed(self):
        numbers = np.random.default_rng(78).standard_normal((701, 40, 2))
        with ThreadPoolExecutor(8) as hands:
            tasks = [
                hands.submit(lambda: Draws(1.0, 700, seed=78).points(np.zeros((40, 2))))
                for _ in range(16)
            ]
        for task in tasks:
            np.testing.assert_array_equal(task.result()[1:], numbers[1:])

    def test_row_nought_is_as_set(self):
        draws = Draws(2.0)
        points = draws.points(SQUARE)
        self.assertEqual(points.shape, (401, 4, 2))
        np.testing.assert_array_equal(points[0], SQUARE)
        self.assertAlmostEqual(float(points[1:].std(axis=0).mean()), 2.0, 1)
        self.assertEqual(draws.scalars(7.0, 1.0)[0], 7.0)

    def test_half_width_of_a_normal_spread(self):
        samples = Draws(0.0, 20_000).scalars(50.0, 3.0)
        self.assertAlmostEqual(figure(samples).plus_minus, 1.96 * 3, 0)

    def test_a_one_sided_doubt_is_not_hidden(self):
        samples = np.concatenate([[10.0], np.linspace(10.0, 12.0, 400)])
        self.assertAlmostEqual(figure(samples).plus_minus, 1.9, 2)

    def test_angles_differ_round_the_circle(self):
        samples = np.array([359.0, *([1.0] * 200), *([357.0] * 200)])
        found = figure_of_angle(samples)
        self.assertEqual((found.value, found.plus_minus), (359.0, 2.0))
