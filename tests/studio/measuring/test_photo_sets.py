"""Photo sets: three oblique photos become one measurement, kept with its lead."""

from copy import deepcopy

from sqlalchemy import select

from mirvo.records.models import Measurement
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.measuring.photo_sets import NO_TRUNK, letters_elsewhere, members_of_set, shoot_set
from mirvo.studio.photos.simulated import truth_of
from tests.studio_case import StudioCase


class SetTest(StudioCase):
    def prepare(self):
        shoot_set(self.studio, self.tree().id)

    def setUp(self):
        super().setUp()
        self.here = self.load_tree(1)
        self.photos = [self.load_photo(1 + i) for i in range(3)]
        self.known = [truth_of(self.studio, photo) for photo in self.photos]

    def mark(self, index, **parts):
        """Every third root in one photo, more as given."""
        state = self.open_desk(self.photos[index].id)
        roots = deepcopy(self.known[index]["marks"]["roots"])[index::3]
        marks = {**state.marks.as_json(), "roots": roots, **parts}
        return save_marks(self.studio, self.photos[index].id, marks, state.revision)

    def kept(self):
        with self.studio.reading() as db:
            rows = db.scalars(select(Measurement).order_by(Measurement.photo_id))
            return [row.top for row in rows]

    def part(self, index, name):
        return self.known[index]["marks"][name]

    def test_one_plan_grows_photo_by_photo(self):
        state = self.mark(0, front=self.part(0, "front"))
        self.assertEqual(state.found.missing, NO_TRUNK)
        state = self.mark(1, trunk=self.part(1, "trunk"))
        self.assertIsNone(state.found.problem)
        state = self.mark(2, flare=self.part(2, "flare"))
        figures = self.known[0]["figures"]
        self.assertEqual(len(state.found.top.roots), len(figures["roots"]))
        found = state.found.top.trunk_diameter_mm.value
        self.assertAlmostEqual(found / figures["trunk_diameter_mm"], 1, delta=0.006)
        flare = state.found.top.spread.flare.mean_mm.value
        self.assertAlmostEqual(flare / figures["flare_mean_mm"], 1, delta=0.01)
        first, lead, last, _ = self.kept()
        self.assertIsNone(first)
        self.assertIsNone(last)
        self.assertEqual(lead, self.sheet_of(self.here.id).base.record)
        self.assertEqual(len(lead.roots), len(figures["roots"]))

    def test_the_underside_adds_the_root_that_soil_hides(self):
        self.mark(0, roots=self.part(0, "roots"), trunk=self.part(0, "trunk"))
        below = self.load_photo(4)
        known, state = truth_of(self.studio, below), self.open_desk(below.id)
        self.assertTrue(state.marks.underside)
        *others, hidden = known["marks"]["roots"]
        alone = save_marks(
            self.studio, below.id, {**state.marks.as_json(), "roots": [hidden]}, state.revision
        )
        self.assertIn("mark two points", alone.found.problem.message)
        marks = {**state.marks.as_json(), "roots": [*others[:2], hidden]}
        figures = save_marks(self.studio, below.id, marks, state.revision + 1).found.top
        found = {root.label: root for root in figures.roots}
        self.assertEqual(len(found), len(others) + 1)
        azimuths = {
            label: (-root["azimuth_deg"]) % 360
            for label, root in zip("ABCDEFGHIJ", known["base"]["roots"], strict=False)
        }
        for label, root in found.items():
            turned = root.azimuth_deg.value - found["A"].azimuth_deg.value
            off = turned - (azimuths[label] - azimuths["A"])
            self.assertLess(abs((off + 180) % 360 - 180), 2.5, label)
        width = found[hidden["label"]].width_mm
        self.assertAlmostEqual(width, known["base"]["roots"][-1]["width_mm"], delta=1.0)

    def test_letters_of_the_other_photos_are_known(self):
        self.mark(0)
        self.mark(1, trunk=self.part(1, "trunk"))
        labels = {root["label"] for i in (0, 1) for root in self.part(i, "roots")[i::3]}
        last = self.photos[2]
        told = self.read(members_of_set, self.here.id, last.taken_on)
        self.assertEqual([one.trunk for one in told], [False, True, False, False])
        self.assertEqual([one.underside for one in told], [False, False, False, True])
        self.assertEqual(set(letters_elsewhere(told, last)), labels)

    def test_a_photo_that_leaves_the_set_stands_for_itself(self):
        self.mark(0, front=self.part(0, "front"))
        self.mark(1, trunk=self.part(1, "trunk"))
        state = self.open_desk(self.photos[0].id)
        alone = {**state.marks.as_json(), "trunk": self.part(0, "trunk")}
        del alone["set"]
        save_marks(self.studio, self.photos[0].id, alone, state.revision)
        first, lead, *_ = self.kept()
        self.assertEqual(len(first.roots), len(alone["roots"]))
        self.assertEqual(len(lead.roots), len(self.part(1, "roots")[1::3]))

    def test_wrong_marks_in_one_photo_are_said_there_and_kept(self):
        self.mark(1, trunk=self.part(1, "trunk"))
        roots = [{"label": "Z", "path": [[10.0, 10.0], [10.5, 10.0]]}]
        state = self.mark(0, roots=roots)
        self.assertIn("lie on each other", state.found.problem.message)
        self.assertEqual(self.open_desk(self.photos[0].id).marks.as_json()["roots"], roots)
