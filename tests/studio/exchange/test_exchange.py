"""Exchange files: everything comes back, merges are decided row by row, and hostile files harm
nothing."""

import io
import json
import tempfile
import zipfile
from datetime import date
from pathlib import Path

from sqlalchemy import select

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.limits.sessions import SessionFields
from mirvo.core.limits.shelf import PotFields
from mirvo.core.limits.targets import TargetFields
from mirvo.core.limits.trees import TreeFields
from mirvo.formats.exchange import STUDIO_TABLES, TREE_TABLES, as_json, columns_of, open_archive
from mirvo.formats.exchange.tables import table_of
from mirvo.records.models import FigureChange, Photo, Root, RootSession, ShelfPot, Tree, Yard
from mirvo.studio.exchange.incoming import hold, let_go, preview, take_in, waiting_file
from mirvo.studio.exchange.merging import THEIRS
from mirvo.studio.exchange.outgoing import give_out
from mirvo.studio.ground.settings import YardFields, put_yard, save_yard, yard_of
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.path.path import plan_path
from mirvo.studio.path.target import set_target
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.shelf.pots import add_pot, put_tree_in
from mirvo.studio.shelf.soil import begin_with_usual
from mirvo.studio.standing import species as almanac
from mirvo.studio.standing.seasons import OpenedFields, note_opened
from mirvo.studio.yard.compost import lay_on_heap
from mirvo.studio.yard.trees import edit_tree
from tests.studio.standing.test_species import entry
from tests.studio_case import StudioCase, other_studio


def tables(studio):
    """Every row that is exchanged, by table."""
    with studio.reading() as db:
        return {
            kind.__tablename__: [
                as_json(kind, row._mapping)
                for row in db.execute(
                    select(*columns_of(kind)).order_by(*table_of(kind).primary_key.columns)
                )
            ]
            for kind in (*STUDIO_TABLES, *TREE_TABLES)
        }


def files(studio):
    return sorted(one.name for one in studio.photos.originals.rglob("*") if one.is_file())


class ExchangeCase(StudioCase):
    def setUp(self):
        super().setUp()
        self.place = Path(tempfile.mkdtemp())
        self.addCleanup(lambda: [one.unlink() for one in self.place.glob("*.zip")])

    def other(self):
        studio = other_studio()
        self.addCleanup(studio.close)
        return studio

    def file(self, studio, trees=None, name="out"):
        path = self.place / f"{name}.zip"
        path.write_bytes(b"".join(give_out(studio, trees)))
        return path

    def live(self):
        """A yard in which something of most kinds happened."""
        for name in ("Elm", "Pine"):
            self.tree(name=name, acquired_on=date(2020, 1, 1))
        photo, marks = self.photo(self.load_tree(1), taken_on=date(2026, 2, 1))
        save_marks(self.studio, photo.id, marks, 0)
        set_target(
            self.studio, 1, TargetFields(spread_ratio=2.2, largest_gap_deg=90, pot_depth_mm=60)
        )
        begin_with_usual(self.studio)
        pot = add_pot(self.studio, PotFields(name="Tray", length_mm=300, width_mm=200, depth_mm=60))
        put_tree_in(self.studio, 2, pot.id)
        form = SessionFields(kind="routine", done_on=date(2026, 3, 20), ball_depth_before=70)
        record_session(self.studio, 1, form)
        plan_path(self.studio, 1)
        almanac.keep_entry(self.studio, "zelkova", entry(budget_steady=40), "sulks")
        note_opened(self.studio, "zelkova", OpenedFields(opened_on=date(2026, 3, 7)))


class RoundTripTest(ExchangeCase):
    def test_a_studio_comes_back_row_by_row_and_file_by_file(self):
        self.live()
        lay_on_heap(self.studio, "tree", 2)
        other = self.other()
        found = take_in(other, self.file(self.studio), otherwise=THEIRS)
        self.assertEqual(tables(other), tables(self.studio))
        self.assertEqual(files(other), files(self.studio))
        self.assertEqual(found.total.same, 0)
        self.assertGreater(found.total.new, 20)

    def test_taken_in_again_nothing_changes(self):
        self.live()
        other, path = self.other(), self.file(self.studio)
        take_in(other, path, otherwise=THEIRS)
        before = tables(other)
        again = take_in(other, path)
        self.assertEqual((again.total.new, again.total.different), (0, 0))
        self.assertEqual(tables(other), before)
        # Nor does it in the studio it came from.
        self.assertEqual(take_in(self.studio, path).total.new, 0)

    def test_a_preview_keeps_nothing(self):
        self.live()
        other, path = self.other(), self.file(self.studio)
        found = preview(other, path)
        self.assertGreater(found.total.new, 20)
        self.assertEqual(len(found.photos), 1)
        self.assertEqual(tables(other)["trees"], [])
        self.assertEqual(files(other), [])


class MergeTest(ExchangeCase):
    def taken(self):
        """A tree of another studio in one that has trees of its own."""
        self.live()
        other = self.other()
        with other.writing() as db:
            form = TreeFields(name="Own", species_key="privet").model_dump()
            db.add(Tree(**form, created_at=other.now, updated_at=other.now))
        take_in(other, self.file(self.studio, [1]))
        return other

    def names(self, studio):
        with studio.reading() as db:
            return [tree.name for tree in db.scalars(select(Tree).order_by(Tree.id))]

    def test_one_tree_joins_those_of_another_studio(self):
        other = self.taken()
        self.assertEqual(self.names(other), ["Own", "Elm"])
        with other.reading() as db:
            elm = db.scalar(select(Tree).where(Tree.name == "Elm"))
            self.assertEqual(elm.id, 2)
            for kind in (Photo, RootSession, Root):
                self.assertTrue(all(row.tree_id == 2 for row in db.scalars(select(kind))))
            # The other tree, its pot, and what else is the studio's own stay at home.
            self.assertIsNone(db.scalar(select(ShelfPot)))
            self.assertIsNone(db.scalar(select(FigureChange)))
        self.assertEqual(len(files(other)), 1)

    def test_it_is_known_again_when_it_comes_a_second_time_and_when_it_comes_home(self):
        other = self.taken()
        record_session(self.studio, 1, SessionFields(kind="top-up", done_on=date(2026, 5, 1)))
        again = take_in(other, self.file(self.studio, [1]))
        self.assertEqual(again.trees["Elm"].new >= 1, True)
        self.assertEqual(self.names(other), ["Own", "Elm"])
        with other.reading() as db:
            self.assertEqual(len(db.scalars(select(RootSession)).all()), 2)
        record_session(other, 2, SessionFields(kind="top-up", done_on=date(2026, 6, 1)))
        home = take_in(self.studio, self.file(other, [2], "back"))
        self.assertEqual(self.names(self.studio), ["Elm", "Pine"])
        self.assertGreaterEqual(home.total.new, 1)
        with self.studio.reading() as db:
            days = [one.done_on for one in db.scalars(select(RootSession))]
        self.assertEqual(sorted(days)[1:], [date(2026, 5, 1), date(2026, 6, 1)])

    def test_what_both_changed_is_decided_row_by_row(self):
        other = self.taken()
        for studio, number, name in ((self.studio, 1, "Elm by the sea"), (other, 2, "Great elm")):
            with studio.reading() as db:
                version = db.get(Tree, number).version
            edit_tree(studio, number, TreeFields(name=name, species_key="zelkova"), version)
        path = self.file(self.studio, [1])
        [conflict] = [one for one in preview(other, path).conflicting if one.table == "trees"]
        self.assertEqual(conflict.differences[0].column, "name")
        self.assertEqual(
            (conflict.differences[0].mine, conflict.differences[0].theirs),
            ("Great elm", "Elm by the sea"),
        )
        take_in(other, path)
        self.assertIn("Great elm", self.names(other))
        take_in(other, path, {conflict.key: THEIRS})
        self.assertIn("Elm by the sea", self.names(other))

    def test_own_species_come_along(self):
        key = almanac.add_entry(self.studio, "Wild pear", "crab-apple")
        self.tree(species_key=key)
        other = self.other()
        found = take_in(other, self.file(self.studio, [1]))
        self.assertEqual(found.species, ["Wild pear"])
        with other.reading() as db:
            self.assertEqual(almanac.species_of(db.get(Yard, 1), key).name, "Wild pear")

    def test_a_new_studio_takes_the_settings_and_another_keeps_its_own(self):
        self.live()
        save_yard(self.studio, YardFields(name="By the sea", last_frost="05-10"))
        path, fresh = self.file(self.studio), self.other()
        with fresh.writing() as db:
            put_yard(db, name="untouched")
        take_in(fresh, path)
        with fresh.reading() as db:
            self.assertEqual(yard_of(db).name, "By the sea")
        lived_in = self.taken()
        save_yard(lived_in, YardFields(name="Mine", last_frost="03-01"))
        take_in(lived_in, path)
        with lived_in.reading() as db:
            self.assertEqual((yard_of(db).name, yard_of(db).last_frost), ("Mine", "03-01"))

    def test_only_trees_that_are_there_are_given_out(self):
        self.live()
        lay_on_heap(self.studio, "tree", 2)
        for numbers in ([9], [1, 2]):
            with self.assertRaises(NotFound):
                give_out(self.studio, numbers)


class HostileFileTest(ExchangeCase):
    made = None

    def whole(self):
        """The file of a yard, lived in once for all of these."""
        if HostileFileTest.made is None:
            self.live()
            HostileFileTest.made = self.file(self.studio).read_bytes()
        return HostileFileTest.made

    def changed(self, edit, entry="trees/1.json"):
        """The file of a yard with one of its parts changed."""
        path = self.place / "bad.zip"
        with zipfile.ZipFile(io.BytesIO(self.whole())) as old, zipfile.ZipFile(path, "w") as new:
            for one in old.infolist():
                content = old.read(one)
                if one.filename == entry:
                    content = edit(content)
                if content is not None:
                    new.writestr(one.filename, content)
        return path

    def refused(self, path, words):
        other = self.other()
        with self.assertRaises(BadInput) as told:
            take_in(other, path, otherwise=THEIRS)
        self.assertIn(words, str(told.exception))
        # All or nothing.
        self.assertEqual(tables(other)["trees"], [])
        self.assertEqual(files(other), [])

    def rows(self, change):
        def edit(content):
            rows = json.loads(content)
            change(rows)
            return json.dumps(rows).encode()

        return edit

    def test_a_reference_that_leads_nowhere(self):
        path = self.changed(self.rows(lambda rows: rows["photos"].clear()))
        self.refused(path, "which is not in the file")

    def test_a_value_that_cannot_be(self):
        path = self.changed(self.rows(lambda rows: rows["trees"][0].update(strength="mighty")))
        self.refused(path, "trees.0")

    def test_a_name_that_is_no_column_is_named_and_left_out(self):
        path = self.changed(self.rows(lambda rows: rows["trees"][0].update(evil=1)))
        self.assertEqual(take_in(self.other(), path).ignored, ["trees.evil"])

    def test_a_digest_that_is_a_path(self):
        path = self.changed(self.rows(lambda rows: rows["photos"][0].update(digest="../../x")))
        self.refused(path, "photos.0")

    def test_a_photo_that_is_missing_or_another_one(self):
        with zipfile.ZipFile(io.BytesIO(self.whole())) as packed:
            [named] = [name for name in packed.namelist() if name.startswith("photos/")]
        digest = named.removeprefix("photos/")
        self.refused(self.changed(lambda content: None, f"photos/{digest}"), "not in the file")
        flipped = self.changed(lambda content: content[:-9] + b"somewhere", f"photos/{digest}")
        self.refused(flipped, "photos/")

    def test_rubbish_deep_nesting_and_newer_files(self):
        for edit, entry_name, words in (
            (lambda content: b"[" * 100_000, "trees/1.json", "is not JSON"),
            (lambda content: b"{}", "exchange.json", "no exchange file"),
            (
                lambda content: content.replace(b'"version": 1', b'"version": 2'),
                "exchange.json",
                "newer Mirvo",
            ),
            (lambda content: None, "studio.json", "is missing"),
        ):
            self.refused(self.changed(edit, entry_name), words)
        path = self.place / "no.zip"
        path.write_bytes(b"no zip")
        with self.assertRaises(BadInput):
            preview(self.studio, path)

    def test_a_file_that_waits_is_kept_until_it_is_decided(self):
        self.live()
        with self.file(self.studio).open("rb") as sent:
            hold(self.studio, sent)
        self.assertTrue(waiting_file(self.studio).exists())
        with (self.place / "no.zip").open("w+b") as sent, self.assertRaises(BadInput):
            hold(self.studio, sent)
        # The one that waited still does.
        self.assertEqual(preview(self.studio).total.different, 0)
        let_go(self.studio)
        with self.assertRaises(NotFound):
            preview(self.studio)


class SchemaTest(ExchangeCase):
    def test_every_file_of_a_lived_in_studio_fits_the_published_schema(self):
        from jsonschema import Draft202012Validator

        self.live()
        published = Path(__file__).parents[3] / "docs/exchange"
        with open_archive(self.file(self.studio)) as archive:
            for name in archive.packed.namelist():
                kind = "tree" if name.startswith("trees/") else name.removesuffix(".json")
                place = published / f"{kind}.schema.json"
                if name.endswith(".json") and not name.startswith("standins/"):
                    schema = json.loads(place.read_text("utf-8"))
                    Draft202012Validator.check_schema(schema)
                    Draft202012Validator(schema).validate(json.loads(archive.packed.read(name)))
