"""Photo sets: one plan from several photos, joined by the card or by shared points."""

import unittest

import numpy as np

from mirvo.core.errors import BadInput
from mirvo.core.measure.marks import read_marks
from mirvo.core.measure.plane_map import PhotoInfo
from mirvo.core.measure.report import top_contract
from mirvo.core.measure.top import measure_top
from mirvo.core.measure.top_set import MarkedPhoto, measure_top_set, read_top_set
from mirvo.standins.base import random_base
from mirvo.standins.camera import Camera
from mirvo.standins.card import CardPlace
from mirvo.standins.photo import card_seen, true_marks
from mirvo.standins.scene import Layout
from mirvo.standins.truth import true_figures
from tests.marks import ring, top_marks

BASE = random_base(31)
FIGURES = true_figures(BASE)
CARD = CardPlace(0.0, -190.0, 8.0, 14.0)
NAILS = np.array([[70.0, -90.0], [-80.0, -95.0], [10.0, 100.0]])


def photo(index, toward, card=CARD, **changes):
    """One oblique photo that shows every third root; only the second shows the trunk."""
    camera = Camera(
        4032, 3024, 600, 38, toward, aim_mm=(0, -70), focal_35mm=26, roll_deg=12 * index
    )
    marks = true_marks(BASE, camera, Layout(card=card))
    marks["roots"] = [root for i, root in enumerate(marks["roots"]) if i % 3 == index]
    if index != 1:
        del marks["trunk"], marks["flare"]
    if index != 0:
        del marks["front"]
    marks.update(changes)
    nails = camera.project(NAILS, 0.0)
    if marks.pop("nails", False):
        marks["points"] = {f"nail {i}": nail.tolist() for i, nail in enumerate(nails)}
    read = read_marks(marks, (4032, 3024), in_set=True)
    return MarkedPhoto(f"{index}.jpg", read, PhotoInfo(4032, 3024, 26), card_seen(card, camera))


class SetTest(unittest.TestCase):
    # Aslant by 38°: these flanks lie on the plane, and people's are taken to stand above it.
    def check(self, found, within_deg=1.3):
        self.assertEqual(len(found.roots), len(BASE.roots))
        trunk = found.trunk_diameter_mm.value
        self.assertAlmostEqual(trunk, FIGURES["trunk_diameter_mm"], delta=0.3)
        for root in found.roots:
            known = FIGURES["roots"][ord(root.label) - ord("A")]
            away = (root.azimuth_deg.value - known["azimuth_deg"] + 180) % 360 - 180
            self.assertLess(abs(away), within_deg)
            # Their tips keep their height; people's are taken to dive, and the ± allows for both.
            off = abs(root.reach_mm.value - known["reach_mm"])
            self.assertLessEqual(off, root.reach_mm.plus_minus)

    def test_the_card_left_in_place_joins_all(self):
        photos = [photo(i, toward) for i, toward in enumerate((20, 140, 260))]
        found = measure_top_set(photos)
        self.check(found)
        files = {root["label"]: root["photo"] for root in top_contract(found)["roots"]}
        self.assertEqual((files["A"], files["B"], files["C"]), ("0.jpg", "1.jpg", "2.jpg"))

    def test_a_moved_card_is_made_good_by_shared_points(self):
        moved = CardPlace(30.0, -160.0, -60.0, 14.0)
        photos = [
            photo(i, toward, card, nails=True)
            for i, (toward, card) in enumerate(((20, CARD), (140, moved), (260, CARD)))
        ]
        self.check(measure_top_set(photos))

    def test_a_moved_card_without_points_is_noticed_by_roots_marked_twice(self):
        moved = CardPlace(30.0, -160.0, -60.0, 14.0)
        camera = Camera(4032, 3024, 600, 38, 20, aim_mm=(0, -70), focal_35mm=26)
        roots = true_marks(BASE, camera, Layout(card=CARD))["roots"]
        first = photo(0, 20, roots=roots)
        second = photo(1, 140, moved)
        found = measure_top_set([first, second])
        self.assertEqual(len(roots), len(found.roots))
        self.assertTrue(any("moved" in said for said in found.calibration.warnings))

    def test_photos_that_share_nothing_are_refused(self):
        ruler = {"kind": "segment", "a": [100.0, 100.0], "b": [900.0, 100.0], "length_mm": 150}
        with self.assertRaises(BadInput) as said:
            measure_top_set([photo(1, 140), photo(0, 20, calibration=ruler)])
        self.assertEqual(said.exception.field, "photos.1")
        self.assertIn("mark two points", said.exception.message)

    def test_some_photo_must_show_the_trunk(self):
        with self.assertRaises(BadInput) as said:
            measure_top_set([photo(0, 20)])
        self.assertIn("trunk", said.exception.message)

    def test_the_underside_is_mirrored_into_the_plan(self):
        above = photo(1, 140, nails=True)
        spots = NAILS * [-1.0, 1.0]
        below = Camera(4032, 3024, 600, 5, 20, focal_35mm=26)
        seen = below.project(np.concatenate([spots, [[-40.0, 20.0], [-60.0, 30.0]]]), 0.0)
        marks = {
            "view": "top",
            "calibration": {"kind": "card"},
            "roots": [{"label": "Z", "path": seen[3:].tolist()}],
            "points": {f"nail {i}": seen[i].tolist() for i in range(3)},
        }
        card = CardPlace(0.0, -190.0, 8.0, 0.0)
        read = read_marks(marks, (4032, 3024), in_set=True)
        under = MarkedPhoto("u.jpg", read, PhotoInfo(4032, 3024, 26), card_seen(card, below), True)
        found = measure_top_set([above, under])
        root = next(root for root in found.roots if root.label == "Z")
        known = next(root for root in found.roots if root.label == "B").azimuth_deg.value
        turned = known - FIGURES["roots"][1]["azimuth_deg"]
        away = root.azimuth_deg.value - turned - np.degrees(np.arctan2(40, 20))
        self.assertLess(abs((away + 180) % 360 - 180), 1.5)

    def test_the_list_itself(self):
        for bad in ({}, {"view": "top-set", "photos": []}, {"view": "top", "photos": []}):
            with self.assertRaises(BadInput):
                read_top_set(bad)
        twice = [{"file": "a.jpg", "marks": {}}] * 2
        with self.assertRaises(BadInput) as said:
            read_top_set({"view": "top-set", "photos": twice})
        self.assertIn("listed twice", said.exception.message)


class SeveralTrunksTest(unittest.TestCase):
    def test_areas_add_and_each_is_told(self):
        left, right = ({"outline": ring(x, 500, 50, 100)} for x in (350, 650))
        marks = top_marks(trunks=[left, right])
        del marks["trunk"]
        out = top_contract(measure_top(read_marks(marks), PhotoInfo(1000, 1000, 48)))
        one = 2 * np.sqrt(12.5 * 25)
        self.assertAlmostEqual(out["trunk_diameter_mm"]["value"], one * np.sqrt(2), 1)
        self.assertEqual(len(out["trunks"]), 2)
        self.assertAlmostEqual(out["trunks"][0]["diameter_mm"]["value"], one, 1)

    def test_trunk_and_trunks_together_are_refused(self):
        marks = top_marks()
        with self.assertRaises(BadInput) as said:
            read_marks({**marks, "trunks": [marks["trunk"]]})
        self.assertEqual(said.exception.field, "trunks")

    def test_none_is_missing(self):
        marks = top_marks()
        del marks["trunk"]
        with self.assertRaises(BadInput) as said:
            read_marks(marks)
        self.assertEqual((said.exception.field, said.exception.message), ("trunk", "is missing"))
