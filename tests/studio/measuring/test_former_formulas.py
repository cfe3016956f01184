"""Kept measurements are worked out anew when a formula changes, their marks as they are."""

from sqlalchemy import select

from mirvo.core.measure.figure import Figure
from mirvo.core.measure.records import FIGURES_VERSION
from mirvo.records.models import Measurement
from mirvo.studio.measuring.desk import measure_anew, measured_by_former_formulas, save_marks
from mirvo.web.app import create_app
from tests.studio_case import StudioCase


class FormerFormulasTest(StudioCase):
    def setUp(self):
        super().setUp()
        photo, marks = self.photo(self.tree())
        save_marks(self.studio, photo.id, marks, 0)
        self.trunk_mm = self.row().top.trunk_diameter_mm.value
        self.make_former(diameter_mm=11.0)

    def row(self):
        with self.studio.reading() as db:
            return db.scalar(select(Measurement))

    def make_former(self, diameter_mm, **changes):
        with self.studio.writing() as db:
            row = db.scalar(select(Measurement))
            trunk = Figure(diameter_mm, 1.0)
            row.top = row.top.model_copy(update={"trunk_diameter_mm": trunk})
            row.figures_version = 1
            for name, value in changes.items():
                setattr(row, name, value)

    def test_figures_are_made_of_the_marks_again(self):
        before = self.row()
        self.assertEqual(self.read(measured_by_former_formulas), [before.id])
        measure_anew(self.studio, before.id)
        after = self.row()
        self.assertEqual(after.top.trunk_diameter_mm.value, self.trunk_mm)
        self.assertEqual((after.revision, after.marks), (before.revision, before.marks))
        self.assertEqual(after.figures_version, FIGURES_VERSION)
        self.assertEqual(self.read(measured_by_former_formulas), [])

    def test_figures_that_cannot_be_worked_out_any_more_stay(self):
        bare = self.row().top_marks.model_copy(update={"calibration": None})
        self.make_former(11.0, marks=bare)
        measure_anew(self.studio, self.row().id)
        self.assertEqual(self.row().top.trunk_diameter_mm.value, 11.0)
        self.assertEqual(self.read(measured_by_former_formulas), [])
        # One that was deleted meanwhile is nothing to complain of.
        measure_anew(self.studio, 999)

    def test_a_server_that_starts_works_all_of_them_out(self):
        create_app(self.studio)
        self.studio.settle(wholly=True)
        self.assertEqual(self.row().top.trunk_diameter_mm.value, self.trunk_mm)
