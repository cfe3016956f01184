"""Lengths as people type them."""

import unittest

from mirvo.core.errors import BadInput
from mirvo.core.lengths import INCHES, read_length
from mirvo.core.rootwork.bench import fields_for


class ReadLengthTest(unittest.TestCase):
    def test_a_bare_number_is_in_the_units_of_the_page(self):
        self.assertEqual(read_length("52"), 52)
        self.assertEqual(read_length("2", INCHES), 50.8)

    def test_a_named_unit_holds_on_any_page(self):
        for text, mm in [
            ("52 mm", 52),
            ("5,2 cm", 52),
            ("0.052m", 52),
            ("2.5 in", 63.5),
            ('2 1/2"', 63.5),
            ("2-1/2 inches", 63.5),
            ("1/4″", 6.35),
            ("−3 mm", -3),
            ("2 feet", 609.6),
        ]:
            for bare in ("mm", INCHES):
                with self.subTest(text=text, bare=bare):
                    self.assertAlmostEqual(read_length(text, bare), mm)

    def test_what_could_be_two_lengths_is_none(self):
        for text in ("", "in", "abc", "21/2", "3/0", "2 hands", "1e3", "1.2.3", "٣", "9" * 4400):
            with self.subTest(text=text[:20]):
                self.assertIsNone(read_length(text))

    def test_at_the_bench_too(self):
        slice_field = next(field for field in fields_for("routine").values() if field.is_length)
        self.assertAlmostEqual(slice_field.check("1 in"), 25.4)
        with self.assertRaises(BadInput):
            slice_field.check("a thumb")


if __name__ == "__main__":
    unittest.main()
