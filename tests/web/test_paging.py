"""Long lists a page at a time."""

import unittest

from mirvo.web.paging import page_of


class PagingTest(unittest.TestCase):
    def test_every_line_stands_on_one_page(self):
        for count in (0, 1, 39, 40, 41, 120):
            lines = list(range(count))
            first = page_of(lines, "", 40)
            pages = [page_of(lines, str(number), 40) for number in range(1, first.pages + 1)]
            self.assertEqual([line for page in pages for line in page.lines], lines)
            self.assertEqual(pages[-1].last, count)
            self.assertEqual(pages[-1].found, count)

    def test_what_is_no_page_is_the_first(self):
        for asked in ("0", "-1", "4", "\u0662", "2x", "9" * 5000, " 2"):
            self.assertEqual(page_of(list(range(100)), asked, 40).number, 1, asked[:9])
        self.assertEqual(page_of(list(range(100)), "3", 40).first, 81)
