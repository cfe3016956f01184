"""Bundles: the whole studio in one file and back, and everything that can be wrong with one."""

import hashlib
import io
import json
import shutil
import sqlite3
import zipfile
from contextlib import closing
from datetime import date

from mirvo.core.errors import BadInput, Conflict, NotFound
from mirvo.formats.bundle import MANIFEST, bundle_pieces, unpack_bundle
from mirvo.records.database import FILE_NAME
from mirvo.records.lock import held
from mirvo.records.models import Photo
from mirvo.records.snapshots import keep_snapshot
from mirvo.studio.ground.context import Studio
from mirvo.studio.measuring.desk import open_desk, save_marks
from mirvo.studio.photos.simulated import truth_of
from mirvo.studio.standing.tree_queries import load_tree
from mirvo.studio.yard.backups import backup_is_due, days_since_backup, restore, write_backup
from tests.studio_case import TODAY, StudioCase

NOW = TODAY.replace(tzinfo=None)


class BundleCase(StudioCase):
    def prepare(self):
        photo, marks = self.photo(self.tree())
        save_marks(self.studio, photo.id, marks, 0)

    def setUp(self):
        super().setUp()
        self.bundle = self.folder / "yard.zip"
        write_backup(self.studio, self.bundle)

    def changed(self, change):
        """The bundle with its files changed: a dict of name to content."""
        with zipfile.ZipFile(self.bundle) as packed:
            files = {name: packed.read(name) for name in packed.namelist()}
        change(files)
        with zipfile.ZipFile(self.bundle, "w") as packed:
            for name, content in files.items():
                packed.writestr(name, content)

    def manifest(self, **changes):
        def change(files):
            files[MANIFEST] = json.dumps({**json.loads(files[MANIFEST]), **changes}).encode()

        self.changed(change)

    def refused(self, words):
        place = self.folder / "again"
        with self.assertRaises(BadInput) as said:
            unpack_bundle(self.bundle, place, NOW)
        self.assertIn(words, str(said.exception))
        self.assertFalse(place.exists())
        self.assertFalse((self.folder / "again.unpacking").exists())


class BundleTest(BundleCase):
    def test_everything_comes_back_in_another_folder(self):
        found = unpack_bundle(self.bundle, self.folder / "again", NOW)
        self.assertEqual((found.trees, found.photos, found.lost), (1, 1, ()))
        again = Studio(self.folder / "again", clock=lambda: TODAY)
        self.addCleanup(again.close)
        before = self.open_desk(1)
        with again.reading() as db:
            after = open_desk(db, again, 1)
        self.assertEqual((after.marks, after.found), (before.marks, before.found))
        digest = before.photo.digest
        self.assertEqual(again.photos.read(digest), self.studio.photos.read(digest))
        self.assertEqual(truth_of(again, after.photo), truth_of(self.studio, before.photo))

    def test_a_photo_whose_file_is_gone_is_told_of_and_the_rest_is_kept(self):
        self.studio.photos.original(self.open_desk(1).photo.digest).unlink()
        write_backup(self.studio, self.bundle)
        found = unpack_bundle(self.bundle, self.folder / "again", NOW)
        self.assertEqual(found.photos, 0)
        self.assertIn("its file was missing", found.lost[0])
        self.assertIn(self.read(load_tree, 1).name, found.lost[0])

    def test_what_is_written_meanwhile_is_not_half_in_it(self):
        pieces = bundle_pieces(self.studio.folder, self.studio.now)
        first = next(pieces)
        self.tree(name="Quay privet", species_key="privet")
        self.bundle.write_bytes(first + b"".join(pieces))
        self.assertEqual(unpack_bundle(self.bundle, self.folder / "again", NOW).trees, 1)

    def test_a_folder_with_data_is_not_overwritten(self):
        with self.assertRaises(BadInput) as said:
            restore(self.bundle, self.studio.folder, self.studio.now)
        self.assertIn("holds data already", str(said.exception))
        self.studio.close()
        restore(self.bundle, self.studio.folder, self.studio.now, aside=True)
        beside = self.folder / "data.before-2026-11-23-090000"
        for folder in (self.studio.folder, beside):
            self.assertTrue((folder / FILE_NAME).exists())

    def test_damage_is_found_and_nothing_is_left(self):
        for change, words in (
            (lambda files: files.pop(FILE_NAME), "holds no records"),
            (lambda files: files.update({FILE_NAME: b"SQLite"}), "is damaged"),
            (lambda files: files.pop(MANIFEST), "no backup of Mirvo"),
            (lambda files: files.update({MANIFEST: b"[1"}), "no backup of Mirvo"),
        ):
            write_backup(self.studio, self.bundle)
            self.changed(change)
            with self.subTest(words=words):
                self.refused(words)

    def test_photos_that_are_not_sound_are_named_and_the_rest_comes_back(self):
        photo = f"photos/{self.open_desk(1).photo.digest}"
        for change, words in (
            (lambda files: files.update({photo: files[photo][:-1] + b"x"}), "is damaged in"),
            (lambda files: files.pop(photo), "is not in the backup"),
        ):
            write_backup(self.studio, self.bundle)
            self.changed(change)
            with self.subTest(words=words):
                again = self.folder / "again"
                found = unpack_bundle(self.bundle, again, NOW)
                self.assertEqual((found.trees, found.photos), (1, 0))
                self.assertIn(words, found.lost[0])
                self.assertTrue((again / FILE_NAME).exists())
                self.assertEqual([p for p in (again / "photos").rglob("*") if p.is_file()], [])
                shutil.rmtree(again)

    def test_a_damaged_original_is_told_when_the_backup_is_made(self):
        path = self.studio.photos.original(self.open_desk(1).photo.digest)
        turned = bytearray(path.read_bytes())
        turned[len(turned) // 2] ^= 0xFF
        path.write_bytes(turned)
        written = write_backup(self.studio, self.bundle)
        self.assertIn("was damaged already", written.held.lost[0])
        found = unpack_bundle(self.bundle, self.folder / "again", NOW)
        self.assertEqual((found.photos, found.lost), (0, written.held.lost))
        kept = Studio(self.folder / "again", clock=lambda: TODAY)
        self.addCleanup(kept.close)
        self.assertEqual(kept.photos.read(path.name), bytes(turned))

    def test_records_with_a_damaged_index_are_no_backup(self):
        before = self.bundle.read_bytes()
        path, digest = self.studio.folder / FILE_NAME, self.open_desk(1).photo.digest
        self.studio.engine.dispose()
        with closing(sqlite3.connect(path)) as kept:
            kept.execute("PRAGMA wal_checkpoint(TRUNCATE)")
            page = kept.execute(
                "SELECT rootpage FROM sqlite_master WHERE type = 'index' AND sql LIKE '%(digest)%'"
            ).fetchone()[0]
            size = kept.execute("PRAGMA page_size").fetchone()[0]
        whole = bytearray(path.read_bytes())
        at = whole.index(digest.encode(), size * (page - 1), size * page)
        whole[at] ^= 1
        path.write_bytes(whole)
        with self.assertRaises(BadInput) as said:
            write_backup(self.studio, self.bundle)
        self.assertIn("damaged records", str(said.exception))
        self.assertEqual(self.bundle.read_bytes(), before, "the last good backup stays")

    def test_what_a_manifest_may_not_say(self):
        for changes, words in (
            ({"version": 2}, "newer Mirvo"),
            ({"revision": "9999"}, "newer Mirvo"),
            ({"photos": ["../../evil"]}, "no photo can have"),
            ({"photos": 3}, "does not say"),
            ({"trees": "many"}, "does not say"),
            ({"made_at": None}, "does not say"),
            ({"format": "zip"}, "no backup of Mirvo"),
        ):
            write_backup(self.studio, self.bundle)
            self.manifest(**changes)
            with self.subTest(words=words):
                self.refused(words)

    def test_a_file_that_is_no_bundle(self):
        for content in (b"", b"PK\x03\x04", self.bundle.read_bytes()[:-900], b"hello" * 99):
            self.bundle.write_bytes(content)
            self.refused("no backup")

    def test_bytes_that_turned_are_found_wherever_they_lie(self):
        whole = self.bundle.read_bytes()
        for part in range(1, 12):
            turned = bytearray(whole)
            turned[len(whole) * part // 12] ^= 0xFF
            self.bundle.write_bytes(turned)
            with self.subTest(part=part):
                try:
                    found = unpack_bundle(self.bundle, self.folder / "again", NOW)
                except BadInput:
                    continue
                # Where it lies in the photo, the photo is named and the rest is there.
                self.assertEqual((found.trees, found.photos, len(found.lost)), (1, 0, 1))
                shutil.rmtree(self.folder / "again")
        with zipfile.ZipFile(io.BytesIO(whole)) as packed:
            records = packed.read(FILE_NAME)
        for place in range(60, 2000, 97):  # within the packed records
            turned = bytearray(whole)
            turned[place] ^= 0xFF
            self.bundle.write_bytes(turned)
            with self.subTest(place=place):
                try:
                    unpack_bundle(self.bundle, self.folder / "again", NOW)
                except BadInput:
                    continue
                # A byte may turn without harm: among zeros every distance copies zeros.
                with zipfile.ZipFile(self.bundle) as packed:
                    self.assertEqual(packed.read(FILE_NAME), records)
                shutil.rmtree(self.folder / "again")

    def test_names_that_lead_out_of_the_folder_are_not_followed(self):
        self.changed(lambda files: files.update({"standins/../../evil.json": b"{}"}))
        unpack_bundle(self.bundle, self.folder / "again", NOW)
        self.assertEqual(list(self.folder.rglob("evil*")), [])


class HostileBundleTest(BundleCase):
    """Bundles made to harm whoever restores them."""

    def records(self, *statements):
        """The bundle with its records changed, its manifest made to agree."""
        place = self.folder / "changed.sqlite3"

        def change(files):
            place.write_bytes(files[FILE_NAME])
            with closing(sqlite3.connect(place)) as kept:
                kept.execute("PRAGMA ignore_check_constraints = ON")
                for statement in statements:
                    kept.execute(statement)
                kept.commit()
                # As bundles hold them: in one file, without a journal beside it.
                kept.execute("PRAGMA journal_mode = DELETE")
            files[FILE_NAME] = place.read_bytes()
            manifest = json.loads(files[MANIFEST])
            manifest["records_sha256"] = hashlib.sha256(files[FILE_NAME]).hexdigest()
            files[MANIFEST] = json.dumps(manifest).encode()

        self.changed(change)

    def test_records_that_run_something_of_their_own_are_refused(self):
        for statement, words in (
            ("CREATE TRIGGER t AFTER UPDATE ON trees BEGIN DELETE FROM photos; END", "triggers"),
            ("CREATE VIEW v AS SELECT * FROM trees", "triggers or views"),
            ("CREATE TABLE more (a)", "tables are not those"),
            ("ALTER TABLE trees ADD COLUMN more TEXT", "tables are not those"),
            ("DROP TABLE alembic_version", "another program's"),
            ("UPDATE alembic_version SET version_num = '9999'", "newer Mirvo"),
            ("UPDATE alembic_version SET version_num = 'x'", "another program's"),
        ):
            write_backup(self.studio, self.bundle)
            self.records(statement)
            with self.subTest(statement=statement):
                self.refused(words)

    def test_values_nobody_can_read_are_named_and_the_rest_comes_back(self):
        self.records(
            "UPDATE trees SET created_at = '99999-99-99', acquired_on = '2026-02-30'",
            "UPDATE photos SET digest = 'elsewhere'",
            "INSERT INTO waterings (tree_id, watered_on) VALUES (1, 'soon'), (77, '2026-03-01')",
        )
        found = unpack_bundle(self.bundle, self.folder / "again", NOW)
        told = " | ".join(found.lost)
        for words in (
            "Ferry zelkova, simulated",
            "it is not in the backup",
            "trees, row 1, acquired on: “2026-02-30”; it is left empty",
            "trees, row 1, created at: “99999-99-99”; it got the day of the backup",
            "watered on: “soon”; the row is left out",
            "what it points at in trees is not there; the row is left out",
        ):
            self.assertIn(words, told)
        studio = Studio(self.folder / "again", clock=lambda: TODAY)
        self.addCleanup(studio.close)
        with studio.reading() as db:
            tree = load_tree(db, 1)
        self.assertEqual((tree.created_at.date(), tree.acquired_on), (TODAY.date(), None))

    def test_trees_are_counted_and_not_taken_on_trust(self):
        self.records("DELETE FROM trees")
        found = unpack_bundle(self.bundle, self.folder / "again", NOW)
        self.assertEqual(found.trees, 0)

    def test_a_digest_that_is_a_path_reaches_no_file(self):
        secret = self.folder / "secret.json"
        secret.write_text('{"name": "of the artist"}')
        for name in ("../../../secret", str(secret.with_suffix("")), "..%2f", "", "A" * 64):
            write_backup(self.studio, self.bundle)
            self.records(f"UPDATE photos SET digest = '{name}'")
            again = self.folder / "again"
            unpack_bundle(self.bundle, again, NOW)
            studio = Studio(again, clock=lambda: TODAY)
            with self.subTest(name=name):
                with studio.reading() as db:
                    photo = db.get(Photo, 1)
                self.assertIsNone(truth_of(studio, photo))
                for reach in (
                    studio.photos.read,
                    lambda digest, at=studio: at.photos.derivative(digest, "page"),
                    lambda digest, at=studio: at.photos.finding(digest, "card", len),
                ):
                    with self.assertRaises(NotFound):
                        reach(photo.digest)
                studio.photos.forget(photo.digest)
                self.assertTrue(secret.exists())
            studio.close()
            shutil.rmtree(again)

    def test_what_would_fill_the_disk_is_not_unpacked(self):
        photo = f"photos/{self.open_desk(1).photo.digest}"
        with zipfile.ZipFile(self.bundle) as packed:
            files = {name: packed.read(name) for name in packed.namelist()}
        for name in (photo, FILE_NAME, "standins/" + "0" * 64 + ".json"):
            bomb = {**files, name: bytes(40 << 20)}
            with zipfile.ZipFile(self.bundle, "w", zipfile.ZIP_DEFLATED) as packed:
                for other, content in bomb.items():
                    packed.writestr(other, content)
            again = self.folder / "again"
            with self.subTest(name=name):
                try:
                    unpack_bundle(self.bundle, again, NOW)
                except BadInput as error:
                    self.assertIn("more than", str(error))
                    continue
                sizes = sum(path.stat().st_size for path in again.rglob("*") if path.is_file())
                self.assertLess(sizes, 8 << 20)
                shutil.rmtree(again)

    def test_data_is_not_put_aside_under_a_running_mirvo(self):
        with held(self.studio.folder), self.assertRaises(Conflict) as said:
            restore(self.bundle, self.studio.folder, self.studio.now, aside=True)
        self.assertIn("stop that one first", str(said.exception))
        self.assertEqual(self.read(load_tree, 1).id, 1)


class LastBackupTest(StudioCase):
    def test_it_is_due_until_one_is_made_and_again_after_a_month(self):
        self.assertTrue(self.read(backup_is_due, self.studio.now))
        write_backup(self.studio, self.folder / "yard.zip")
        self.assertEqual(self.read(days_since_backup, self.studio.now), 0)
        self.assertFalse(self.read(backup_is_due, self.studio.now))
        with self.assertRaises(BadInput):
            write_backup(self.studio, self.folder / "nowhere" / "yard.zip")


class SnapshotTest(StudioCase):
    def test_one_a_day_the_newest_fourteen_and_one_a_month(self):
        folder = self.studio.folder
        self.tree()
        self.assertIsNotNone(keep_snapshot(folder, date(2026, 1, 1)))
        self.assertIsNone(keep_snapshot(folder, date(2026, 1, 1)))
        for day in range(2, 20):
            keep_snapshot(folder, date(2026, 1, day))
        kept = sorted(path.name for path in (folder / "snapshots").iterdir())
        # The newest fourteen, and of the older ones the month's last.
        self.assertEqual(len(kept), 15)
        self.assertEqual(kept[0], "mirvo-2026-01-05.sqlite3")
        with closing(sqlite3.connect(folder / "snapshots" / kept[-1])) as copy:
            self.assertEqual(copy.execute("SELECT count(*) FROM trees").fetchone()[0], 1)
