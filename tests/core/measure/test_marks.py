"""Marks that cannot be used are refused with the place and a sentence."""

import unittest

from mirvo.core.errors import BadInput
from mirvo.core.measure.drafts import finished_part, read_draft
from mirvo.core.measure.marks import read_marks
from mirvo.core.measure.plane_map import PhotoInfo
from mirvo.core.measure.top import measure_top
from tests.marks import top_marks

SIZE = (1000, 1000)
SQUARE = [[100.0, 100.0], [300.0, 100.0], [300.0, 250.0], [100.0, 250.0]]


def rectangle(corners):
    return {"kind": "rectangle", "corners": corners, "length_mm": 200, "width_mm": 150}


def root(**changes):
    return top_marks()["roots"][0] | changes


BAD = [
    (
        "roots.0.base_width",
        {"roots": [root(base_width=[[500.0, 380.0], [503.0, 330.0]])]},
        "lie along it",
    ),
    (
        "roots.0.base_width",
        {
            "roots": [
                root(
                    base_width=[[490.0, 210.0], [512.0, 210.0]],
                    end_width=[[478.0, 390.0], [522.0, 390.0]],
                )
            ]
        },
        "exchange the two widths",
    ),
    (
        "roots.0.base_width",
        {"roots": [root(base_width=[[5.0, 400.0], [995.0, 400.0]])]},
        "times the trunk",
    ),
    ("roots.0.path", {"roots": [root(path=root()["path"][::-1], base_width=None)]}, "outward"),
    (
        "calibration",
        {"calibration": {"kind": "segment", "a": [5, 5], "b": [5, 5], "length_mm": 9}},
        "lie on each other",
    ),
    ("calibration", {"calibration": {"kind": "rope"}}, "unknown kind"),
    (
        "calibration.length_mm",
        {"calibration": {"kind": "segment", "a": [1, 1], "b": [90, 1], "length_mm": -3}},
        "more than 0",
    ),
    ("calibration.corners", {"calibration": rectangle(SQUARE[::-1])}, "mirrored"),
    (
        "calibration.corners",
        {"calibration": rectangle([SQUARE[0], SQUARE[2], SQUARE[1], SQUARE[3]])},
        "rectangle",
    ),
    (
        "calibration.corners",
        {"calibration": rectangle([SQUARE[0], SQUARE[0], *SQUARE[2:]])},
        "corners 1 and 2",
    ),
    (
        "calibration.points",
        {"calibration": {"kind": "ellipse", "points": SQUARE, "length_mm": 9, "width_mm": 9}},
        "five points",
    ),
    (
        "trunk.outline",
        {"trunk": {"outline": [[0, 0], [100, 100], [100, 0], [0, 100]]}},
        "crosses itself near (50, 50)",
    ),
    ("trunk.outline", {"trunk": {"outline": [[0, 0], [100, 100]]}}, "at least three"),
    ("trunk.outline", {"trunk": {"outline": [[0, 0], [50, 50], [100, 100]]}}, "encloses nothing"),
    (
        "trunk.outline.1",
        {"trunk": {"outline": [[10, 10], [1010, 10], [50, 50]]}},
        "outside the picture of 1000 × 1000",
    ),
    ("roots.0.path.1", {"roots": [root(path=[[500, 400], [500, -40]])]}, "outside the picture"),
    ("roots.0.path", {"roots": [root(path=[[500, 400]])]}, "at least two"),
    ("roots.0.path", {"roots": [root(path=[[500, 400], [500.4, 400.2]])]}, "lie on each other"),
    ("roots.1.label", {"roots": [root(), root()]}, "two roots are called A"),
    ("roots.0.base_width", {"roots": [root(base_width=[[5, 5], [5, 5]])]}, "are the same"),
    ("roots.0.feeders", {"roots": [root(feeders=7)]}, "at most 3"),
    ("roots.0.path.0.0", {"roots": [root(path=[["x", 1], [2, 2]])]}, "number"),
    ("trunk", {"trunk": None}, ""),
    ("surprise", {"surprise": 1}, "not a name"),
]


class MarksTest(unittest.TestCase):
    def test_each_bad_mark_is_named(self):
        for field, change, words in BAD:
            with self.subTest(field=field, words=words):
                with self.assertRaises(BadInput) as said:
                    read_marks(top_marks(**change), SIZE)
                self.assertTrue(said.exception.field.startswith(field), said.exception.field)
                self.assertIn(words, said.exception.message)

    def test_not_a_number_is_refused(self):
        with self.assertRaises(BadInput):
            read_marks(top_marks(front=[float("nan"), 1.0]), SIZE)

    def test_a_name_without_a_value_is_one_not_given(self):
        marks = top_marks()
        empty = marks | {
            "flare": None,
            "calibration": {**marks["calibration"], "width_mm": None},
            "roots": [{**root, "end_width": None} for root in marks["roots"]],
        }
        told = [finished_part(read_draft(one, "top"), 2.0) for one in (marks, empty)]
        told[0].pop("flare", None)
        for root in told[0]["roots"]:
            root.pop("end_width", None)
        self.assertEqual(told[1], told[0])

    def test_anything_but_an_object_is_refused(self):
        for data in (None, [], 3, "marks"):
            with self.assertRaises(BadInput):
                read_marks(data)

    def test_front_on_the_trunk_centre(self):
        with self.assertRaises(BadInput) as said:
            measure_top(read_marks(top_marks(front=[500.0, 500.0])), PhotoInfo(1000, 1000))
        self.assertEqual(said.exception.field, "front")
