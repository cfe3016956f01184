"""Materials of a session worked by hand."""

import unittest
from dataclasses import replace

from mirvo.core.pot import Item, Use, materials, pot_for, summed

TRAY = Use(
    "board in a wide pot", (400.0, 280.0, 80.0), (300.0, 200.0, 50.0), 42.0, 430.0,
    practice={"fixing": "tied", "wounds": "sealed"},
)  # fmt: skip


def by_name(use):
    return {item.name: item for item in materials(use)}


class MaterialsTest(unittest.TestCase):
    def test_soil_is_the_pot_less_the_ball_and_what_settles(self):
        # 400 * 280 * 80 = 8.96 l, ball 300 * 200 * 50 = 3 l, 5.96 l and 12 % = 6.68, up to 6.7
        self.assertEqual(by_name(TRAY)["soil"], Item("soil", 6.7, "l"))

    def test_a_ball_larger_than_the_pot_leaves_no_soil(self):
        full = replace(TRAY, ball=(500.0, 300.0, 80.0))
        self.assertEqual(by_name(full)["soil"].amount, 0.0)

    def test_wire_by_trunk_and_two_lengths_over_the_ball(self):
        # 2 * (400 + 2 * 80 + 160) mm = 1.44 m, up to 1.5
        self.assertEqual(by_name(TRAY)["tie wire 2 mm"].amount, 1.5)
        for trunk, gauge in ((20, "1.5"), (60, "2.5"), (200, "3")):
            self.assertIn(f"tie wire {gauge} mm", by_name(replace(TRAY, trunk_mm=trunk)))

    def test_only_what_the_practice_asks_for(self):
        free = by_name(replace(TRAY, roots_cut=2, practice={"fixing": "free", "wounds": "open"}))
        self.assertFalse([name for name in free if "wire" in name or "sealant" in name])
        sealed = by_name(replace(TRAY, roots_cut=2))
        self.assertEqual(sealed["wound sealant, cuts"].amount, 2)

    def test_board_graft_layer_and_stake(self):
        found = by_name(replace(TRAY, grafts=2, layer=True, height_mm=500.0))
        self.assertIn("board 230 mm square", found)
        self.assertEqual(found["young plant to graft in"].amount, 2)
        self.assertEqual(found["grafting nails"].amount, 4)
        self.assertEqual(found["layer wire"].amount, 0.4)
        self.assertTrue("padded stake" in found or "guy line" in found)
        self.assertNotIn("board 230 mm square", by_name(replace(TRAY, container="usual pot")))

    def test_a_pot_still_to_be_chosen(self):
        now = (320.0, 224.0, 60.0)
        self.assertEqual(pot_for("usual pot", now, 40, 30, 50, True), now)
        tray = pot_for("wide training pot", now, 50, 40, 50, False)
        self.assertEqual(tuple(round(side, 6) for side in tray), (350, 245, 60))
        self.assertEqual(pot_for("final pot", now, 40, 30, 50, False), (200, 140, 50))

    def test_the_same_things_are_added_up(self):
        lists = [[Item("soil", 1.2, "l"), Item("board", 1, "")], [Item("soil", 2.3, "l")]]
        self.assertEqual(summed(lists), [Item("board", 1, ""), Item("soil", 3.5, "l")])
