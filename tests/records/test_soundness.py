"""Databases a server must not start on, and what it says instead."""

import shutil
import sqlite3
import tempfile
import unittest
from contextlib import closing
from datetime import date, timedelta
from pathlib import Path

from mirvo.core.errors import Conflict, Damaged
from mirvo.records.database import FILE_NAME, known_revisions, open_database
from mirvo.records.lock import held
from mirvo.records.snapshots import keep_snapshot
from mirvo.records.soundness import complaint_about


class UnsoundTest(unittest.TestCase):
    def setUp(self):
        self.folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, self.folder, ignore_errors=True)
        self.path = self.folder / FILE_NAME
        open_database(self.folder).dispose()

    def test_copies_of_fourteen_days_stay_and_one_of_each_of_twelve_months(self):
        place, first = self.folder / "snapshots", date(2025, 1, 1)
        place.mkdir()
        days = [first + timedelta(days=number) for number in range(0, 690, 2)]
        for day in days:
            (place / f"mirvo-{day.isoformat()}.sqlite3").touch()
        keep_snapshot(self.folder, date(2026, 11, 27))
        left = sorted(path.stem.removeprefix("mirvo-") for path in place.iterdir())
        self.assertEqual(len(left), 12 + 14)
        self.assertEqual(left[-14:-1], [day.isoformat() for day in days[-13:]])
        months = [f"2025-{month}" for month in (11, 12)] + [f"2026-{m:02}" for m in range(1, 11)]
        self.assertEqual([day[:7] for day in left[:12]], months)
        self.assertEqual(left[11], "2026-10-25")

    def run_on(self, *statements):
        with closing(sqlite3.connect(self.path)) as kept:
            for statement in statements:
                kept.execute(statement)
            kept.commit()

    def refused(self, words):
        before = self.path.read_bytes() if self.path.exists() else None
        with self.assertRaises(Damaged) as said:
            open_database(self.folder)
        self.assertIn(words, str(said.exception))
        self.assertEqual(self.path.read_bytes() if self.path.exists() else None, before)
        return str(said.exception)

    def test_an_empty_file_is_no_new_yard(self):
        self.path.write_bytes(b"")
        self.refused("it is empty (0 bytes)")

    def test_a_damaged_one_is_refused_and_the_last_good_copy_named(self):
        keep_snapshot(self.folder, date(2026, 11, 26))
        newest = keep_snapshot(self.folder, date(2026, 11, 27))
        newest.write_bytes(b"SQLite format 3\0 and then nothing of use")
        whole = bytearray(self.path.read_bytes())
        whole[4096:] = b"\x5a" * (len(whole) - 4096)
        self.path.write_bytes(whole)
        said = self.refused("damaged")
        self.assertIn("mirvo-2026-11-26.sqlite3", said)

    def test_foreign_and_newer_ones(self):
        self.run_on("UPDATE alembic_version SET version_num = '9999'")
        self.refused("comes from a newer Mirvo")
        self.run_on("UPDATE alembic_version SET version_num = 'c0ffee'")
        self.refused("another program's")
        self.path.unlink()
        self.run_on("CREATE TABLE songs (name TEXT)")
        self.refused("another program's")
        self.path.write_text("Dear diary")
        self.refused("it is no database")

    def test_records_gone_from_beside_their_photos(self):
        kept = self.folder / "photos" / "originals" / "ab"
        kept.mkdir(parents=True)
        self.path.unlink()
        self.refused("it is missing")
        with closing(sqlite3.connect(self.path)) as bare:
            bare.execute("PRAGMA journal_mode = WAL")
        self.refused("it holds nothing")
        shutil.rmtree(self.folder / "photos")
        open_database(self.folder).dispose()

    def test_a_copy_that_is_not_sound_is_not_kept(self):
        stale = self.folder / "snapshots" / "mirvo-2026-11-27.making"
        stale.parent.mkdir()
        stale.write_bytes(b"half a copy")
        self.assertTrue(keep_snapshot(self.folder, date(2026, 11, 27)).exists())
        self.run_on("CREATE VIEW v AS SELECT 1")
        with self.assertRaises(Damaged):
            keep_snapshot(self.folder, date(2026, 11, 28))
        names = [path.name for path in stale.parent.iterdir()]
        self.assertEqual(names, ["mirvo-2026-11-27.sqlite3"])

    def test_one_mirvo_at_a_time(self):
        with held(self.folder), self.assertRaises(Conflict), held(self.folder):
            self.fail("two held it")
        with held(self.folder):
            pass

    def test_a_sound_one(self):
        self.assertIsNone(complaint_about(self.path, known_revisions(), thorough=True))


if __name__ == "__main__":
    unittest.main()
