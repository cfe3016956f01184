"""The printed card has the size and the markers the measuring expects."""

import re
import unittest

import cv2
import numpy as np

from mirvo.core.measure.calibration import card_layout
from mirvo.core.vision.card import find_card
from mirvo.formats.card import (
    FIRST_MARKER_MM,
    SHEET_MM,
    card_pdf,
    card_svg,
    check_line,
    squares,
)

PX_PER_MM = 8


class CardPrintTest(unittest.TestCase):
    def printed(self):
        """The sheet as ink lies on it."""
        sheet = np.full((int(SHEET_MM[1] * PX_PER_MM), int(SHEET_MM[0] * PX_PER_MM)), 240, np.uint8)
        for dark, (x, y, w, h) in squares():
            low, high = (round(v * PX_PER_MM) for v in (y, y + h))
            left, right = (round(v * PX_PER_MM) for v in (x, x + w))
            sheet[low:high, left:right] = 20 if dark else 240
        return sheet

    def test_the_markers_are_found_where_the_measuring_expects_them(self):
        found = find_card(cv2.GaussianBlur(self.printed(), (0, 0), 1.0))
        wanted = (card_layout() - card_layout()[0] + FIRST_MARKER_MM) * PX_PER_MM - 0.5
        self.assertLess(np.abs(found - wanted).max(), 0.3)

    def test_everything_lies_on_the_sheet(self):
        for _, (x, y, w, h) in squares():
            self.assertTrue(0 < x < x + w < SHEET_MM[0] and 0 < y < y + h < SHEET_MM[1])

    def test_the_check_line_is_100_mm(self):
        x1, _, x2, _ = check_line()[0]
        self.assertEqual(x2 - x1, 100.0)

    def test_svg_is_at_true_size(self):
        svg = card_svg()
        self.assertIn('width="210mm" height="148mm" viewBox="0 0 210 148"', svg)
        self.assertEqual(svg.count("<path"), len(squares()) + len(check_line()))

    def test_pdf_is_one_a5_page_with_the_markers_on_it(self):
        pdf = card_pdf()
        self.assertTrue(pdf.startswith(b"%PDF"))
        box = re.search(rb"/MediaBox \[ ([\d. ]+) \]", pdf).group(1).split()
        self.assertAlmostEqual(float(box[2]), 210 / 25.4 * 72, 2)
        self.assertAlmostEqual(float(box[3]), 148 / 25.4 * 72, 2)
        self.assertEqual(pdf, card_pdf())
