"""Values of a database that nobody can read: found, named, and taken out."""

import shutil
import sqlite3
import tempfile
import unittest
from contextlib import closing
from datetime import datetime
from pathlib import Path

from mirvo.records.values import rows_astray, take_out_unreadable, unreadable_values

MADE_AT = datetime(2026, 11, 23, 9, 0)
FORMER = Path(__file__).parent / "former"
TABLES = """
CREATE TABLE trees (id INTEGER PRIMARY KEY, name VARCHAR(80) NOT NULL UNIQUE, bought DATE,
    height DOUBLE, created DATETIME NOT NULL, at_home BOOLEAN);
CREATE TABLE root_sessions (id INTEGER PRIMARY KEY, done_on DATE NOT NULL,
    tree_id INTEGER NOT NULL REFERENCES trees (id) ON DELETE CASCADE,
    pot_id INTEGER REFERENCES trees (id) ON DELETE SET NULL);
INSERT INTO trees VALUES (1, 'Quay privet', '2024-02-29', 310.5, '2026-11-23 09:00:00.000000', 1);
INSERT INTO trees VALUES (2, 'Ferry elm', NULL, 1e9, '2026-11-23 09:00:00', 0);
INSERT INTO root_sessions VALUES (1, '0001-01-01', 1, 2);
INSERT INTO root_sessions VALUES (2, '9999-12-31', 2, NULL);
"""


class ValuesTest(unittest.TestCase):
    def setUp(self):
        self.kept = sqlite3.connect(":memory:")
        self.addCleanup(self.kept.close)
        self.kept.executescript(TABLES)

    def put(self, change, *values):
        self.kept.execute(change, values)

    def taken_out(self):
        told = take_out_unreadable(self.kept, MADE_AT)
        self.assertEqual(list(unreadable_values(self.kept)), [])
        self.assertEqual(list(rows_astray(self.kept)), [])
        return told

    def column(self, name, table="trees"):
        return [row for (row,) in self.kept.execute(f"SELECT {name} FROM {table} ORDER BY id")]

    def test_what_can_be_read_is_left_as_it_is(self):
        before = list(self.kept.iterdump())
        self.assertEqual(self.taken_out(), [])
        self.assertEqual(list(self.kept.iterdump()), before)

    def test_databases_of_every_age_can_be_read(self):
        with tempfile.TemporaryDirectory() as place:
            for path in sorted(FORMER.glob("*.sqlite3")):
                copy = shutil.copy(path, place)
                with self.subTest(path.name), closing(sqlite3.connect(copy)) as kept:
                    self.assertEqual(list(unreadable_values(kept)), [])

    def test_what_may_be_empty_is_left_empty(self):
        for column, rubbish in (
            ("bought", ("2026-02-30", "", "soon", 20260101, "0000-01-01", b"2026-01-01")),
            ("height", ("tall", float("inf"), -1e10, b"1")),
            ("at_home", ("yes",)),
        ):
            for value in rubbish:
                self.put(f"UPDATE trees SET {column} = ? WHERE id = 1", value)
                with self.subTest(column=column, value=value):
                    [told] = self.taken_out()
                    self.assertRegex(told, f"^trees, row 1, {column.replace('_', ' ')}: .*; it is")
                    self.assertIsNone(self.column(column)[0])

    def test_a_moment_that_must_be_there_is_that_of_the_backup(self):
        for value in (
            "99999-99-99",
            "2026-11-23T09:00:00Z",
            "2026-11-23 25:00:00",
            7,
            "",
            "0001-01-01 00:00:00",
        ):
            self.put("UPDATE trees SET created = ? WHERE id = 2", value)
            with self.subTest(value=value):
                [told] = self.taken_out()
                self.assertIn("it got the day of the backup", told)
                self.assertEqual(self.column("created")[1], "2026-11-23 09:00:00.000000")

    def test_of_text_that_is_none_what_can_be_read_is_kept(self):
        self.put("UPDATE trees SET name = CAST(x'467FFF6572' AS TEXT) WHERE id = 1")
        self.put("UPDATE trees SET name = x'00456C6D' WHERE id = 2")
        told = self.taken_out()
        self.assertEqual(len(told), 2)
        self.assertEqual(self.column("name"), ["F\ufffder", "Elm"])

    def test_without_its_day_a_session_goes_and_the_rest_stays(self):
        self.put("UPDATE root_sessions SET done_on = '2026-13-45' WHERE id = 1")
        [told] = self.taken_out()
        self.assertEqual(told, "root sessions, row 1, done on: “2026-13-45”; the row is left out")
        self.assertEqual((self.column("id", "root_sessions"), self.column("id")), ([2], [1, 2]))

    def test_what_points_at_nothing_is_set_loose_or_goes(self):
        self.put("DELETE FROM trees WHERE id = 2")
        told = self.taken_out()
        self.assertEqual(len(told), 2)
        self.assertEqual(self.column("id", "root_sessions"), [1])
        self.assertEqual(self.column("pot_id", "root_sessions"), [None])

    def test_long_values_are_shown_in_part(self):
        self.put("UPDATE trees SET height = ? WHERE id = 1", "x" * 9000)
        [told] = self.taken_out()
        self.assertLess(len(told), 120)
