"""Jumping to trees and places by a few letters; the backup through its page."""

import io
import unittest
import zipfile

from mirvo.web.app import create_app
from mirvo.web.places import MAX_FOUND, KnownTree, find, known_places
from tests.client import TestClient
from tests.studio_case import StudioCase
from tests.web.test_pages import tags, words

TREES = [
    KnownTree(1, "Quarry hawthorn", "Common hawthorn"),
    KnownTree(2, "Harbour zelkova", "Zelkova Zelkova serrata"),
    KnownTree(3, "Häher larch", "Japanese larch"),
]


def names(letters):
    return [one.name for one in find(letters, known_places(), TREES)]


class FindTest(unittest.TestCase):
    def test_beginnings_of_words_in_any_order(self):
        self.assertEqual(names("harb")[0], "Harbour zelkova")
        self.assertEqual(names("zel harb")[0], "Harbour zelkova")
        self.assertEqual(names("serrata")[0], "Harbour zelkova")
        self.assertEqual(names("jap")[0], "Häher larch")
        self.assertEqual(names("haher")[0], "Häher larch")

    def test_a_part_of_a_tree(self):
        self.assertEqual(names("qua pa"), ["Quarry hawthorn · Path"])
        self.assertEqual(names("haw com")[0], "Quarry hawthorn")
        self.assertEqual(names("years"), [f"{tree.name} · Years" for tree in TREES])

    def test_one_tree_meant_lists_its_parts_several_do_not(self):
        self.assertEqual(len(names("quarry")), 9)
        self.assertEqual(names("ha"), [tree.name for tree in TREES])

    def test_places(self):
        self.assertEqual(names("kit"), ["Kit"])
        self.assertEqual(names("backup"), ["Backup"])

    def test_nothing_and_far_too_much(self):
        for letters in ("", "  ", "?!", "xyz", "rry"):
            self.assertEqual(names(letters), [])
        many = [KnownTree(n, f"Larch {n}", "Larch") for n in range(99)]
        self.assertEqual(len(find("larch", [], many)), MAX_FOUND)


class FindPagesTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.client = TestClient(create_app(self.studio))
        self.tree()

    def test_letters_sent_off_lead_to_the_first_found(self):
        answer = self.client.get("/find?q=fer+pa")
        self.assertEqual(answer.url.path, "/trees/1/path")
        none = self.client.get("/find?q=<b>zzz")
        self.assertEqual(none.status_code, 404)
        self.assertIn("&lt;b&gt;zzz", none.text)

    def test_while_typing_a_list_comes(self):
        answer = self.client.get("/find?q=fer", headers={"HX-Request": "true"})
        self.assertIn("/trees/1/years", [tag["href"] for tag in tags(answer, "a")])
        self.assertNotIn("<html", answer.text)

    def test_a_backup_is_taken_from_the_kit_and_then_told_of(self):
        self.assertIn("No backup was made yet", self.client.get("/kit").text)
        answer = self.client.post("/kit/backup.zip")
        self.assertEqual(answer.headers["content-type"], "application/zip")
        self.assertIn("mirvo-2026-11-23.zip", answer.headers["content-disposition"])
        with zipfile.ZipFile(io.BytesIO(answer.content)) as packed:
            self.assertIsNone(packed.testzip())
        self.assertIn("Last backup on 23 November 2026", words(self.client.get("/kit")))
