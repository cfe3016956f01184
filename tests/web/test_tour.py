"""The tour: every stop opens, names its place and leads on to the next."""

import re

from mirvo.web.app import create_app
from mirvo.web.tour import STOPS
from tests.client import TestClient
from tests.studio_case import StudioCase


class TourTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.client = TestClient(create_app(self.studio))

    def test_it_leads_from_stop_to_stop(self):
        self.tree()
        address, seen = "/?tour=1", []
        while address:
            page = self.client.get(address)
            self.assertEqual(page.status_code, 200, address)
            title = STOPS[len(seen)][0]
            self.assertIn(f"{len(seen) + 1} of {len(STOPS)}, {title}", page.text)
            seen.append(address)
            onward = re.search(r'<a class="action" href="([^"]*tour=\d+)">Next', page.text)
            address = onward and onward[1]
        self.assertEqual(len(seen), len(STOPS))

    def test_without_a_tree_or_with_rubbish_there_is_none(self):
        self.assertNotIn("1 of 7", self.client.get("/?tour=1").text)
        self.tree()
        for rubbish in ("0", "8", "\u0661", "1x", "9" * 5000, "-1"):
            page = self.client.get("/", params={"tour": rubbish})
            self.assertEqual(page.status_code, 200)
            self.assertNotIn('class="notice tour"', page.text)
