"""Balls in pots, worked by hand: ten pots, four balls."""

import unittest

from mirvo.core.pot import Ball, Pot, fit, off_centre, soil_litres
from mirvo.core.pot.fit import ball_litres, fill_mm

# A soil line 10 mm under the rim, 10 mm of soil below the ball and beside it.
POTS = {
    "tray": Pot("rectangle", 400, 280, 70),
    "shallow": Pot("rectangle", 400, 280, 45),
    "narrow foot": Pot("rectangle", 400, 280, 70, 340, 220),
    "lip": Pot("rectangle", 400, 280, 70, rim_in=50),
    "oval": Pot("oval", 420, 300, 70),
    "round": Pot("round", 300, 300, 90),
    "drum": Pot("drum", 260, 260, 120, belly=300),
    "crescent": Pot("crescent", 460, 250, 80),
    "slab": Pot("slab", 520, 340, 70),
    "basket": Pot("basket", 500, 400, 150),
}
BALLS = {
    "small": Ball(180, 130, 40),
    "usual": Ball(330, 220, 45),
    "deep": Ball(240, 200, 90),
    "wide": Ball(420, 300, 50),
}
WANTED = {
    "tray": {"small": "roomy", "usual": "fits", "deep": "small", "wide": "comb"},
    "shallow": {"small": "small", "usual": "small", "deep": "small", "wide": "small"},
    "narrow foot": {"small": "roomy", "usual": "comb", "deep": "small", "wide": "small"},
    "lip": {"small": "roomy", "usual": "fits", "deep": "small", "wide": "comb"},
    "oval": {"small": "roomy", "usual": "fits", "deep": "small", "wide": "comb"},
    "round": {"small": "roomy", "usual": "comb", "deep": "comb", "wide": "small"},
    "drum": {"small": "roomy", "usual": "comb", "deep": "fits", "wide": "small"},
    "crescent": {"small": "roomy", "usual": "fits", "deep": "small", "wide": "comb"},
    "slab": {"small": "roomy", "usual": "fits", "deep": "small", "wide": "comb"},
    "basket": {"small": "roomy", "usual": "roomy", "deep": "roomy", "wide": "fits"},
}


class FitTest(unittest.TestCase):
    def test_ten_pots_and_four_balls(self):
        for name, pot in POTS.items():
            found = {ball: fit(pot, size).verdict for ball, size in BALLS.items()}
            with self.subTest(pot=name):
                self.assertEqual(found, WANTED[name])

    def test_room_and_what_comes_off_by_hand(self):
        found = fit(POTS["tray"], BALLS["usual"])
        # (400 - 330) / 2, (280 - 220) / 2; 60 to the soil line less 45.
        self.assertEqual((found.beside, found.below, found.off), ((35, 30), 15, (0, 0, 0)))
        wide = fit(POTS["tray"], BALLS["wide"])
        # 400 less 10 at each end leaves 380 of 420, 280 leaves 260 of 300.
        self.assertEqual(wide.off, (40, 40, 0))
        self.assertEqual(wide.said, "fits once combed: 40 mm off its length, 40 mm off its width")
        # The ball stands 15 mm over a floor of 340 that widens to 400 over 70 mm.
        narrow = fit(POTS["narrow foot"], BALLS["usual"])
        self.assertAlmostEqual(narrow.beside[0], (340 + 60 * 15 / 70 - 330) / 2)

    def test_a_rim_that_stands_inward_must_let_the_ball_pass(self):
        self.assertFalse(fit(POTS["lip"], BALLS["usual"]).passes_rim)
        self.assertIn("rim", fit(POTS["lip"], BALLS["usual"]).said)
        self.assertTrue(fit(POTS["lip"], BALLS["small"]).passes_rim)

    def test_planted_aslant_a_ball_is_deeper(self):
        # 40 cos 10° + 180 sin 10° = 70.6.
        tilted = BALLS["small"].tilted(10)
        self.assertAlmostEqual(tilted.depth, 70.65, 1)
        # 20.65 of 70.65 mm would have to come off for the 50 there are: more than a quarter.
        found = fit(POTS["tray"], BALLS["small"], angle_deg=10)
        self.assertAlmostEqual(found.off[2], 20.65, 1)
        self.assertEqual(found.verdict, "small")

    def test_soil_by_hand_and_never_none_under_a_ball_too_large(self):
        tray, usual = POTS["tray"], BALLS["usual"]
        # 400 * 280 * 60 - 330 * 220 * 45 = 6.72 - 3.267 l, and 12 % for settling.
        self.assertAlmostEqual(soil_litres(tray, usual), (6.72 - 3.267) * 1.12, 9)
        # Combed to 380 * 260 * 50: 1.78 l are left for soil, where none was told before.
        self.assertAlmostEqual(ball_litres(tray, Ball(900, 900, 900)), 4.94, 9)
        self.assertAlmostEqual(soil_litres(tray, Ball(900, 900, 900)), 1.78 * 1.12, 9)
        self.assertEqual(fill_mm(POTS["slab"]), 70)

    def test_weights_and_who_lifts(self):
        found = fit(POTS["tray"], BALLS["usual"], pot_kg=4.0)
        self.assertAlmostEqual(found.kg_dry, 4.0 + 3.453 * 0.8 + 3.267 * 0.9, 3)
        self.assertAlmostEqual(found.kg_wet, 4.0 + 3.453 * 1.25 + 3.267 * 1.4, 3)
        self.assertFalse(found.heavy)
        self.assertTrue(fit(POTS["basket"], BALLS["usual"], pot_kg=3.0).heavy)
        self.assertIsNone(fit(POTS["tray"], BALLS["usual"]).kg_wet)

    def test_the_trunk_moves_towards_its_short_roots(self):
        # 120 mm to the right, 80 to the left, 60 to the back, 60 to the front.
        tips = [(120, 0), (-80, 10), (0, 60), (5, -60)]
        self.assertEqual(off_centre(tips, (50, 50)), (-20, 0))
        self.assertEqual(off_centre(tips, (8, 50)), (-8, 0))
        self.assertEqual(off_centre([], (50, 50)), (0, 0))
