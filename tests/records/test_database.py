"""The database: migrations match the tables, many writers get along."""

import shutil
import tempfile
import unittest
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import text

from mirvo.core.errors import BadInput
from mirvo.records.database import open_database, reading, writing
from mirvo.records.models import Table, Yard


class DatabaseCase(unittest.TestCase):
    def setUp(self):
        self.folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, self.folder, ignore_errors=True)
        self.engine = open_database(self.folder)
        self.addCleanup(self.engine.dispose)


class DatabaseTest(DatabaseCase):
    def test_migrations_make_just_the_tables_of_the_models(self):
        with self.engine.connect() as connection:
            context = MigrationContext.configure(connection)
            self.assertEqual(compare_metadata(context, Table.metadata), [])

    def test_pragmas(self):
        with self.engine.connect() as connection:
            for pragma, value in (("journal_mode", "wal"), ("foreign_keys", 1), ("synchronous", 2)):
                self.assertEqual(connection.execute(text(f"PRAGMA {pragma}")).scalar(), value)

    def test_eight_writers_lose_nothing(self):
        with writing(self.engine) as db:
            db.add(Yard(id=1, name="0", place="", last_frost="04-20", school="steady"))

        def count_up(_):
            for _ in range(10):
                with writing(self.engine) as db:
                    yard = db.get(Yard, 1)
                    yard.name = str(int(yard.name) + 1)

        with ThreadPoolExecutor(8) as pool:
            list(pool.map(count_up, range(8)))
        with writing(self.engine) as db:
            self.assertEqual(db.get(Yard, 1).name, "80")


class OneStateTest(DatabaseCase):
    def setUp(self):
        super().setUp()
        self.named("before")

    def named(self, name):
        with writing(self.engine) as db:
            db.merge(Yard(id=1, name=name, place="", last_frost="04-20", school="steady"))

    def name(self):
        with reading(self.engine) as db:
            return db.get(Yard, 1).name

    def test_what_another_writes_meanwhile_is_not_seen_until_the_read_is_over(self):
        with reading(self.engine) as db:
            self.assertEqual(db.get(Yard, 1).name, "before")
            with ThreadPoolExecutor(1) as other:
                other.submit(self.named, "after").result()
                self.assertEqual(other.submit(self.name).result(), "after")
            self.assertEqual(db.get(Yard, 1).name, "before")
        self.assertEqual(self.name(), "after")

    def test_a_write_that_is_refused_leaves_nothing(self):
        with self.assertRaises(BadInput), writing(self.engine) as db:
            db.get(Yard, 1).name = "lost"
            raise BadInput("name", "is refused")
        self.assertEqual(self.name(), "before")
