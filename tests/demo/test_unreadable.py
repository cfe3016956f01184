"""Every page opens over whatever stands in the records: each column of each table in turn holds
what nobody can read, the least and the most there is."""

import logging
import re
import sqlite3
import unittest
from contextlib import closing
from datetime import date, datetime

from mirvo.records.columns import PydanticColumn
from mirvo.records.database import FILE_NAME
from mirvo.records.models import Person, Table
from mirvo.studio.bench_session.session import begin
from mirvo.studio.ground.context import Studio
from mirvo.studio.standing.weather import put_night
from mirvo.web.app import create_app
from tests.client import TestClient
from tests.demo_yard import demo_copy
from tests.proofs import few_or_all
from tests.studio.bench_session.bench_case import entry

DOCUMENTS = (
    *("xx", '{"version": 1, "body": {"x": "y", "\u00b2": "no"}}'),
    '{"version": 1, "body": ["x", "\u00b2"]}',
)
# Of each kind what is none, and what is one and can hardly be.
RUBBISH = {
    date: ("2026-02-30", 20261130, "0001-01-01"),
    datetime: ("99999-99-99", "2026-11-30T10:00:00+14:00", "9999-12-31 23:59:59"),
    float: ("many", float("inf"), -1e9),
    int: ("many", -1, 10**18),
    bool: ("x", b"\xff", 2),
    object: ("xx", "[" * 100_000, "1e999"),
    str: ("", b"\xff\x00", "\u00b2"),
}
ROUNDS = 3
# Of all pages so many, one of a kind.
PAGES = 24
LEFT_OUT = ("/static", ".pdf", ".zip", ".xlsx", "drawing=")


class UnreadableTest(unittest.TestCase):
    client = None

    @classmethod
    def setUpClass(cls):
        cls.folder = demo_copy(cls)
        studio, client = cls.opened()
        # What the demo yard has none of.
        cls.bench = f"/bench-sessions/{begin(studio, 1, 'routine').id}"
        said = {"bud_stage": "dormant", "ball_depth_before": "80", "root:A": {"decision": "keep"}}
        entries = [entry(field, value) for field, value in said.items()]
        client.post(f"{cls.bench}/entries", json={"entries": entries}).raise_for_status()
        put_night(studio, studio.today, -2.0)
        with studio.writing() as db:
            db.add(Person(name="Ada", role="guest", proof="x", created_at=studio.now))
        studio.close()
        cls.sound = (cls.folder / FILE_NAME).read_bytes()
        cls.pages = cls.kinds_of_page()

    def setUp(self):
        # What is passed over is told of in the log, a line each.
        logging.disable(logging.WARNING)
        self.addCleanup(logging.disable, logging.NOTSET)

    @classmethod
    def opened(cls):
        studio = Studio(cls.folder)
        if cls.client is None:
            cls.client = TestClient(create_app(studio), raise_server_exceptions=False)
        # Making an application takes longer than opening a studio.
        cls.client.app.state.studio = studio
        if studio.replanner is not None:
            studio.replanner.close()
        return studio, cls.client

    @classmethod
    def kinds_of_page(cls):
        studio, client = cls.opened()
        waiting, found = ["/", cls.bench, "/kit"], []
        while waiting and len(found) < PAGES:
            page = waiting.pop(0)
            found.append(page)
            for link in re.findall(r'href="(/[^"#]*)', client.get(page).text):
                link = link.replace("&amp;", "&")
                known = {re.sub(r"\d+", "N", other) for other in (*found, *waiting)}
                new = re.sub(r"\d+", "N", link) not in known
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
        self.assertGreater(len(self.pages), 20)
        took = 0
        for number, table in enumerate(Table.metadata.sorted_tables):
            for turn in few_or_all([number % ROUNDS], range(ROUNDS)):
                put = self.put(table, turn)
                took += put
                if not put:
                    continue
                studio, client = self.opened()
                for page in self.pages:
                    with self.subTest(table=table.name, turn=turn, page=page):
                        self.assertLess(client.get(page).status_code, 500)
                studio.close()
        self.assertGreater(took, few_or_all(150, 500))
