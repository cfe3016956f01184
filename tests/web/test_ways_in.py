"""One way in: a table of values that cannot be, pushed through every way records come in by.

Each way refuses each of them with the same sentence: forms, the interface for programs, tables,
exchange files, backups. Dates and words are refused by the database itself too.
"""

import io
import json
import sqlite3
import tempfile
import zipfile
from contextlib import closing
from datetime import date
from hashlib import sha256
from html import unescape
from pathlib import Path

from mirvo.core.errors import BadInput
from mirvo.core.limits.measuring import HandFields
from mirvo.core.limits.sessions import SessionFields
from mirvo.core.limits.shelf import PotFields
from mirvo.formats.bundle import MANIFEST, bundle_pieces, unpack_bundle
from mirvo.records.database import FILE_NAME
from mirvo.studio.exchange.incoming import take_in
from mirvo.studio.exchange.outgoing import give_out
from mirvo.studio.exchange.tables_in import Meant, hold_table, try_table
from mirvo.studio.exchange.tokens import SCOPES, make_token
from mirvo.studio.ground.context import Studio
from mirvo.studio.measuring.by_hand import add_by_hand
from mirvo.studio.records.aftercare import set_task
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.shelf.pots import add_pot
from mirvo.web.app import create_app
from tests.client import TestClient
from tests.studio_case import TODAY, StudioCase, other_studio

NOW = TODAY.replace(tzinfo=None)
FUTURE = "31 Dec 9999 is in the future. Enter today or an earlier day."
TOMORROW = "24 Nov 2026 is in the future. Enter today or an earlier day."
LONG_AGO = "1 Jan 1 is too long ago. Enter a day from 1600 on."
FAR = "31 Dec 9999 is too far ahead. Enter a day up to 2200."
NO_SPECIES = (
    "The almanac has no species “no-such-species”. Choose one it has, or add this one first."
)
ORIGINS = (
    "Must be 'nursery container', 'field grown', 'dug from a garden', 'collected with permission', "
    "'seed', 'cutting', 'root cutting', 'air layer', 'graft', 'division', 'volunteer seedling' or "
    "'bare-root purchase'."
)
# Table, column, value, sentence.
BAD = (
    ("trees", "acquired_on", "9999-12-31", FUTURE),
    ("trees", "acquired_on", "2026-11-24", TOMORROW),
    ("trees", "acquired_on", "0001-01-01", LONG_AGO),
    ("trees", "species_key", "no-such-species", NO_SPECIES),
    ("trees", "stage", "asleep", "Must be 'growing', 'refining' or 'showing'."),
    ("trees", "origin", "moon", ORIGINS),
    ("trees", "age_years", -3, "Must be at least 0."),
    ("trees", "height_mm", -500, "Must be more than 0."),
    ("trees", "height_mm", 9e8, "Must be at most 20000."),
    ("root_sessions", "done_on", "9999-12-31", FUTURE),
    ("root_sessions", "done_on", "2026-11-24", TOMORROW),
    ("root_sessions", "done_on", "0001-01-01", LONG_AGO),
    ("root_sessions", "kind", "ritual", "“ritual” is no kind of session."),
    ("root_sessions", "ball_depth_after", 9e8, "Must be at most 5000."),
    ("root_sessions", "share_judged", 130, "Must be at most 100."),
    ("hand_measurements", "measured_on", "9999-12-31", FUTURE),
    ("hand_measurements", "trunk_mm", -500, "Must be more than 0."),
    ("photos", "taken_on", "9999-12-31", FUTURE),
    ("photos", "taken_on", "0001-01-01", LONG_AGO),
    (
        *("photos", "kind", "portrait"),
        "Must be 'top', 'side', 'before', 'after', 'follow-up', 'crown', 'wound', 'pot' or "
        "'other'.",
    ),
    ("care_tasks", "due", "0001-01-01", LONG_AGO),
    ("care_tasks", "due", "9999-12-31", FAR),
    ("pots", "depth_mm", -5, "Must be more than 0."),
    (
        *("pots", "shape", "star"),
        "Must be 'rectangle', 'rounded', 'oval', 'round', 'drum', 'crescent', 'slab', 'box' or "
        "'basket'.",
    ),
    ("pots", "length_mm", 9e8, "Must be at most 5000."),
)
GOOD = {
    "trees": {"name": "Elm", "species_key": "zelkova", "version": 1},
    "root_sessions": {"kind": "routine", "done_on": "2026-03-01"},
    "hand_measurements": {"measured_on": "2020-05-01", "trunk_mm": 30},
    "photos": {"taken_on": "2026-03-01", "kind": "top"},
    "care_tasks": {"text": "wire, look", "due": "2027-01-01"},
    "pots": {"name": "Tray", "length_mm": 300, "width_mm": 200, "depth_mm": 60},
}
FORMS = {
    "trees": "/trees/1/edit",
    "root_sessions": "/trees/1/sessions",
    "hand_measurements": "/trees/1/by-hand",
    "photos": "/photos/1",
    "care_tasks": "/trees/1/kept",
    "pots": "/shelf/pots",
}
# The form calls the day of a task otherwise.
IN_FORM = {("care_tasks", "due"): "look_on"}
PROGRAMS = {
    "trees": "/api/v1/trees",
    "root_sessions": "/api/v1/trees/1/sessions",
    "care_tasks": "/api/v1/trees/1/tasks",
    "pots": "/api/v1/pots",
}
TITLES = {
    "trees": {
        "name": "Name", "species_key": "Species", "acquired_on": "Came on", "origin": "Origin",
        "age_years": "Age", "height_mm": "Height (mm)",
    },
    "root_sessions": {
        "tree": "Tree", "done_on": "Repotted on", "share_judged": "Share taken",
        "ball_depth_after": "Ball after (mm)",
    },
    "hand_measurements": {"tree": "Tree", "measured_on": "Measured on", "trunk_mm": "Trunk (mm)"},
    "care_tasks": {"tree": "Tree", "text": "Task", "due": "Due"},
    "pots": {
        "name": "Pot", "shape": "Shape", "length_mm": "Length (mm)", "width_mm": "Width (mm)",
        "depth_mm": "Depth (mm)",
    },
}  # fmt: skip
KINDS = {"root_sessions": "sessions", "hand_measurements": "measurements", "care_tasks": "tasks"}


class WaysInCase(StudioCase):
    def prepare(self):
        """A tree with one row of each kind."""
        self.tree(name="Elm", acquired_on=date(2020, 1, 1))
        self.photo(self.load_tree(1), taken_on=date(2026, 2, 1))
        record_session(self.studio, 1, SessionFields(done_on=date(2026, 3, 1)))
        hand = HandFields(measured_on=date(2021, 5, 1), trunk_mm=31)
        add_by_hand(self.studio, 1, hand)
        set_task(self.studio, 1, "wire, look", date(2027, 1, 1))
        add_pot(self.studio, PotFields(name="Bowl", length_mm=200, width_mm=200, depth_mm=50))

    def each(self, ways, check):
        """Check every bad value of the tables a way takes."""
        for table, column, value, sentence in BAD:
            if table in ways:
                with self.subTest(table=table, column=column, value=value):
                    check(table, column, value, sentence)


class WaysInTest(WaysInCase):
    def test_forms(self):
        pages = TestClient(create_app(self.studio), headers={"referer": "http://testserver/"})

        def check(table, column, value, sentence):
            sent = {**GOOD[table], "kept_what": "wire", "look_on": "2027-01-01"}
            sent[IN_FORM.get((table, column), column)] = value
            answer = pages.post(FORMS[table], data=sent, follow_redirects=False)
            self.assertEqual(answer.status_code, 422, (table, column, value))
            self.assertIn(sentence, unescape(answer.text))

        self.each(FORMS, check)

    def test_the_interface_for_programs(self):
        client = TestClient(create_app(self.studio))
        token = make_token(self.studio, "script", list(SCOPES))
        client.headers["Authorization"] = f"Bearer {token}"

        def check(table, column, value, sentence):
            sent = {**GOOD[table], column: value}
            sent.pop("version", None)
            answer = client.post(PROGRAMS[table], json=sent)
            self.assertEqual(answer.status_code, 422)
            self.assertIn(sentence, [error["message"] for error in answer.json()["errors"]])

        self.each(PROGRAMS, check)
        for path, sent in (
            ("/api/v1/trees", {"name": "Oak", "species_key": "zelkova", "nickname": "x"}),
            ("/api/v1/trees/1/sessions", {"done_on": "2026-03-01", "cut_everything": True}),
            ("/api/v1/pots", {**GOOD["pots"], "colour": "blue"}),
        ):
            refused = client.post(path, json=sent)
            self.assertEqual(refused.status_code, 422, path)
            self.assertIn("is not a name that may stand here", refused.text.lower())

    def test_tables(self):
        def check(table, column, value, sentence):
            titles = TITLES[table]
            if column not in titles:
                return
            row = {"tree": "Elm", **GOOD[table], column: value}
            row["name"] = "Oak" if table == "trees" else row.get("name")
            named = [title for key, title in titles.items() if key in row]
            cells = [str(row[key]) for key in titles if key in row]
            text = ",".join(f'"{cell}"' for cell in named) + "\n"
            text += ",".join(f'"{cell}"' for cell in cells) + "\n"
            hold_table(self.studio, io.BytesIO(text.encode()), "mine.csv")
            means = dict(enumerate(key for key in titles if key in row))
            found = try_table(self.studio, Meant(kind=KINDS.get(table, table), columns=means))
            self.assertEqual(len(found.bad), 1, (table, column, value))
            self.assertIn(sentence, found.bad[0].problem)

        self.each(TITLES, check)

    def test_exchange_files(self):
        whole = b"".join(give_out(self.studio, None))

        def check(table, column, value, sentence):
            path = self.folder / "bad.zip"
            entry = "studio.json" if table == "pots" else "trees/1.json"
            with zipfile.ZipFile(io.BytesIO(whole)) as old, zipfile.ZipFile(path, "w") as new:
                for one in old.infolist():
                    content = old.read(one)
                    if one.filename == entry:
                        rows = json.loads(content)
                        rows[table][0][column] = value
                        content = json.dumps(rows).encode()
                    new.writestr(one.filename, content)
            other = other_studio()
            self.addCleanup(other.close)
            with self.assertRaises(BadInput) as told:
                take_in(other, path)
            self.assertEqual(told.exception.message, sentence)
            self.assertTrue(told.exception.field.endswith(f"{table}.0.{column}"))

        self.each(GOOD, check)

    def poisoned(self, changes):
        """A backup whose records hold what no table takes."""
        path = self.folder / "poisoned.zip"
        path.write_bytes(b"".join(bundle_pieces(self.studio.folder, NOW)))
        with zipfile.ZipFile(path) as packed:
            files = {name: packed.read(name) for name in packed.namelist()}
        records = self.folder / "records.sqlite3"
        records.write_bytes(files[FILE_NAME])
        with closing(sqlite3.connect(records)) as kept:
            kept.execute("PRAGMA ignore_check_constraints = ON")
            for table, column, value in changes:
                kept.execute(f"UPDATE {table} SET {column} = ? WHERE rowid = 1", (value,))
            kept.commit()
        files[FILE_NAME] = records.read_bytes()
        manifest = json.loads(files[MANIFEST])
        manifest["records_sha256"] = sha256(files[FILE_NAME]).hexdigest()
        files[MANIFEST] = json.dumps(manifest).encode()
        with zipfile.ZipFile(path, "w") as packed:
            for name, content in files.items():
                packed.writestr(name, content)
        return path

    def test_backups(self):
        def check(table, column, value, sentence):
            again = Path(tempfile.mkdtemp()) / "again"
            found = unpack_bundle(self.poisoned([(table, column, value)]), again, NOW)
            self.assertTrue(any(sentence in words for words in found.lost), found.lost)
            other = Studio(again, clock=lambda: TODAY)
            pages = TestClient(create_app(other))
            for place in ("/", "/trees", "/repair"):
                self.assertEqual(pages.get(place).status_code, 200, place)
            if table != "trees":
                self.assertEqual(pages.get("/trees/1").status_code, 200)
            other.close()

        self.each(GOOD, check)

    def test_the_tables_themselves(self):
        for table, column, value in (
            ("trees", "acquired_on", "9999-12-31"), ("trees", "stage", "asleep"),
            ("trees", "origin", "moon"), ("root_sessions", "done_on", "0001-01-01"),
            ("root_sessions", "kind", "ritual"), ("photos", "kind", "portrait"),
            ("care_tasks", "due", "9999-12-31"), ("hand_measurements", "measured_on", "1599-12-31"),
        ):  # fmt: skip
            with (
                self.subTest(column=column),
                closing(sqlite3.connect(self.studio.folder / FILE_NAME)) as kept,
                self.assertRaises(sqlite3.IntegrityError),
            ):
                kept.execute(f"UPDATE {table} SET {column} = ? WHERE rowid = 1", (value,))


class NewerFileTest(WaysInCase):
    def test_names_of_another_version_are_named_and_left_out(self):
        whole = b"".join(give_out(self.studio, None))
        path = self.folder / "other.zip"
        with zipfile.ZipFile(io.BytesIO(whole)) as old, zipfile.ZipFile(path, "w") as new:
            for one in old.infolist():
                content = old.read(one)
                if one.filename == "trees/1.json":
                    rows = json.loads(content)
                    rows["trees"][0]["aura"] = "green"
                    rows["tree_songs"] = [{"id": 1}]
                    content = json.dumps(rows).encode()
                new.writestr(one.filename, content)
        other = other_studio()
        self.addCleanup(other.close)
        found = take_in(other, path)
        self.assertEqual(found.ignored, ["tree_songs", "trees.aura"])
        self.assertEqual(found.tables["trees"].new, 1)
