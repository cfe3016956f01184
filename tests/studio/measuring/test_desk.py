"""Marks as the desk keeps them, and the figures they give."""

from mirvo.core.errors import BadInput, Conflict
from mirvo.studio.ground.settings import YardFields, save_yard
from mirvo.studio.measuring.desk import save_marks
from tests.studio_case import StudioCase


class DeskTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.photo_row, self.marks = self.photo(self.tree())

    def save(self, revision=0, **changes):
        return save_marks(self.studio, self.photo_row.id, self.marks | changes, revision)

    def test_marks_give_figures_and_are_there_again(self):
        state = self.save()
        self.assertIsNone(state.found.problem)
        self.assertEqual(len(state.found.top.roots), len(self.marks["roots"]))
        again = self.open_desk(self.photo_row.id)
        self.assertEqual((again.marks.as_json(), again.revision), (self.marks, 1))
        self.assertEqual(again.found.top, state.found.top)

    def test_a_mark_in_hand_is_kept_and_does_not_hinder_the_figures(self):
        state = self.save(draft={"tool": "root", "points": [[10.0, 10.0]]})
        self.assertIsNone(state.found.problem)
        self.assertIsNotNone(state.found.top)
        self.assertIsNotNone(self.open_desk(self.photo_row.id).marks.draft)

    def test_a_yard_of_careless_clicks_has_wider_error_bars(self):
        careful = self.save().found.top.trunk_diameter_mm.plus_minus
        save_yard(self.studio, YardFields(click_sd_px=8))
        careless = self.save(1).found.top.trunk_diameter_mm.plus_minus
        self.assertGreater(careless, 1.5 * careful)

    def test_incomplete_marks_are_kept_and_the_next_step_is_said(self):
        self.assertIn("Calibrate", self.save(calibration=None).found.missing)
        self.assertIn("outline", self.save(1, trunk=None).found.missing)
        self.assertIn("each root", self.save(2, roots=[]).found.missing)

    def test_faulty_marks_are_kept_and_the_fault_is_said(self):
        for change, field in (
            ({"trunk": {"outline": [[0, 0], [99, 99], [99, 0], [0, 99]]}}, "trunk.outline"),
            (
                {"front": [5000.0, 10.0], "trunk": {"outline": [[1, 1], [9999, 5], [50, 50]]}},
                "trunk",
            ),
        ):
            revision = self.open_desk(self.photo_row.id).revision
            state = self.save(revision, **change)
            self.assertTrue(state.found.problem.field.startswith(field))
            kept = self.open_desk(self.photo_row.id)
            self.assertEqual(kept.marks.as_json(), self.marks | change)

    def test_another_window_is_not_overwritten(self):
        self.save()
        with self.assertRaises(Conflict):
            self.save(0, front=None)
        self.assertEqual(self.open_desk(self.photo_row.id).marks.front, tuple(self.marks["front"]))

    def test_what_is_no_set_of_marks_is_refused(self):
        for junk in (None, [], {"roots": 3}, "x"):
            with self.assertRaises(BadInput):
                save_marks(self.studio, self.photo_row.id, junk, 0)
