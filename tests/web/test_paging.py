"""Long lists a page at a time."""

import unittest

from mirvo.web.app import create_app
from mirvo.web.paging import page_of
from tests.client import TestClient
from tests.studio_case import StudioCase


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


class TreesTest(StudioCase):
    def test_trees_stand_on_pages_and_few_are_sent_while_letters_are_typed(self):
        for number in range(30):
            self.tree(name=f"Elm {number:02}")
        client = TestClient(create_app(self.studio))
        first, second = (client.get(f"/trees?order=name&page={page}").text for page in (1, 2))
        self.assertIn("1 to 24 of", " ".join(first.split()))
        self.assertIn("page=2", first)
        self.assertIn("Elm 29", second)
        self.assertNotIn("Elm 05", second)
        typed = client.get("/trees?order=name&q=elm", headers={"HX-Request": "true"}).text
        self.assertIn("the first 8 of 30", " ".join(typed.split()))
        self.assertIn("Show all", typed)
        self.assertNotIn("Elm 08", typed)
        every = client.get("/trees?order=name&form=ledger").text
        self.assertIn("Elm 29", every)
