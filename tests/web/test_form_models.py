"""Forms as people fill them in."""

import unittest
from datetime import date

from mirvo.core.errors import BadInput
from mirvo.web.form_models import FormModel, day_of_request

TODAY = date(2026, 11, 28)


class DayForm(FormModel):
    day: date
    until: date | None = None
    name: str = ""


class FormModelTest(unittest.TestCase):
    def setUp(self):
        token = day_of_request.set(lambda: TODAY)
        self.addCleanup(day_of_request.reset, token)

    def test_a_form_names_the_field_and_says_how_to_write_it(self):
        form = DayForm.model_validate({"day": "12 mar 2025", "until": "", "name": "12 mar"})
        self.assertEqual((form.day, form.until, form.name), (date(2025, 3, 12), None, "12 mar"))
        with self.assertRaises(BadInput) as said:
            DayForm.model_validate({"day": "12/3/2025"})
        self.assertEqual(said.exception.field, "day")
        self.assertIn("12 mar 2026", said.exception.message)
