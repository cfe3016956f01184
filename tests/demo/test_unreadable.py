"""Every page opens over whatever stands in the records: each column of each table in turn holds
what nobody can read, the least and the most there is."""

import logging
import re
import shutil
import sqlite3
import tempfile
import unittest
from contextlib import closing
from datetime import date, datetime
from pathlib import Path

from fastapi.testclient import TestClient

from mirvo.demo.load import load_demo
from mirvo.records.columns import PydanticColumn
from mirvo.records.database import FILE_NAME
from mirvo.records.models import Table
from mirvo.studio.context import Studio
from mirvo.web.app import create_app

DOCUMENTS = (
    *("xx", '{"version": 1, "body": null}', '{"version": 99, "body": {}}'),
    '{"version": 1, "body": {"x": "y", "\u00b2": "no"}}',
    '{"version": 1, "body": ["x", "\u00b2"]}',
)
RUBBISH = {
    date: ("2026-02-30", "", 20261130, "0001-01-01", "9999-12-31"),
    datetime: ("99999-99-99", "2026-11-30T10:00:00+14:00", 5, "0001-01-01 00:00:00", ""),
    float: ("many", float("inf"), b"\xff", -1e308, 1e308),
    int: ("many", 1.5, b"\xff", -1, 10**18),
    bool: ("x", 2, b"\xff", 0, 1),
    str: ("", "x" * 5000, "\u00b2", "4-20", "<b>&\u202e"),
}
ROUNDS = 5
# Of all pages so many, two of a kind.
PAGES = 70
LEFT_OUT = ("/static", ".pdf", ".zip", ".xlsx", "drawing=")


class UnreadableTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        work = Path(tempfile.mkdtemp())
        cls.addClassCleanup(shutil.rmtree, work)
        cls.folder = work / "demo"
        load_demo(cls.folder)
        cls.sound = (cls.folder / FILE_NAME).read_bytes()
        cls.pages = cls.kinds_of_page()

    def setUp(self):
        # What is passed over is told of in the log, a line each.
        logging.disable(logging.WARNING)
        self.addCleanup(logging.disable, logging.NOTSET)

    @classmethod
    def opened(cls):
        studio = Studio(cls.folder)
        client = TestClient(create_app(studio), raise_server_exceptions=False)
        if studio.replanner is not None:
            studio.replanner.close()
        return studio, client

    @classmethod
    def kinds_of_page(cls):
        studio, client = cls.opened()
        waiting, found = ["/"], []
        while waiting and len(found) < PAGES:
            page = waiting.pop(0)
            found.append(page)
            for link in re.findall(r'href="(/[^"#]*)', client.get(page).text):
                link = link.replace("&amp;", "&")
                kind = re.sub(r"\d+", "N", link)
                known = [re.sub(r"\d+", "N", other) for other in (*found, *waiting)]
                new = known.count(kind) < 2 and link not in (*found, *waiting)
                if new and not any(one in link for one in LEFT_OUT):
                    waiting.append(link)
        studio.close()
        return found

    def put(self, table, turn):
        """Rubbish in every column of a table that takes it; how many columns did."""
        for end in ("-wal", "-shm"):
            (self.folder / f"{FILE_NAME}{end}").unlink(missing_ok=True)
        (self.folder / FILE_NAME).write_bytes(self.sound)
        took = 0
        with closing(sqlite3.connect(self.folder / FILE_NAME)) as kept:
            for column in table.columns:
                if column.primary_key or column.foreign_keys:
                    continue
                kind = column.type.python_type
                document = isinstance(column.type, PydanticColumn)
                value = (DOCUMENTS if document else RUBBISH[kind])[turn]
                # Where it would stand twice, or a check refuses it, it cannot come to stand.
                put = f'UPDATE OR IGNORE {table.name} SET "{column.name}" = ?'
                try:
                    took += kept.execute(put, (value,)).rowcount > 0
                except sqlite3.IntegrityError:
                    continue
            kept.commit()
        return took

    def test_every_page_over_every_table(self):
        self.assertGreater(len(self.pages), 50)
        took = 0
        for table in Table.metadata.sorted_tables:
            for turn in range(ROUNDS):
                put = self.put(table, turn)
                took += put
                if not put:
                    continue
                studio, client = self.opened()
                for page in self.pages:
                    with self.subTest(table=table.name, turn=turn, page=page):
                        self.assertLess(client.get(page).status_code, 500)
                studio.close()
        self.assertGreater(took, 700)
