"""Pages in inches: a number and its unit change together, and what is typed comes back the same."""

import re
import unittest

from mirvo.studio.measuring.desk import save_marks
from mirvo.web.app import create_app
from mirvo.web.inches import in_inches
from tests.client import TestClient
from tests.studio_case import StudioCase


class InInchesTest(unittest.TestCase):
    def test_figures_with_their_plus_minus(self):
        for mm, inches in [
            ("<p>12.7 ± 1.3 mm</p>", "<p>0.50 ± 0.05 in</p>"),
            (
                '<span>42.0</span> <span class="unit">mm</span> <span>±0.6</span>',
                '<span>1.65</span> <span class="unit">in</span> <span>±0.02</span>',
            ),
            ("<p>from 120 to 90 mm</p>", "<p>from 4.72 to 3.54 in</p>"),
            ("<text>100 mm</text>", "<text>3.94 in</text>"),
            ('<img alt="ball 52 mm deep">', '<img alt="ball 2.05 in deep">'),
            ("<p>0.2 mm, ±0.04 mm</p>", "<p>0.01 in, ±0.002 in</p>"),
        ]:
            with self.subTest(mm=mm):
                self.assertEqual(in_inches(mm), inches)

    def test_other_figures_stay(self):
        for page in (
            "<p>in 2027, 12 %, 45°, 12 mm² and 3 l</p>",
            "<td>42</td><td>mm</td>",
            '<input data-cal="length_mm" value="100">',
            "<p>commented</p>",
            '<textarea name="note">slice 12 mm</textarea><option>tray 300 mm</option>',
            f"<p>{'9' * 400} mm</p>",
            "<p>focal length, 35 mm equivalent</p>",
        ):
            with self.subTest(page=page):
                self.assertEqual(in_inches(page), page)

    def test_fields_of_lengths_say_their_unit_to_the_page(self):
        label = 'Length <span class="unit">{}</span><input data-cal="length_mm" data-length{}>'
        said = in_inches(label.format("mm", ""))
        self.assertEqual(said, label.format("in", ' data-unit="in"'))

    def test_signs_no_one_types_break_no_page(self):
        self.assertEqual(in_inches("<p>a\ue000b 25.4 mm</p>"), "<p>ab 1.00 in</p>")

    def test_columns_follow_their_heading(self):
        page = (
            '<table><tr><th>Root</th><th>Width <span class="unit">mm</span></th></tr>'
            "<tr><td>12</td><td><b>25.4</b> ±2.5</td></tr></table>"
        )
        said = in_inches(page)
        self.assertIn("<td>12</td><td><b>1.00</b> ±0.10</td>", said)
        self.assertIn('<span class="unit">in</span>', said)


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

    def pot_depth(self, answer):
        return next(
            tag for tag in re.findall(r"<input[^>]*>", answer.text) if "pot_depth_mm" in tag
        )


if __name__ == "__main__":
    unittest.main()
