"""Repair: a page that opens whatever the data hold, and what costs one line costs no more."""

import json
import logging
import sqlite3
from contextlib import closing
from datetime import date
from html import unescape
from unittest.mock import patch

from mirvo.core.errors import Damaged
from mirvo.core.limits.care import AnswerFields
from mirvo.core.limits.sessions import SessionFields
from mirvo.core.limits.trees import GraftFields
from mirvo.records.database import FILE_NAME
from mirvo.records.limits import set_aside_beyond_limits, values_beyond_limits
from mirvo.records.models import RootSession, SetAside, TreeAnswer, Watering
from mirvo.records.snapshots import keep_snapshot
from mirvo.studio.records.answers import put_answer
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.shelf.soil import begin_with_usual, components, keep_recipe, recipes
from mirvo.studio.shelf.supplies import SupplyFields, set_supply, supplies
from mirvo.studio.standing import standing, tree_list
from mirvo.studio.standing.seasons import PlantFields, forget_seen, note_plant
from mirvo.studio.yard.compost import KEPT_DAYS, clear_heap
from mirvo.studio.yard.family import add_graft, grafts_of
from mirvo.studio.yard.repair import LOG_FILE
from mirvo.studio.yard.restoring import put_waiting_in_place, waiting_backup
from mirvo.web.app import create_app
from mirvo.web.repair_app import create_repair_app
from tests.client import TestClient
from tests.studio_case import TODAY, StudioCase

NOW = TODAY.replace(tzinfo=None)


class RepairCase(StudioCase):
    def prepare(self):
        self.tree(name="Elm", acquired_on=date(2020, 1, 1))
        self.tree(name="Oak")
        done = record_session(self.studio, 1, SessionFields(done_on=date(2026, 3, 1)))
        put_answer(self.studio, done.id, AnswerFields(leaf_lost_percent=20))

    def setUp(self):
        super().setUp()
        # What is broken on purpose is logged, and is no news here.
        logging.disable(logging.CRITICAL)
        self.addCleanup(logging.disable, logging.NOTSET)
        self.pages = TestClient(
            create_app(self.studio), follow_redirects=False, raise_server_exceptions=False
        )

    def poison(self, *statements):
        """Change the records as no way in does."""
        with closing(sqlite3.connect(self.studio.folder / FILE_NAME)) as kept:
            kept.execute("PRAGMA ignore_check_constraints = ON")
            for statement in statements:
                kept.execute(statement)
            kept.commit()

    def restored(self, *statements):
        """The records as a restored backup of them would be: what cannot be is set aside."""
        self.poison(*statements)
        with closing(sqlite3.connect(self.studio.folder / FILE_NAME)) as kept:
            return set_aside_beyond_limits(kept, NOW)


class SetAsideTest(RepairCase):
    def test_a_session_comes_back_with_all_that_hangs_on_it(self):
        with self.studio.reading() as db:
            tasks = db.query(RootSession).count()
        told = self.restored("UPDATE root_sessions SET done_on = '9999-12-31'")
        self.assertEqual(len(told), 1)
        self.assertIn("The entry is set aside.", told[0])
        self.assertEqual(self.sessions_of(1), ())
        with self.studio.reading() as db:
            self.assertEqual(db.query(TreeAnswer).count(), 0)
        page = unescape(self.pages.get("/repair").text)
        self.assertIn("31 Dec 9999 is in the future", page)
        self.assertIn("of Elm", page)
        refused = self.pages.post("/repair/aside/1/back", data={"value": "12 mar 2031"})
        self.assertEqual(refused.status_code, 422)
        self.assertIn("12 Mar 2031 is in the future", refused.text)
        self.assertEqual(
            self.pages.post("/repair/aside/1/back", data={"value": ""}).status_code, 422
        )
        back = self.pages.post("/repair/aside/1/back", data={"value": "1 mar 2026"})
        self.assertEqual(back.status_code, 303)
        [session] = self.sessions_of(1)
        self.assertEqual((session.done_on, tasks), (date(2026, 3, 1), 1))
        with self.studio.reading() as db:
            self.assertEqual(db.query(TreeAnswer).one().leaf_lost_percent, 20)
            self.assertEqual(db.query(SetAside).count(), 0)
        self.assertIn("1 Mar 2026", self.pages.get("/trees/1/sessions").text)

    def test_a_value_is_put_right_and_the_row_stays_meanwhile(self):
        told = self.restored(
            "UPDATE trees SET height_mm = -500, acquired_on = '9999-12-31' WHERE id = 1",
            "UPDATE trees SET stage = 'asleep' WHERE id = 2",
        )
        self.assertEqual(len(told), 3)
        tree = self.load_tree(1)
        self.assertEqual((tree.name, tree.height_mm, tree.acquired_on), ("Elm", None, None))
        self.assertEqual(self.load_tree(2).stage, "growing")
        for number, value in ((1, "1 jan 2020"), (2, "500"), (3, "refining")):
            answer = self.pages.post(f"/repair/aside/{number}/back", data={"value": value})
            self.assertEqual(answer.status_code, 303, answer.text)
        tree = self.load_tree(1)
        self.assertEqual((tree.height_mm, tree.acquired_on), (500, date(2020, 1, 1)))
        self.assertEqual(self.load_tree(2).stage, "refining")

    def test_what_is_left_out_can_come_back_for_a_month(self):
        self.restored("UPDATE root_sessions SET done_on = '0001-01-01'")
        self.pages.post("/repair/aside/1/leave")
        self.assertIn("Nothing was set aside", self.pages.get("/repair").text)
        self.assertIn("Root session 1 of Elm", self.pages.get("/kit").text)
        self.studio.clock = lambda: TODAY.replace(year=2027, month=1, day=1)
        clear_heap(self.studio)
        with self.studio.reading() as db:
            self.assertEqual(db.query(SetAside).count(), 0)

    def test_a_species_no_almanac_has_is_named_and_the_tree_kept(self):
        told = self.restored("UPDATE trees SET species_key = 'no-such-species' WHERE id = 1")
        self.assertIn("It is kept as it is", told[0])
        page = unescape(self.pages.get("/repair").text)
        self.assertIn("The almanac has no species “no-such-species”", page)
        self.assertIn('href="/trees/1/edit"', page)
        self.assertEqual(self.pages.get("/trees/1").status_code, 200)

    def test_notes_from_elsewhere_reach_no_other_table_and_no_other_file(self):
        outside = self.folder / "outside.deleted"
        outside.write_text("mine")
        rows = json.dumps({"rows": [["people", 1, {"id": 1, "name": "Eve"}]], "links": []})
        for table, value, doc in (
            ("people", "null", rows),
            ("others", json.dumps("../../outside"), "null"),
            ('trees"; DROP TABLE trees; --', "1", "null"),
            ("trees", "not json", "not json"),
            ("no such table", "1", '{"rows": [], "links": []}'),
        ):
            with self.studio.writing() as db:
                note = SetAside(why="deleted", table_name=table, row_number=1, label="x")
                note.value, note.rows, note.set_aside_at = value, doc, NOW
                db.add(note)
        for number in range(1, 6):
            answer = self.pages.post(f"/compost/entries/{number}/back")
            self.assertIn(answer.status_code, (404, 409, 422), answer.text)
        self.assertEqual(self.pages.get("/kit").status_code, 200)
        self.studio.clock = lambda: TODAY.replace(year=2027, month=1, day=2)
        clear_heap(self.studio)
        self.assertEqual(outside.read_text(), "mine")
        self.assertEqual(self.load_tree(1).name, "Elm")


class OneLineTest(RepairCase):
    def test_a_tree_that_cannot_be_worked_out_costs_its_own_line(self):
        whole = tree_list.standing_from

        def broken(db, records, *args, **named):
            if records.tree.name == "Oak":
                raise OverflowError("date value out of range")
            return whole(db, records, *args, **named)

        with (
            patch.object(tree_list, "standing_from", broken),
            patch.object(standing, "standing_from", broken),
        ):
            for place in ("/", "/trees"):
                page = self.pages.get(place)
                self.assertEqual(page.status_code, 200, place)
                self.assertIn("Elm", page.text)
                self.assertIn("Oak</a> is missing here", " ".join(page.text.split()))
            self.assertIn("Oak", self.pages.get("/repair").text)
            # A crash is said as one, never as a page that is not there.
            crashed = self.pages.get("/trees/2")
            self.assertEqual(crashed.status_code, 500)
            self.assertIn("Something went wrong in Mirvo", crashed.text)
            self.assertIn('href="/repair"', crashed.text)
        self.assertNotIn("missing here", self.pages.get("/trees").text)

    def test_a_number_too_large_for_any_row_is_no_crash(self):
        huge = "9" * 30
        for place in (f"/trees/{huge}", f"/photos/{huge}", f"/trees/{huge}/years"):
            self.assertEqual(self.pages.get(place).status_code, 404, place)

    def test_days_beyond_all_limits_break_no_page(self):
        self.poison(
            "UPDATE trees SET acquired_on = '9999-12-31' WHERE id = 1",
            "UPDATE root_sessions SET done_on = '9999-12-31'",
            "UPDATE care_tasks SET due = '9999-12-31'",
        )
        places = ("", "/sessions", "/time", "/years", "/path", "/edit", "/family", "/dossier")
        for place in ("/", "/trees", "/kit", "/repair", *(f"/trees/1{part}" for part in places)):
            self.assertEqual(self.pages.get(place).status_code, 200, place)
        with closing(sqlite3.connect(self.studio.folder / FILE_NAME)) as kept:
            named = {one.column for one in values_beyond_limits(kept, self.studio.today)}
        self.assertLessEqual({"acquired_on", "done_on"}, named)


class RepairPageTest(RepairCase):
    def test_it_opens_on_records_nothing_else_can_be_read_from(self):
        self.poison("DROP TABLE photos", "DROP TABLE yard", "ALTER TABLE trees RENAME TO lost")
        page = self.pages.get("/repair")
        self.assertEqual(page.status_code, 200)
        self.assertIn("Part of this page cannot be read", page.text)
        self.assertEqual(self.pages.get("/").status_code, 500)

    def test_a_copy_of_the_records_is_ready_for_the_next_start(self):
        photo, _ = self.photo(self.load_tree(1))
        copy = keep_snapshot(self.studio.folder, self.studio.today)
        self.tree(name="Later")
        self.assertIn("2 trees", " ".join(self.pages.get("/repair").text.split()))
        for wrong in ("../../etc/passwd", "mirvo-none.sqlite3", ""):
            self.assertEqual(self.pages.post("/repair/copy", data={"name": wrong}).status_code, 422)
        self.assertEqual(self.pages.post("/repair/copy", data={"name": copy.name}).status_code, 303)
        self.assertIn("Ready for the next start", self.pages.get("/repair").text)
        self.assertEqual(waiting_backup(self.studio.folder).trees, 2)
        self.studio.close()
        put_waiting_in_place(self.studio.folder, NOW)
        self.studio = self.opened()
        self.assertEqual([row.tree.name for row in self.list_trees()], ["Elm", "Oak"])
        self.assertTrue(self.studio.photos.original(photo.digest).exists())

    def test_it_checks_and_shows_the_log(self):
        (self.studio.folder / LOG_FILE).write_text("2026-11-23 WARNING something & more\n")
        self.assertIn("something &amp; more", self.pages.get("/repair").text)
        self.poison("UPDATE root_sessions SET ball_depth_after = 9e8")
        page = unescape(self.pages.post("/repair/check").text)
        self.assertIn("Must be at most 5000.", page)


class NoRecordsTest(RepairCase):
    """Records that cannot be opened at all: the page is served alone."""

    def setUp(self):
        super().setUp()
        self.copy = keep_snapshot(self.studio.folder, self.studio.today)
        self.studio.close()
        (self.studio.folder / FILE_NAME).write_bytes(b"SQLite format 3\0" + b"x" * 4096)
        with self.assertRaises(Damaged) as said:
            self.opened()
        app = create_repair_app(self.studio.folder, said.exception.message, lambda: NOW)
        self.alone = TestClient(app, follow_redirects=False)

    def test_a_copy_is_put_back_and_the_next_start_has_it(self):
        self.assertEqual(self.alone.get("/trees").headers["location"], "/repair")
        page = self.alone.get("/repair")
        self.assertEqual(page.status_code, 200)
        self.assertIn("does not start on this database", page.text)
        self.assertNotIn('href="/almanac"', page.text)
        for name in ("mirvo-none.sqlite3", "9" * 5000, "../mirvo.sqlite3"):
            refused = self.alone.post("/repair/copy", data={"name": name})
            self.assertEqual(refused.status_code, 422)
        done = self.alone.post("/repair/copy", data={"name": self.copy.name})
        self.assertEqual(done.status_code, 303)
        self.assertIn("Ready for the next start", self.alone.get("/repair").text)
        put_waiting_in_place(self.studio.folder, NOW)
        self.studio = self.opened()
        self.assertEqual([row.tree.name for row in self.list_trees()], ["Elm", "Oak"])

    def test_a_full_disk_is_said_on_the_page(self):
        full = OSError(28, "No space left on device")
        with patch("mirvo.studio.yard.repair.shutil.copy2", side_effect=full):
            answer = self.alone.post("/repair/copy", data={"name": self.copy.name})
        self.assertEqual(answer.status_code, 422)
        self.assertIn("No space left on device. Nothing was changed.", answer.text)
        self.assertIsNone(waiting_backup(self.studio.folder))

    def test_nothing_is_no_backup(self):
        for files in ({}, {"backup": ("yard.zip", b"nothing")}):
            answer = self.alone.post("/kit/restore", files=files)
            self.assertEqual(answer.status_code, 422)
            self.assertIn('role="alert"', answer.text)

    def test_it_answers_this_computer_alone(self):
        for headers in ({"x-forwarded-for": "10.0.0.1"}, {"host": "evil.example"}):
            self.assertIn(self.alone.get("/repair", headers=headers).status_code, (403, 421))
        other = {"origin": "https://evil.example"}
        answer = self.alone.post("/repair/copy", data={"name": self.copy.name}, headers=other)
        self.assertEqual(answer.status_code, 403)
        self.assertIsNone(waiting_backup(self.studio.folder))


class PutBackTest(RepairCase):
    """What is deleted anywhere can be restored for 30 days."""

    def back(self):
        [entry] = self.read(lambda db: [one.id for one in db.query(SetAside)])
        self.assertEqual(self.pages.post(f"/compost/entries/{entry}/back").status_code, 303)
        self.assertEqual(self.read(lambda db: db.query(SetAside).count()), 0)

    def test_soil_supplies_and_grafts(self):
        begin_with_usual(self.studio)
        first = self.read(components)[0]
        keep_recipe(self.studio, "Mix", {f"part-{first.id}": "2"})
        record_session(self.studio, 2, SessionFields(done_on=date(2026, 4, 1), recipe_id=1))
        set_supply(self.studio, SupplyFields(supply_name="tie wire 2 mm", supply_stock=3))
        add_graft(self.studio, 1, GraftFields(donor_id=2, place="3 o'clock"))
        for drop, count in (
            ("/shelf/soil/recipes/1/drop", lambda db: len(recipes(db))),
            ("/materials/supplies/1/drop", lambda db: len(supplies(db))),
            ("/trees/1/grafts/1/drop", lambda db: len(grafts_of(db, 1))),
        ):
            with self.subTest(drop=drop):
                self.assertEqual(self.pages.post(drop).status_code, 303)
                self.assertEqual(self.read(count), 0)
                self.assertIn("Restore", self.pages.get("/kit").text)
                self.back()
                self.assertEqual(self.read(count), 1)
        [recipe] = self.read(recipes)
        self.assertEqual(recipe.recipe.parts, {str(first.id): 2.0})
        # What named the recipe names it again.
        self.assertEqual(self.sessions_of(2)[0].recipe_id, 1)

    def test_a_component_whose_name_was_taken_meanwhile_waits(self):
        begin_with_usual(self.studio)
        name = self.read(components)[0].name
        number = self.read(components)[0].id
        self.pages.post(f"/shelf/soil/components/{number}/drop")
        begin_with_usual(self.studio)
        answer = self.pages.post("/compost/entries/1/back")
        self.assertEqual(answer.status_code, 409)
        self.assertIn(name, [one.name for one in self.read(components)])
        self.assertEqual(self.read(lambda db: db.query(SetAside).count()), 1)

    def test_notes_of_the_season(self):
        note_plant(self.studio, PlantFields(plant="Blackthorn", plant_on=date(2026, 3, 8)))
        forget_seen(self.studio, "plant", "Blackthorn", date(2026, 3, 8))
        self.assertEqual(self.yard().seasons_seen, ())
        self.back()
        [seen] = self.yard().seasons_seen
        self.assertEqual((seen.name, seen.seen_on), ("Blackthorn", date(2026, 3, 8)))

    def test_after_a_month_it_is_gone(self):
        begin_with_usual(self.studio)
        self.pages.post(f"/shelf/soil/components/{self.read(components)[0].id}/drop")
        with self.studio.writing() as db:
            note = db.query(SetAside).one()
            note.set_aside_at = NOW.replace(month=10, day=20)
            db.add(Watering(tree_id=1, watered_on=date(2026, 3, 1)))
        self.assertGreater((NOW - NOW.replace(month=10, day=20)).days, KEPT_DAYS)
        clear_heap(self.studio)
        self.assertEqual(self.read(lambda db: db.query(SetAside).count()), 0)
