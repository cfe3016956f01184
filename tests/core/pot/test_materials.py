"""Materials of a session worked by hand."""

import unittest
from dataclasses import replace

from mirvo.core.almanac import species_by_key
from mirvo.core.almanac.practice import practice_of
from mirvo.core.pot import Ball, Item, Pot, Use, materials, pot_for, summed
from mirvo.core.rootwork.bench import situation_of, steps_for

TRAY = Use(
    "board in a wide pot", Pot("rectangle", 400, 280, 80), Ball(300, 200, 50), 42.0,
    height_mm=430.0,    practice={"fixing": "tied", "wounds": "sealed"},
)  # fmt: skip


def by_name(use):
    return {item.name: item for item in materials(use)}


class MaterialsTest(unittest.TestCase):
    def test_soil_is_the_pot_less_the_ball_and_what_settles(self):
        # To 10 mm under the rim 400 * 280 * 70 = 7.84 l, ball 300 * 200 * 50 = 3 l; 4.84 l and
        # 12 % = 5.42, up to 5.5.
        self.assertEqual(by_name(TRAY)["soil"], Item("soil", 5.5, "l"))

    def test_a_ball_larger_than_the_pot_is_combed_and_wants_soil_round_it(self):
        # 7.84 l less 380 * 260 * 60 = 1.912 l and 12 % = 2.14, up to 2.2.
        self.assertEqual(by_name(replace(TRAY, ball=Ball(500, 300, 80)))["soil"].amount, 2.2)

    def test_a_mesh_for_every_hole_of_a_pot_whose_holes_are_counted(self):
        self.assertEqual(by_name(TRAY)["mesh over the holes"].amount, 3)
        self.assertEqual(by_name(replace(TRAY, holes=5))["mesh over the holes"].amount, 5)
        self.assertNotIn("mesh over the holes", by_name(replace(TRAY, holes=0)))
        # 15 cm of wire for the clip of each hole, rounded up to 10 cm.
        self.assertEqual(by_name(TRAY)["wire for mesh clips, 1 mm"].amount, 0.5)
        self.assertEqual(by_name(TRAY)["wire for mesh clips, 1 mm"].unit, "m")

    def test_moss_for_the_plan_of_the_pot(self):
        oval = by_name(replace(TRAY, pot=Pot("oval", 400, 280, 80)))
        # pi / 4 of 11.2 dm².
        self.assertEqual(oval["moss for the top"].amount, 8.8)

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

    def test_no_list_names_what_the_session_does_not_mention_nor_the_reverse(self):
        """By a word of each: what the list calls it, and what the steps do."""
        words = {
            "mesh": "Lay mesh over the holes", "tie wire": "Thread the tie wires",
            "soft tube": "a tube over roots", "stones": "stones", "moss": "moss",
            "coarse grains": "layer of coarse grains first", "wound sealant": "Seal them",
            "soil": "soil mixed and dry",
        }  # fmt: skip
        for fixing in ("tied", "free"):
            for wounds in ("sealed", "open"):
                for drainage in ("none", "coarse"):
                    own = {"fixing": fixing, "wounds": wounds, "drainage": drainage}
                    practice = practice_of(own)
                    situation = situation_of("routine", species_by_key("zelkova"), practice)
                    said = " ".join(line for step in steps_for(situation) for line in step.lines)
                    found = by_name(replace(TRAY, roots_cut=2, practice=practice))
                    for item, phrase in words.items():
                        with self.subTest(item=item, **own):
                            listed = any(name.startswith(item) for name in found)
                            self.assertEqual(listed, phrase in said)

    def test_board_graft_layer_and_stake(self):
        found = by_name(replace(TRAY, grafts=2, layer=True, height_mm=500.0))
        self.assertIn("board 35 x 23 cm", found)
        self.assertEqual(found["young plant to graft in"].amount, 2)
        self.assertEqual(found["grafting nails"].amount, 4)
        self.assertEqual(found["layer wire"].amount, 0.4)
        self.assertTrue("padded stake" in found or "guy line" in found)
        self.assertNotIn("board 35 x 23 cm", by_name(replace(TRAY, container="usual pot")))

    def test_a_pot_still_to_be_chosen(self):
        now = Pot("rectangle", 320, 224, 60)
        self.assertEqual(pot_for("usual pot", now, 40, 30, 50, True), now)
        tray = pot_for("wide training pot", now, 50, 40, 50, False)
        sizes = (round(side, 6) for side in (tray.length, tray.width, tray.depth))
        self.assertEqual(tuple(sizes), (350, 245, 60))
        final = Pot("rectangle", 200, 140, 50)
        self.assertEqual(pot_for("final pot", now, 40, 30, 50, False), final)

    def test_the_same_things_are_added_up(self):
        lists = [[Item("soil", 1.2, "l"), Item("board", 1, "")], [Item("soil", 2.3, "l")]]
        self.assertEqual(summed(lists), [Item("board", 1, ""), Item("soil", 3.5, "l")])
