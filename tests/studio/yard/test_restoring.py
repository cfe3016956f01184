"""A backup put back from the Kit: checked, waiting, in place from the next start on."""

import io
from datetime import timedelta

from mirvo.core.errors import BadInput
from mirvo.studio.yard.restoring import (
    put_waiting_in_place,
    stage_backup,
    waiting_backup,
)
from mirvo.web.app import create_app
from tests.client import TestClient
from tests.studio_case import TODAY, StudioCase

NOW = TODAY.replace(tzinfo=None)


class RestoringTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.photo_row, _ = self.photo(self.tree())
        self.client = TestClient(create_app(self.studio), follow_redirects=False)
        self.backup = self.client.post("/kit/backup.zip").content

    def send(self, content):
        files = {"backup": ("yard.zip", content, "application/zip")}
        return self.client.post("/kit/restore", files=files)

    def beside(self):
        return sorted(one.name for one in self.folder.iterdir())

    def test_it_waits_for_the_next_start_and_the_former_studio_is_kept(self):
        self.tree(name="Since the backup")
        self.assertEqual(self.send(self.backup).status_code, 303)
        page = self.client.get("/kit").text
        self.assertIn("waits", page)
        self.assertIn("1 tree, 1 photo", " ".join(page.split()))
        # Nothing has changed yet.
        self.assertEqual(len(self.list_trees()), 2)
        self.studio.close()
        put_waiting_in_place(self.folder / "data", TODAY + timedelta(days=1))
        self.studio = self.opened()
        self.assertEqual([row.tree.name for row in self.list_trees()], ["Ferry zelkova"])
        self.assertTrue(self.studio.photos.read(self.photo_row.digest))
        self.assertEqual(self.beside(), ["data", "data.before-2026-11-24-090000"])
        self.assertIsNone(put_waiting_in_place(self.folder / "data", TODAY))

    def test_a_backup_that_lies_beside_the_studio_stays(self):
        own = self.folder / "data.zip"
        own.write_bytes(b"the artist's own")
        self.send(self.backup)
        self.send(b"nothing")
        self.assertEqual(own.read_bytes(), b"the artist's own")

    def test_it_can_be_left(self):
        self.send(self.backup)
        self.assertEqual(self.client.post("/kit/restore/drop").status_code, 303)
        self.assertIsNone(waiting_backup(self.studio.folder))
        self.assertEqual(self.beside(), ["data"])

    def test_what_is_no_backup_is_said_beside_the_field_and_leaves_nothing(self):
        broken = bytearray(self.backup)
        broken[len(broken) // 3] ^= 0xFF
        for content in (b"", b"PK\x03\x04 no zip", b"x" * 100_000, bytes(self.backup[:-400])):
            with self.subTest(content=content[:12]):
                answer = self.send(content)
                self.assertEqual(answer.status_code, 422)
                self.assertIn('id="backup-error"', answer.text)
                self.assertNotIn(str(self.folder), answer.text)
                self.assertEqual(self.beside(), ["data"])
        answer = self.client.post("/kit/restore", data={})
        self.assertEqual(answer.status_code, 422)
        self.assertIn("Choose the file", answer.text)

    def test_one_that_waits_stays_when_the_next_is_damaged(self):
        stage_backup(self.studio.folder, io.BytesIO(self.backup), NOW)
        with self.assertRaises(BadInput):
            stage_backup(self.studio.folder, io.BytesIO(b"nothing"), NOW)
        self.assertEqual(waiting_backup(self.studio.folder).trees, 1)
