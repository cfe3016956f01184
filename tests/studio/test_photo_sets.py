"""Photo sets: three oblique photos become one measurement, kept with its lead."""

from copy import deepcopy

from sqlalchemy import select

from mirvo.records.database import reading
from mirvo.records.models import Measurement
from mirvo.studio.desk import open_desk, save_marks
from mirvo.studio.photo_sets import NO_TRUNK, letters_elsewhere, photos_of_set, shoot_set
from mirvo.studio.photos import get_photo, truth_of
from mirvo.studio.sheet import sheet_of
from mirvo.studio.trees import get_tree
from tests.studio_case import StudioCase


class SetTest(StudioCase):
    def prepare(self):
        shoot_set(self.studio, self.tree().id)

    def setUp(self):
        super().setUp()
        self.here = get_tree(self.studio, 1)
        self.photos = [get_photo(self.studio, 1 + i) for i in range(3)]
        self.known = [truth_of(self.studio, photo) for photo in self.photos]

    def mark(self, index, **parts):
        """Every third root in one photo, more as given."""
        state = open_desk(self.studio, self.photos[index].id)
        roots = deepcopy(self.known[index]["marks"]["roots"])[index::3]
        marks = {**state.marks, "roots": roots, **parts}
        return save_marks(self.studio, self.photos[index].id, marks, state.revision)

    def kept(self):
        with reading(self.studio.engine) as unit:
            rows = unit.scalars(select(Measurement).order_by(Measurement.photo_id))
            return [row.figures for row in rows]

    def part(self, index, name):
        return self.known[index]["marks"][name]

    def test_one_plan_grows_photo_by_photo(self):
        state = self.mark(0, front=self.part(0, "front"))
        self.assertEqual(state.missing, NO_TRUNK)
        state = self.mark(1, trunk=self.part(1, "trunk"))
        self.assertEqual(state.problem, None)
        state = self.mark(2, flare=self.part(2, "flare"))
        figures = self.known[0]["figures"]
        self.assertEqual(len(state.figures["roots"]), len(figures["roots"]))
        found = state.figures["trunk_diameter_mm"]["value"]
        self.assertAlmostEqual(found / figures["trunk_diameter_mm"], 1, delta=0.006)
        flare = state.figures["spread"]["flare"]["mean_mm"]["value"]
        self.assertAlmostEqual(flare / figures["flare_mean_mm"], 1, delta=0.01)
        first, lead, last, _ = self.kept()
        self.assertIsNone(first)
        self.assertIsNone(last)
        self.assertEqual(lead, sheet_of(self.studio, self.here.id).measurement.figures)
        self.assertEqual(len(lead["roots"]), len(figures["roots"]))

    def test_the_underside_adds_the_root_that_soil_hides(self):
        self.mark(0, roots=self.part(0, "roots"), trunk=self.part(0, "trunk"))
        below = get_photo(self.studio, 4)
        known, state = truth_of(self.studio, below), open_desk(self.studio, below.id)
        self.assertTrue(state.marks["underside"])
        *others, hidden = known["marks"]["roots"]
        alone = save_marks(
            self.studio, below.id, {**state.marks, "roots": [hidden]}, state.revision
        )
        self.assertIn("mark two points", alone.problem["message"])
        marks = {**state.marks, "roots": [*others[:2], hidden]}
        figures = save_marks(self.studio, below.id, marks, state.revision + 1).figures
        found = {root["label"]: root for root in figures["roots"]}
        self.assertEqual(len(found), len(others) + 1)
        azimuths = {
            label: (-root["azimuth_deg"]) % 360
            for label, root in zip("ABCDEFGHIJ", known["base"]["roots"], strict=False)
        }
        for label, root in found.items():
            turned = root["azimuth_deg"]["value"] - found["A"]["azimuth_deg"]["value"]
            off = turned - (azimuths[label] - azimuths["A"])
            self.assertLess(abs((off + 180) % 360 - 180), 2.5, label)
        width = found[hidden["label"]]["base_width_mm"]["value"]
        self.assertAlmostEqual(width, known["base"]["roots"][-1]["width_mm"], delta=1.0)

    def test_letters_of_the_other_photos_are_known(self):
        self.mark(0)
        self.mark(1, trunk=self.part(1, "trunk"))
        labels = {root["label"] for i in (0, 1) for root in self.part(i, "roots")[i::3]}
        last = self.photos[2]
        told = photos_of_set(self.studio, last)
        self.assertEqual([one.trunk for one in told], [False, True, False, False])
        self.assertEqual([one.underside for one in told], [False, False, False, True])
        self.assertEqual(set(letters_elsewhere(told, last)), labels)

    def test_a_photo_that_leaves_the_set_stands_for_itself(self):
        self.mark(0, front=self.part(0, "front"))
        self.mark(1, trunk=self.part(1, "trunk"))
        state = open_desk(self.studio, self.photos[0].id)
        alone = {**state.marks, "trunk": self.part(0, "trunk")}
        del alone["set"]
        save_marks(self.studio, self.photos[0].id, alone, state.revision)
        first, lead, *_ = self.kept()
        self.assertEqual(len(first["roots"]), len(alone["roots"]))
        self.assertEqual(len(lead["roots"]), len(self.part(1, "roots")[1::3]))

    def test_wrong_marks_in_one_photo_are_said_there_and_kept(self):
        self.mark(1, trunk=self.part(1, "trunk"))
        roots = [{"label": "Z", "path": [[10.0, 10.0], [10.5, 10.0]]}]
        state = self.mark(0, roots=roots)
        self.assertIn("lie on each other", state.problem["message"])
        self.assertEqual(open_desk(self.studio, self.photos[0].id).marks["roots"], roots)
