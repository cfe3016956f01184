"""Checkup: records and files compared, and what lies about named and cleared."""

import os
import time

from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.yard.checkup import check_folder, clear_away
from tests.studio_case import StudioCase


class CheckupTest(StudioCase):
    def setUp(self):
        super().setUp()
        tree = self.tree()
        photo, marks = self.photo(tree)
        save_marks(self.studio, photo.id, marks, 0)
        self.path = self.studio.photos.original(photo.digest)

    def test_values_nobody_can_read_are_named(self):
        with self.studio.engine.execution_options(writes=True).begin() as connection:
            connection.exec_driver_sql("UPDATE trees SET acquired_on = '2026-02-30'")
        found = check_folder(self.studio)
        self.assertTrue(found.lost)
        [words] = found.unreadable
        self.assertEqual(words, "trees, row 1, acquired on: “2026-02-30”")
        self.assertNotIn("Records and files agree.", list(found.sentences()))

    def left(self, path, minutes=120):
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(b"left")
        then = time.time() - 60 * minutes
        os.utime(path, (then, then))
        return path

    def test_what_agrees(self):
        found = check_folder(self.studio)
        self.assertEqual((found.photos, found.lost, found.to_clear), (1, False, ()))
        self.assertIn("Records and files agree.", list(found.sentences()))

    def test_what_is_gone_or_changed_is_named_by_its_tree(self):
        name = self.read(lambda db: self.path.name)
        self.path.write_bytes(self.path.read_bytes() + b"x")
        [words] = check_folder(self.studio).damaged
        self.assertIn("Ferry zelkova", words)
        self.path.unlink()
        found = check_folder(self.studio)
        self.assertEqual((found.missing, found.damaged), ((words,), ()))
        self.assertNotIn(name, " ".join(found.sentences()))

    def test_orphans_and_left_overs_are_cleared_and_nothing_else(self):
        photos = self.studio.folder / "photos" / "originals"
        orphan = self.left(photos / "ab" / ("ab" + "0" * 62))
        half = self.left(photos / "cd" / "tmpq1w2e3")
        making = self.left(self.studio.folder / "snapshots" / "mirvo-2026-01-01.making")
        tried = self.left(self.studio.folder / "trial.a1b2.making" / "mirvo.sqlite3")
        truth = self.left(self.studio.standins / ("0" * 64 + ".json"))
        young = self.left(photos / "ef" / ("ef" + "0" * 62), minutes=5)
        own = self.left(self.studio.folder / "notes.txt")
        found = check_folder(self.studio)
        self.assertEqual(set(found.orphans), {orphan, truth})
        self.assertEqual(set(found.left_overs), {half, making, tried})
        self.assertEqual(clear_away(found), 20)
        for path in (orphan, half, making, tried, truth):
            self.assertFalse(path.exists())
        for path in (young, own, self.path):
            self.assertTrue(path.exists())
        self.assertFalse(check_folder(self.studio).to_clear)
