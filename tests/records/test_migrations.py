"""Databases of every former version, brought up to date with nothing lost.

`former/` holds a small yard as each version of the tables kept it.
"""

import json
import re
import shutil
import sqlite3
import tempfile
import unittest
from contextlib import closing
from datetime import date
from pathlib import Path

from sqlalchemy import create_engine, select

from mirvo.core.errors import MirvoError
from mirvo.records import database
from mirvo.records.database import FILE_NAME, newest_revision, open_database, reading
from mirvo.records.models import (
    BenchEntry,
    BenchSession,
    CareTask,
    CutRecord,
    EyeCheck,
    FindingRecord,
    GapPlan,
    Measurement,
    Photo,
    Plan,
    Regrowth,
    Root,
    RootSession,
    Table,
    Target,
    TargetHold,
    Tree,
    Watering,
    Yard,
)

FORMER = Path(__file__).parent / "former"
VERSIONS = [f"{number:04d}" for number in range(1, 9)]


def clauses(sql):
    """What a table is declared with, in any order; defaults that filled old rows left out."""
    inside = " ".join(sql.split()).partition("(")[2].rpartition(")")[0]
    parts = re.split(r",\s*(?![^()]*\))", inside)
    return sorted(
        re.sub(r" DEFAULT \(?'[^']*'\)?", "", part.strip()).replace(" ", "") for part in parts
    )


def rows(path, table):
    """Rows of an old table as dicts, JSON parsed; none where the table was not there yet."""
    with closing(sqlite3.connect(path)) as old:
        old.row_factory = sqlite3.Row
        try:
            found = [dict(row) for row in old.execute(f"SELECT * FROM {table} ORDER BY 1")]
        except sqlite3.OperationalError:
            return []
    for row in found:
        for name, value in row.items():
            if isinstance(value, str) and value[:1] in ("[", "{"):
                row[name] = json.loads(value)
    return found


class FormerVersionsTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.opened = []
        for version in VERSIONS:
            folder = Path(tempfile.mkdtemp())
            cls.addClassCleanup(shutil.rmtree, folder, ignore_errors=True)
            shutil.copy(FORMER / f"{version}.sqlite3", folder / FILE_NAME)
            engine = open_database(folder)
            cls.addClassCleanup(engine.dispose)
            cls.opened.append((version, engine, folder))

    def each(self):
        """Each version: its name, the old file, a session on the new one, and its folder."""
        for version, engine, folder in self.opened:
            with reading(engine) as db:
                yield version, FORMER / f"{version}.sqlite3", db, folder

    def all(self, db, table, *order):
        return list(db.scalars(select(table).order_by(*(order or (table.id,)))))

    def same(self, old, new, *names):
        self.assertEqual(len(old), len(new))
        for before, after in zip(old, new, strict=True):
            for name in names:
                if name in before:
                    kept = getattr(after, name)
                    kept = kept.isoformat() if isinstance(kept, date) else kept
                    kept = kept.replace("T", " ") + ".000000" if "_at" in name and kept else kept
                    self.assertEqual(kept, before[name], name)

    def test_plain_rows_come_across_word_for_word(self):
        for _, old, db, _ in self.each():
            self.same(
                rows(old, "trees"), self.all(db, Tree),
                *("id", "name", "species_key", "origin", "acquired_on", "strength", "age_class"),
                *("height_mm", "container", "note", "foreign_soil", "under_glass", "buds_seen"),
                *("practice", "parent_id", "created_at"),
            )  # fmt: skip
            self.same(
                rows(old, "photos"), self.all(db, Photo),
                "id", "tree_id", "session_id", "digest", "taken_on", "kind", "composted_at",
            )  # fmt: skip
            self.same(
                rows(old, "care_tasks"), self.all(db, CareTask),
                "id", "session_id", "due", "text", "done_at",
            )  # fmt: skip
            self.same(rows(old, "waterings"), self.all(db, Watering), "tree_id", "watered_on")
            [yard], [kept] = rows(old, "yard"), self.all(db, Yard)
            self.assertEqual((kept.name, kept.school), (yard["name"], yard["school"]))
            self.assertEqual(kept.practice, yard.get("practice", kept.practice))
            own = {key: one.figures for key, one in kept.own_species.items()}
            if "own_species" in yard:
                told = {key: one["figures"] for key, one in yard["own_species"].items()}
                self.assertEqual(own, told)

    def test_sessions_keep_every_field(self):
        for _, old, db, _ in self.each():
            before, after = rows(old, "sessions"), self.all(db, RootSession)
            self.same(
                before, after,
                *("id", "tree_id", "kind", "done_on", "bud_stage", "reason", "slice_mm", "matted"),
                *("share_computed", "budget", "woody_depth_mm", "flare_height_mm", "pot_before"),
                *("pot_after", "container_after", "soil", "found", "next_time", "created_at"),
            )  # fmt: skip
            for row, kept in zip(before, after, strict=True):
                for part in ("length", "width", "depth"):
                    for when in ("before", "after"):
                        told = row[f"ball_{when}"].get(f"{part}_mm")
                        self.assertEqual(getattr(kept, f"ball_{part}_{when}"), told)
                self.assertEqual(kept.pot_depth_mm, row["pot_after_size"].get("depth_mm"))
                judged = row["share_judged"]
                self.assertEqual(kept.share_judged, judged and judged * 100)
                details = row.get("details") or {}
                self.assertEqual(kept.top_reduced, details.get("top_reduced"))
                self.assertEqual(kept.share_weighed, details.get("share_weighed"))
                self.assertEqual(kept.notes, details.get("answers") or {})
                self.assertEqual(
                    [one.text for one in kept.unfinished],
                    [one["text"] for one in details.get("unfinished") or []],
                )
                self.assertEqual(
                    None if kept.planned is None else kept.planned.year,
                    (details.get("planned") or {}).get("year"),
                )

    def test_cuts_and_findings_have_rows_of_their_own(self):
        for _, old, db, _ in self.each():
            labels = {root.id: root.label for root in self.all(db, Root)}
            for row in rows(old, "sessions"):
                cuts = {
                    labels[cut.root_id]: cut
                    for cut in self.all(db, CutRecord)
                    if cut.session_id == row["id"]
                }
                done = {root["label"]: root for root in row["roots"]}
                decided = (row.get("details") or {}).get("decided") or {}
                self.assertEqual(set(cuts), set(done) | set(decided))
                for label, root in done.items():
                    cut = cuts[label]
                    self.assertEqual(
                        (cut.done_action, cut.done_part, cut.share, cut.azimuth_deg),
                        (root["action"], root["part"], root["share"], root["azimuth_deg"]),
                    )
                for label, said in decided.items():
                    cut = cuts[label]
                    self.assertEqual((cut.decided_action, cut.why), (said["action"], said["why"]))
                found = {
                    labels[one.root_id]: one.finding
                    for one in self.all(db, FindingRecord)
                    if one.session_id == row["id"]
                }
                told = (row.get("details") or {}).get("findings") or {}
                self.assertEqual(set(found), set(told))
                for label, said in told.items():
                    self.assertEqual(found[label].feeds, tuple(said["feeds"]))
                    self.assertEqual(found[label].feeders, said["feeders"])

    def test_roots_know_when_they_were_seen_and_when_they_went(self):
        for version, _, db, _ in self.each():
            roots = {root.label: root for root in self.all(db, Root) if root.tree_id == 1}
            self.assertEqual(roots["B"].first_seen_on, date(2022, 3, 1))
            self.assertEqual(roots["C"].gone_on, date(2022, 3, 1))
            self.assertIsNone(roots["B"].gone_on)
            self.assertEqual(roots["A"].gone_on, date(2024, 3, 20), version)

    def test_measurements_keep_marks_and_figures(self):
        for _, old, db, _ in self.each():
            for row, kept in zip(rows(old, "measurements"), self.all(db, Measurement), strict=True):
                self.assertEqual(kept.marks.as_json(), row["marks"])
                figures = row["figures"]
                if not isinstance(figures, dict):
                    self.assertIsNone(kept.top)
                    continue
                self.assertEqual(kept.top.labels, [root["label"] for root in figures["roots"]])
                self.assertEqual(
                    kept.top.trunk_diameter_mm.value, figures["trunk_diameter_mm"]["value"]
                )
                drawn = {root["label"]: root for root in figures["plan"]["roots"]}
                for root in kept.top.roots:
                    path = [list(point) for point in root.path_mm]
                    self.assertEqual(path, drawn[root.label]["path"])
                self.assertEqual(kept.turn_deg, row.get("turn_deg", 0.0))

    def test_targets_plans_and_what_is_fixed_by_hand(self):
        for _, old, db, _ in self.each():
            [row], [target] = rows(old, "targets"), self.all(db, Target, Target.tree_id)
            self.assertEqual(target.spread_ratio, row["spread_ratio"])
            self.assertEqual(target.containers, tuple(row.get("containers", [])))
            holds = self.all(db, TargetHold, TargetHold.year)
            self.assertEqual(
                [(one.year, one.allow, one.why) for one in holds],
                [(h["year"], h.get("allow", "none"), h["why"]) for h in row.get("holds", [])],
            )
            labels = {root.id: root.label for root in self.all(db, Root)}
            gaps = {
                f"{labels[one.first_root_id]}-{labels[one.second_root_id]}": one.method
                for one in self.all(db, GapPlan)
            }
            self.assertEqual(gaps, row.get("gap_methods", {}))
            back = {labels[one.root_id]: one.years for one in self.all(db, Regrowth)}
            self.assertEqual(back, row.get("returns", {}))
            for before, plan in zip(rows(old, "plans"), self.all(db, Plan), strict=True):
                self.assertEqual(plan.case.model_dump(mode="json", exclude_unset=True),
                                 before["case"])  # fmt: skip
                self.assertEqual(
                    [path.reached_year for path in plan.result.paths],
                    [path["reached_year"] for path in before["result"]["paths"]],
                )
                self.assertEqual(plan.name, before.get("name", ""))

    def test_what_was_entered_at_the_bench_and_what_the_eye_clicked(self):
        for _, old, db, _ in self.each():
            taps = sorted(rows(old, "taps"), key=lambda tap: tap["id"])
            self.same(taps, self.all(db, BenchEntry), "id", "field", "number")
            for tap, entry in zip(taps, self.all(db, BenchEntry), strict=True):
                value = json.loads(tap["value"]) if isinstance(tap["value"], str) else tap["value"]
                self.assertEqual(entry.value, value)
            self.same(rows(old, "visits"), self.all(db, BenchSession), "tree_id", "session_id")
            for before, check in zip(rows(old, "eye_checks"), self.all(db, EyeCheck), strict=True):
                self.assertEqual(check.result.deviation, before["result"]["deviation"])
                clicks = [list(point) for point in check.first.points]
                self.assertEqual(clicks, before["first"]["points"])

    def test_the_old_database_stands_beside_the_new_one(self):
        for version, old, _, folder in self.each():
            copy = folder / f"before-{newest_revision()}.sqlite3"
            self.assertEqual(rows(copy, "trees"), rows(old, "trees"), version)


class RebuildingTest(unittest.TestCase):
    """A table that others refer to can be made anew; a broken reference keeps the old one."""

    def setUp(self):
        self.folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, self.folder, ignore_errors=True)
        shutil.copy(FORMER / "0008.sqlite3", self.folder / FILE_NAME)

    def test_what_refers_to_nothing_stops_the_whole_step(self):
        with closing(sqlite3.connect(self.folder / FILE_NAME)) as broken:
            broken.execute("UPDATE care_tasks SET session_id = 999 WHERE id = 1")
            broken.commit()
        with self.assertRaisesRegex(MirvoError, "care_tasks"):
            open_database(self.folder)
        self.assertTrue(rows(self.folder / FILE_NAME, "sessions"))

    def test_the_migrated_tables_are_those_of_the_models(self):
        engine = open_database(self.folder)
        self.addCleanup(engine.dispose)
        fresh = create_engine("sqlite://")
        Table.metadata.create_all(fresh)
        query = "SELECT type, name, sql FROM sqlite_master WHERE type IN ('table', 'index')"
        query += " AND sql IS NOT NULL ORDER BY 1, 2"
        with engine.connect() as old, fresh.connect() as new:
            migrated = {tuple(r[:2]): clauses(r[2]) for r in old.exec_driver_sql(query)}
            modelled = {tuple(r[:2]): clauses(r[2]) for r in new.exec_driver_sql(query)}
        migrated.pop(("table", "alembic_version"))
        self.assertEqual(migrated, modelled)

    def test_a_folder_that_is_new_gets_the_same_tables(self):
        folder = self.folder / "new"
        engine = database.open_database(folder)
        self.addCleanup(engine.dispose)
        with reading(engine) as db:
            self.assertIsNone(db.scalar(select(Tree)))


class SinceTypedRecordsTest(unittest.TestCase):
    """From 0009 on tables and documents keep their shape: every old value must stay as it is."""

    def brought_up_to_date(self, version):
        """All rows after the migration of a former version, each old value held against it."""
        folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, folder, ignore_errors=True)
        shutil.copy(FORMER / f"{version}.sqlite3", folder / FILE_NAME)
        before = self.every_row(FORMER / f"{version}.sqlite3")
        open_database(folder).dispose()
        after = self.every_row(folder / FILE_NAME)
        self.assertGreater(len(before["roots"]), 10)
        for table, rows in before.items():
            if table == "alembic_version":
                continue
            with self.subTest(table=table):
                self.assertEqual(len(after[table]), len(rows))
                both = zip(after[table], rows, strict=True)
                self.assertEqual([{name: row[name] for name in old} for row, old in both], rows)
        return after

    def test_every_row_of_0009_comes_across_and_what_is_new_is_empty(self):
        after = self.brought_up_to_date("0009")
        [yard] = after["yard"]
        self.assertEqual((yard["frost_free"], yard["simulated_weather"]), (0, 0))
        self.assertEqual(after["tree_answers"], [])

    def test_every_row_of_0010_comes_across_and_no_container_is_measured(self):
        after = self.brought_up_to_date("0010")
        self.assertEqual([row["leaf_lost_percent"] for row in after["tree_answers"]], [5.0])
        [target] = after["targets"]
        self.assertEqual(json.loads(target["container_depths"])["body"], {})

    def test_every_row_of_0011_comes_across_and_figures_are_of_the_first_formulas(self):
        after = self.brought_up_to_date("0011")
        [target] = after["targets"]
        self.assertEqual(json.loads(target["container_depths"])["body"], {"basket": 48.0})
        self.assertEqual({row["figures_version"] for row in after["measurements"]}, {1})

    def every_row(self, path):
        with closing(sqlite3.connect(path)) as db:
            db.row_factory = sqlite3.Row
            names = [
                row[0] for row in db.execute("SELECT name FROM sqlite_master WHERE type='table'")
            ]
            return {
                name: [dict(row) for row in db.execute(f'SELECT * FROM "{name}" ORDER BY rowid')]
                for name in names
            }
