"""How true one's own card was printed: asked in the Kit, counted in every photo with the card."""

from sqlalchemy import select

from mirvo.core.measure.drafts import CalibrationDraft
from mirvo.core.measure.records import FIGURES_VERSION
from mirvo.records.models import Measurement
from mirvo.studio.measuring.card_print import put_card_line
from mirvo.studio.measuring.desk import measured_by_former_formulas, save_marks
from mirvo.web.app import create_app
from tests.client import TestClient
from tests.studio_case import StudioCase


class CardPrintTest(StudioCase):
    def setUp(self):
        super().setUp()
        photo, marks = self.photo(self.tree())
        save_marks(self.studio, photo.id, marks, 0)

    def calibrated_by(self, kind):
        with self.studio.writing() as db:
            row = db.scalar(select(Measurement))
            card = CalibrationDraft(kind=kind, height_above_root_plane_mm=5.0)
            row.marks = row.top_marks.model_copy(update={"calibration": card})

    def test_what_the_line_measures_is_kept_and_a_wrong_entry_is_told(self):
        client = TestClient(create_app(self.studio), follow_redirects=False)
        page = client.get("/kit").text
        self.assertIn("Measure it once", page)
        self.assertEqual(
            client.post("/kit/card", data={"card_line_mm": "97,5"}).headers["location"],
            "/kit#card-line",
        )
        self.assertEqual(self.yard().card_line_mm, 97.5)
        self.assertIn('value="97.5"', client.get("/kit").text)
        for wrong in ("abc", "970", "-3", "nan"):
            answer = client.post("/kit/card", data={"card_line_mm": wrong})
            self.assertEqual(answer.status_code, 422, wrong)
            self.assertIn("complaint", answer.text)
        self.assertEqual(self.yard().card_line_mm, 97.5)
        client.post("/kit/card", data={"card_line_mm": ""})
        self.assertIsNone(self.yard().card_line_mm)

    def test_only_what_was_measured_by_a_card_is_worked_out_anew(self):
        put_card_line(self.studio, 98.0)
        self.assertEqual(self.read(measured_by_former_formulas), [])
        self.calibrated_by("card")
        put_card_line(self.studio, 98.0)
        self.assertEqual(self.read(measured_by_former_formulas), [])
        put_card_line(self.studio, 97.0)
        [row] = self.read(measured_by_former_formulas)
        with self.studio.reading() as db:
            self.assertLess(db.get(Measurement, row).figures_version, FIGURES_VERSION)
