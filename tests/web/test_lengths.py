"""Lengths in the reader's unit, and what is typed in inches comes back the same."""

import re
import unittest
from pathlib import Path

from sqlalchemy import select

from mirvo.core.lengths import INCHES, read_length
from mirvo.core.measure.figure import Figure
from mirvo.records.models import Target
from mirvo.studio.measuring.desk import save_marks
from mirvo.web import templating
from mirvo.web.app import create_app
from mirvo.web.lengths import (
    in_field,
    length,
    length_text,
    lengths_in,
    margin,
    read_in,
    signed_length,
    sizes_text,
)
from tests.client import TestClient
from tests.studio_case import StudioCase


class LengthsTest(unittest.TestCase):
    """Hand-worked: an inch is 25.4 mm."""

    def test_a_length_with_its_unit(self):
        self.assertEqual(length_text(42.0), "42 mm")
        self.assertEqual(length_text(42.04, 1), "42.0 mm")
        self.assertEqual(sizes_text(400, 300, 50), "400 × 300 × 50 mm")
        self.enterContext(read_in(INCHES))
        self.assertEqual(length_text(42.0), "1.65 in")
        # What looks like a year is a length all the same.
        self.assertEqual(length_text(1950.0), "76.8 in")
        self.assertEqual(sizes_text(400, 300, 50), "15.7 × 11.8 × 1.97 in")
        self.assertEqual(length(12.7), '0.50 <span class="unit">in</span>')
        self.assertEqual((length(None), length_text(None)), ("", ""))

    def test_a_margin_is_never_nothing(self):
        figure = Figure(42.0, 0.04)
        self.assertEqual(margin(figure, 1), "0.04")
        self.enterContext(read_in(INCHES))
        self.assertEqual(margin(figure, 1), "0.002")

    def test_a_difference_has_its_sign(self):
        self.assertEqual(
            [signed_length(v, 1) for v in (2.54, -2.54, 0.01)], ["+2.5", "-2.5", "0.0"]
        )
        self.enterContext(read_in(INCHES))
        self.assertEqual([signed_length(v, 1) for v in (2.54, -2.54)], ["+0.10", "-0.10"])

    def test_sentences(self):
        self.assertEqual(lengths_in("from 120 to 90 mm"), "from 120 to 90 mm")
        self.enterContext(read_in(INCHES))
        for mm, inches in [
            ("12.7 ± 1.3 mm deep", "0.50 ± 0.05 in deep"),
            ("from 120 to 90 mm", "from 4.72 to 3.54 in"),
            ("a ball 400 × 300 × 50 mm", "a ball 15.7 × 11.8 × 1.97 in"),
            (
                "1950 mm in 2027, 12 %, 12 mm², 35 mm equivalent",
                "76.8 in in 2027, 12 %, 12 mm², 35 mm equivalent",
            ),
            ("“12 mm” is no day", "“12 mm” is no day"),
            ("commented; no. 12 mmm", "commented; no. 12 mmm"),
            (f"{'9' * 400} mm", f"{'9' * 400} mm"),
        ]:
            with self.subTest(mm=mm):
                self.assertEqual(lengths_in(mm), inches)

    def test_a_field_gives_back_what_was_kept(self):
        self.enterContext(read_in(INCHES))
        for mm in (95.0, 88.9, 6.35, 1950.0):
            self.assertAlmostEqual(read_length(in_field(mm), INCHES), mm, places=1)
        self.assertEqual(in_field("3 1/2 in"), "3 1/2 in")


class TemplatesTest(unittest.TestCase):
    """No template writes a unit of length itself: the filters know which it is."""

    # No lengths of a tree: a lens, a ratio of growth to trunk, the choice of units itself.
    NO_LENGTHS = (
        "35 mm equivalent",
        "mm a year",
        "every mm",
        "about 55 mm over the mean grain in mm",
        '"mm", "in millimetres"',
        "Records are kept in millimetres",
        '== "mm"',
    )

    def test_no_millimetres_in_templates(self):
        for path in (Path(templating.__file__).parent / "templates").rglob("*.*"):
            text = path.read_text("utf-8")
            for phrase in self.NO_LENGTHS:
                text = text.replace(phrase, "")
            with self.subTest(template=path.name):
                self.assertEqual(re.findall(r".*(?<![\w.-])mm\b.*", text), [])
                self.assertNotIn("in millimetres", text)


class PagesInInchesTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.tree_row = self.tree(pot_depth_mm=95.0)
        self.client = TestClient(create_app(self.studio))
        self.client.cookies.set("mirvo-units", "inches")
        self.sent = {"name": "Ferry", "species_key": "zelkova", "version": "1", "units": "inches"}

    def send(self, **fields):
        return self.client.post(
            "/trees/1/edit", data={**self.sent, **fields}, follow_redirects=False
        )

    def test_what_is_typed_in_inches_is_kept_in_mm_and_shown_the_same(self):
        self.assertIn("3.74", self.pot_depth(self.client.get("/trees/1/edit")))
        self.assertEqual(self.send(pot_depth_mm="3 1/2").status_code, 303)
        self.assertAlmostEqual(self.load_tree(1).pot_depth_mm, 88.9)
        self.assertIn("3.5", self.pot_depth(self.client.get("/trees/1/edit")))

    def test_a_form_that_is_turned_back_keeps_what_was_typed(self):
        answer = self.send(pot_depth_mm="3.5", name="")
        self.assertEqual(answer.status_code, 422)
        self.assertIn('value="3.5 in"', self.pot_depth(answer))

    def test_pages_of_a_measured_tree_say_no_length_in_mm(self):
        photo, marks = self.photo(self.tree_row)
        save_marks(self.studio, photo.id, marks, 0)
        for place in ("", "/years", "/time", "/sessions", "/sessions/new"):
            with self.subTest(place=place):
                text = re.sub(r"<[^>]*>", " ", self.client.get(f"/trees/1{place}").text)
                self.assertEqual(re.findall(r"\d\s*mm\b", text), [])

    def test_names_are_nobodys_lengths(self):
        self.send(name="Wire 1 mm test")
        for place in ("/trees", "/trees/1", "/trees/1/edit", "/"):
            with self.subTest(place=place):
                self.assertIn("Wire 1 mm test", self.client.get(place).text)

    def test_depths_of_containers_are_typed_in_inches(self):
        self.client.post("/trees/1/target", data={"spread_ratio": "2.5", "pot_depth_mm": "60"})
        sent = {"container": ["basket", "final pot"], "depth:basket": "4", "units": "inches"}
        answer = self.client.post("/trees/1/containers", data=sent, follow_redirects=False)
        self.assertEqual(answer.status_code, 303)
        with self.studio.reading() as db:
            depths = db.scalars(select(Target.container_depths)).one()
        self.assertAlmostEqual(depths["basket"], 101.6)

    def pot_depth(self, answer):
        return next(
            tag for tag in re.findall(r"<input[^>]*>", answer.text) if "pot_depth_mm" in tag
        )


if __name__ == "__main__":
    unittest.main()
