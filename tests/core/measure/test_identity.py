"""Roots found again: rotation, growth, cuts and new roots; changes beyond measuring error."""

import unittest

import numpy as np

from mirvo.core.measure.identity import RootTrace, change, match_roots, misfit
from mirvo.core.measure.uncertainty import Figure
from mirvo.standins.base import grown, random_base, without


def traces(base, labels=None, turn=0.0, rng=None, sd=1.0):
    found = []
    for i, root in enumerate(base.roots):
        noise = rng.normal(0, [sd, 0.06, 0.03]) if rng else (0, 0, 0)
        found.append(
            RootTrace(
                labels[i] if labels else root.key,
                (root.azimuth_deg - turn + noise[0]) % 360,
                root.width_mm * (1 + noise[1]),
                (base.radius_mm + root.length_mm) * (1 + noise[2]),
            )
        )
    return found


def roots(**figures):
    """Azimuth, width and reach of each label."""
    return [RootTrace(label, *three) for label, three in figures.items()]


class MatchTest(unittest.TestCase):
    def test_thirty_trees_grown_turned_and_cut_are_known_again(self):
        right = total = 0
        for seed in range(30):
            rng = np.random.default_rng(seed)
            base = random_base(seed)
            turn = float(rng.uniform(-30, 30))
            gone = base.roots[int(rng.integers(len(base.roots)))].key
            later = grown(base, 5)
            after = [t for t in traces(later, turn=turn, rng=rng) if t.label != gone]
            found = match_roots(traces(base, rng=rng), after)
            self.assertLess(abs((found.turn_deg - turn + 180) % 360 - 180), 4)
            right += sum(old == new for old, new in found.pairs)
            total += len(after)
            self.assertIn(gone, [*found.gone, *(old for old, _ in found.pairs)])
        self.assertGreaterEqual(right / total, 0.97)

    def test_a_root_more_than_20_degrees_off_is_new(self):
        before = [
            RootTrace("A", 0, 10, 80),
            RootTrace("B", 120, 10, 80),
            RootTrace("C", 240, 9, 80),
        ]
        after = [RootTrace("A", 1, 11, 85), RootTrace("B", 119, 10, 85), RootTrace("C", 180, 9, 60)]
        found = match_roots(before, after)
        self.assertEqual(found.pairs, [("A", "A"), ("B", "B")])
        self.assertEqual((found.gone, found.fresh), (["C"], ["C"]))

    def test_width_decides_between_neighbours(self):
        before = [
            RootTrace("A", 100, 20, 80),
            RootTrace("B", 110, 6, 80),
            RootTrace("C", 250, 9, 80),
        ]
        after = [
            RootTrace("x", 109, 6, 80),
            RootTrace("y", 101, 20, 80),
            RootTrace("z", 250, 9, 80),
        ]
        self.assertEqual(dict(match_roots(before, after).pairs), {"A": "y", "B": "x", "C": "z"})

    def test_across_midnight(self):
        before = [RootTrace("A", 358, 10, 80), RootTrace("B", 90, 10, 80)]
        after = [RootTrace("A", 3, 10, 80), RootTrace("B", 95, 10, 80)]
        found = match_roots(before, after)
        self.assertAlmostEqual(found.turn_deg, -5, 6)
        self.assertEqual(len(found.pairs), 2)

    def test_nothing_to_match(self):
        some = [RootTrace("A", 0, None, 80)]
        self.assertEqual(match_roots([], some).fresh, ["A"])
        self.assertEqual(match_roots(some, []).gone, ["A"])
        self.assertEqual(match_roots(some, some).pairs, [("A", "A")])


class MisfitTest(unittest.TestCase):
    """Whether two measurements can be of one tree, on made-up bases seen again and on others."""

    def seen(self, base, rng):
        return [
            RootTrace(
                root.key,
                (root.azimuth_deg + rng.normal(0, 3)) % 360,
                root.width_mm * np.exp(rng.normal(0, 0.08)),
                base.radius_mm + root.length_mm,
            )
            for root in base.roots
        ]

    def test_a_tree_seen_again_fits_and_another_mostly_does_not(self):
        rng = np.random.default_rng(7)
        same, other = [], []
        for seed in range(2000, 2060):
            base = random_base(seed)
            first = self.seen(base, rng)
            # Three years on, one root cut off.
            later = without(grown(base, 3.0), {base.roots[-1].key})
            same.append(misfit(first, self.seen(later, rng)))
            other.append(misfit(first, self.seen(random_base(seed + 5000), rng)))
        self.assertLessEqual(sum(off > 1 for off in same if off is not None), 3)
        judged = [off for off in other if off is not None]
        self.assertGreater(sum(off > 1 for off in judged) / len(judged), 0.8)

    def test_few_roots_fit_any_tree_and_are_not_judged(self):
        few = [RootTrace(label, 90.0 * i, 8.0, 80.0) for i, label in enumerate("ABC")]
        self.assertIsNone(misfit(few, few))
        self.assertIsNone(misfit([], few))


class ChangeTest(unittest.TestCase):
    def test_only_beyond_both_errors_together(self):
        near = change(Figure(50.0, 0.6), Figure(50.9, 0.8))
        self.assertAlmostEqual(near.difference.plus_minus, 1.0)
        self.assertFalse(near.real)
        self.assertTrue(change(Figure(50.0, 0.6), Figure(48.9, 0.8)).real)
