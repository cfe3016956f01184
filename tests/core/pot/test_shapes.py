"""What pots hold: worked by hand, and by water poured in, a drop at a time."""

import unittest
from math import pi

import numpy as np

from mirvo.core.pot import SHAPES, Pot

BITE = 0.25
DROPS = 400_000


def poured(pot, up_to=None):
    """Litres, by counting which of many drops in the box round a pot lie within it.

    Each shape is told here anew, from its walls: no area of the code under test is used.
    """
    rng = np.random.default_rng(7)
    deep = pot.depth if up_to is None else up_to
    longest = max(pot.length, pot.belly or 0)
    widest = max(pot.width, (pot.belly or 0) * pot.width / pot.length) * (1 + BITE)
    x, y = rng.uniform(-longest / 2, longest / 2, DROPS), rng.uniform(-widest, widest, DROPS)
    part = rng.uniform(0, deep, DROPS) / pot.depth
    low_length, low_width = pot.floor_length or pot.length, pot.floor_width or pot.width
    length = low_length + (pot.length - low_length) * part
    width = low_width + (pot.width - low_width) * part
    if pot.belly:
        bulge = pot.belly - (low_length + pot.length) / 2
        length = length + 4 * bulge * part * (1 - part)
        width = length
    if pot.shape == "slab":
        length, width = (size * np.sqrt(1 - part) for size in (pot.length, pot.width))
    u, v = 2 * x / length, 2 * y / width
    if pot.shape in ("oval", "round", "drum", "slab"):
        inside = u**2 + v**2 <= 1
    elif pot.shape == "crescent":
        # Down from the tips: from the inner parabola to the outer one.
        down = y + width / 2
        rise = 1 - u**2
        inside = (down >= BITE * width * rise) & (down <= (1 + BITE) * width * rise)
        inside &= np.abs(u) <= 1
    else:
        inside = (np.abs(u) <= 1) & (np.abs(v) <= 1)
        corner = pot.corner * length / pot.length
        past_x, past_y = np.abs(x) - (length / 2 - corner), np.abs(y) - (width / 2 - corner)
        inside &= ~((past_x > 0) & (past_y > 0) & (np.hypot(past_x, past_y) > corner))
    return float(inside.mean() * longest * 2 * widest * deep / 1e6)


class VolumesTest(unittest.TestCase):
    def test_straight_ones_by_hand(self):
        # 400 * 280 * 45 = 5.04 l; an oval holds pi / 4 of its box; a crescent two thirds.
        for shape, share in (
            *((shape, 1.0) for shape in ("rectangle", "box", "basket")),
            *((shape, pi / 4) for shape in ("oval", "round", "drum")),
            ("crescent", 2 / 3),
            # A mound as a paraboloid is half of what stands round it.
            ("slab", pi / 8),
        ):
            self.assertAlmostEqual(Pot(shape, 400, 280, 45).litres(), 5.04 * share, 9)
        # Four corners of 40 mm are missing: (4 - pi) * 40² * 45 mm³.
        rounded = Pot("rounded", 400, 280, 45, corner=40)
        self.assertAlmostEqual(rounded.litres(), 5.04 - (4 - pi) * 1600 * 45 / 1e6, 9)

    def test_tapering_ones_by_hand(self):
        # Prismatoid: 60 / 6 * (400 * 300 + 4 * 375 * 275 + 350 * 250) mm³.
        tray = Pot("rectangle", 400, 300, 60, 350, 250)
        self.assertAlmostEqual(tray.litres(), 10 * (120_000 + 412_500 + 87_500) / 1e6, 9)
        # Frustum: pi * 90 / 12 * (300² + 300 * 240 + 240²) mm³.
        bowl = Pot("round", 300, 300, 90, 240, 240)
        self.assertAlmostEqual(bowl.litres(), pi * 7.5 * (90_000 + 72_000 + 57_600) / 1e6, 9)

    def test_a_drum_by_keplers_rule_for_barrels(self):
        drum = Pot("drum", 300, 300, 120, 280, 280, belly=330)
        by_hand = 120 / 6 * pi / 4 * (280**2 + 4 * 330**2 + 300**2) / 1e6
        self.assertAlmostEqual(drum.litres(), by_hand, 9)
        # No belly, no bulge: the drum that was said to take 12 l holds eight and a half.
        self.assertAlmostEqual(Pot("drum", 300, 300, 120).litres(), 8.482, 3)

    def test_water_poured_into_every_shape_says_the_same(self):
        for shape in SHAPES:
            slab = shape == "slab"
            pot = Pot(
                shape, 360, 360 if shape in ("round", "drum") else 250, 80,
                None if slab else 300, None if slab else 300 if shape in ("round", "drum") else 200,
                corner=50 if shape == "rounded" else 0, belly=380 if shape == "drum" else None,
            )  # fmt: skip
            for up_to in (None, 30.0):
                with self.subTest(shape=shape, up_to=up_to):
                    water = poured(pot, up_to)
                    self.assertLess(abs(pot.litres(up_to) / water - 1), 0.012)

    def test_the_inside_runs_from_floor_to_rim(self):
        pot = Pot("rectangle", 400, 300, 60, 340, 240)
        self.assertEqual(pot.inside_at(0), (340, 240))
        self.assertEqual(pot.inside_at(30), (370, 270))
        self.assertEqual(pot.inside_at(999), (400, 300))
        drum = Pot("drum", 300, 300, 120, belly=330)
        self.assertEqual([round(drum.inside_at(z)[0]) for z in (0, 60, 120)], [300, 330, 300])
        self.assertEqual(Pot("rectangle", 400, 300, 60, rim_in=8).opening, (384, 284))

    def test_more_never_holds_less(self):
        pot = Pot("oval", 400, 300, 60, 340, 240)
        levels = [pot.litres(z) for z in range(0, 61, 5)]
        self.assertEqual(levels, sorted(levels))
        self.assertAlmostEqual(levels[-1], pot.litres())
        self.assertEqual(levels[0], 0)
