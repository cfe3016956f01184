"""The demo and one's own yard share an address; nothing of one may show in the other."""

import re

from mirvo.studio.ground.context import Studio
from mirvo.studio.measuring.desk import save_marks
from mirvo.web.app import create_app
from tests.client import TestClient
from tests.studio_case import StudioCase


class TwoStudiosTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.client = TestClient(create_app(self.studio))
        self.row, marks = self.photo(self.tree())
        save_marks(self.studio, self.row.id, marks, 0)

    def test_a_studio_keeps_its_key_and_no_other_has_it(self):
        again, other = Studio(self.studio.folder), Studio(self.studio.folder / "other")
        for studio in (again, other):
            self.addCleanup(studio.close)
        self.assertEqual(again.key, self.studio.key)
        self.assertNotEqual(other.key, self.studio.key)
        self.assertIn(f'data-studio="{self.studio.key}"', self.client.get("/kit").text)

    def test_pictures_are_kept_only_under_an_address_that_says_what_they_are(self):
        page = self.client.get("/trees/1/photos").text
        [address] = set(re.findall(r"/photos/1/thumb\.jpg[^\"]*", page))
        self.assertIn(self.row.digest[:12], address)
        self.assertIn("immutable", self.client.get(address).headers["cache-control"])
        for bare in ("/photos/1/thumb.jpg", "/photos/1/thumb.jpg?v=0123456789ab"):
            self.assertIn("no-cache", self.client.get(bare).headers["cache-control"])
        [flat] = set(re.findall(r"/measurements/1/base\.jpg[^\"]*", self.client.get("/trees").text))
        self.assertIn("immutable", self.client.get(flat).headers["cache-control"])
        bare = self.client.get("/measurements/1/base.jpg")
        self.assertIn("no-cache", bare.headers["cache-control"])
