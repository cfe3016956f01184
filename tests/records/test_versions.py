"""State versions: which writes raise which, and triggers that are always in place."""

import sqlite3
from contextlib import closing

from sqlalchemy import delete, select, text, update

from mirvo.core.limits.sessions import SessionFields
from mirvo.core.limits.shelf import PotFields
from mirvo.records.database import (
    FILE_NAME,
    engine_on,
    known_revisions,
    open_database,
    writing,
)
from mirvo.records.models import (
    Measurement,
    NightMinimum,
    Photo,
    RootSession,
    SoilComponent,
    StateVersion,
    Table,
    Tree,
    TreeAnswer,
    Watering,
)
from mirvo.records.soundness import complaint_about
from mirvo.records.versions import RAISED_BY, RAISING_NOTHING, SETTINGS, SHELF, triggers
from mirvo.studio.ground.settings import put_yard
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.shelf.pots import add_pot, put_tree_in
from mirvo.studio.standing.weather import put_night
from tests.studio_case import StudioCase


class VersionsTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.one, self.other = self.tree(name="Ferry zelkova"), self.tree(name="Mole larch")

    def versions(self):
        with self.studio.reading() as db:
            return dict(db.execute(select(StateVersion.tree_id, StateVersion.version)).all())

    def raised_by(self, write):
        """The scopes whose version a write raises."""
        before = self.versions()
        write()
        after = self.versions()
        for scope, version in before.items():
            self.assertGreaterEqual(after.get(scope, -1), version, "no version ever falls")
        return {scope for scope in after if after[scope] != before.get(scope)}

    def execute(self, statement):
        with self.studio.writing() as db:
            db.execute(statement)

    def test_every_table_is_said_to_raise_a_version_or_none(self):
        tables = {table.name for table in Table.metadata.sorted_tables}
        self.assertEqual(RAISED_BY.keys() | RAISING_NOTHING, tables)
        self.assertEqual(RAISED_BY.keys() & RAISING_NOTHING, set())

    def test_a_write_raises_the_versions_of_what_rests_on_it(self):
        one, other = self.one.id, self.other.id
        photo, marks = self.photo(self.one)
        session = record_session(self.studio, one, SessionFields(done_on=self.studio.today))
        answer = TreeAnswer(session_id=session.id, seen_on=self.studio.today, weak=True)

        def put(row):
            with self.studio.writing() as db:
                db.add(row)

        def settings():
            with self.studio.writing() as db:
                put_yard(db, place="Elsewhere")

        tap = Watering(tree_id=one, watered_on=self.studio.today)
        for what, write, raised in (
            ("marks", lambda: save_marks(self.studio, photo.id, marks, 0), {one}),
            ("answer", lambda: put(answer), {one}),
            ("tap", lambda: put(tap), set()),
            ("settings", settings, {SETTINGS}),
            ("night", lambda: put_night(self.studio, self.studio.today, -3.0), {SETTINGS}),
            (
                "many nights",
                lambda: self.execute(update(NightMinimum).values(low_c=-4)),
                {SETTINGS},
            ),
            ("many trees", lambda: self.execute(update(Tree).values(note="seen")), {one, other}),
            (
                "photo to another tree",
                lambda: self.execute(update(Photo).values(tree_id=other)),
                {one, other},
            ),
            ("measurement gone", lambda: self.execute(delete(Measurement)), {one}),
            ("session gone", lambda: self.execute(delete(RootSession)), {one}),
            ("tree gone", lambda: self.execute(delete(Tree).where(Tree.id == one)), {one}),
        ):
            with self.subTest(what):
                self.assertEqual(self.raised_by(write), raised)

    def test_a_pot_raises_the_tree_in_it_and_soil_the_shelf(self):
        pot = add_pot(self.studio, PotFields(name="Tray", length_mm=300, width_mm=200, depth_mm=60))
        put_tree_in(self.studio, self.one.id, pot.id)
        deeper = text("UPDATE pots SET depth_mm = 70")
        self.assertEqual(self.raised_by(lambda: self.execute(deeper)), {self.one.id})
        grain = SoilComponent(name="Grit", from_mm=2, to_mm=4, kg_per_l=1, water=0.2, air=0.3)

        def mix():
            with self.studio.writing() as db:
                db.add(grain)

        self.assertEqual(self.raised_by(mix), {SHELF})

    def test_what_is_given_up_raises_nothing(self):
        def give_up():
            with self.assertRaises(RuntimeError), self.studio.writing() as db:
                db.execute(update(Tree).values(note="seen"))
                raise RuntimeError("given up")

        self.assertEqual(self.raised_by(give_up), set())


class TriggersTest(StudioCase):
    def database(self):
        return closing(sqlite3.connect(self.studio.folder / FILE_NAME))

    def standing(self):
        with self.database() as kept:
            found = kept.execute("SELECT name, sql FROM sqlite_master WHERE type = 'trigger'")
            return dict(found.fetchall())

    def test_triggers_that_went_missing_are_back_after_a_start(self):
        self.assertEqual(self.standing(), triggers())
        with self.database() as kept:
            kept.execute("DROP TRIGGER state_version_trees_update")
        self.assertNotEqual(self.standing(), triggers())
        open_database(self.studio.folder).dispose()
        self.assertEqual(self.standing(), triggers())

    def test_a_trigger_that_is_not_mirvos_word_for_word_is_refused(self):
        path = self.studio.folder / FILE_NAME
        self.assertIsNone(complaint_about(path, known_revisions()))
        name = "state_version_trees_update"
        for changed in (
            f"CREATE TRIGGER {name} AFTER UPDATE ON trees BEGIN DELETE FROM photos; END",
            "CREATE TRIGGER state_version_more AFTER UPDATE ON trees BEGIN SELECT 1; END",
        ):
            engine = engine_on(path)
            with writing(engine) as db:
                db.execute(text(f"DROP TRIGGER IF EXISTS {name}"))
                db.execute(text(changed))
            engine.dispose()
            self.assertIn("not Mirvo's", complaint_about(path, known_revisions()))
            with self.database() as kept:
                for trigger in self.standing():
                    if trigger not in triggers():
                        kept.execute(f"DROP TRIGGER {trigger}")
