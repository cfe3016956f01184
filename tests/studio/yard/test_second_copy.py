"""The second copy: whole, brought up to date, never written over another studio's."""

import shutil

from mirvo.core.errors import BadInput
from mirvo.records.database import FILE_NAME
from mirvo.studio.ground.context import Studio
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.standing.tree_queries import load_tree
from mirvo.studio.yard.second_copy import CopyKeeper, copy_beside
from tests.studio_case import TODAY, StudioCase


class SecondCopyTest(StudioCase):
    def setUp(self):
        super().setUp()
        photo, marks = self.photo(self.tree())
        save_marks(self.studio, photo.id, marks, 0)
        self.digest = photo.digest
        self.beside = self.folder / "drive" / "mirvo"

    def copied(self):
        studio = Studio(self.beside, clock=lambda: TODAY)
        self.addCleanup(studio.close)
        return studio

    def test_it_is_a_data_folder_like_the_first(self):
        self.assertEqual(copy_beside(self.studio, self.beside), 1)
        copy = self.copied()
        self.assertEqual(copy.photos.read(self.digest), self.studio.photos.read(self.digest))
        with copy.reading() as db:
            self.assertEqual(load_tree(db, 1).name, "Ferry zelkova")
        self.assertEqual(copy.key, self.studio.key)
        self.assertTrue((self.beside / "snapshots").is_dir())
        self.assertEqual(list(self.beside.rglob("*.making")), [])

    def test_only_what_is_new_is_copied_and_what_was_taken_out_here_stays_there(self):
        copy_beside(self.studio, self.beside)
        self.assertEqual(copy_beside(self.studio, self.beside), 0)
        self.tree(name="Quay privet", species_key="privet")
        self.studio.photos.forget(self.digest)
        copy_beside(self.studio, self.beside)
        copy = self.copied()
        self.assertTrue(copy.photos.original(self.digest).exists())
        with copy.reading() as db:
            self.assertEqual(load_tree(db, 2).name, "Quay privet")

    def test_where_it_may_not_lie(self):
        inside = self.studio.folder / "copy"
        for folder in (self.studio.folder, inside, self.studio.folder.parent):
            with self.assertRaises(BadInput) as said:
                copy_beside(self.studio, folder)
            self.assertIn("outside the data folder", str(said.exception))
        other = Studio(self.beside, clock=lambda: TODAY)
        other.close()
        before = (self.beside / FILE_NAME).read_bytes()
        with self.assertRaises(BadInput) as said:
            copy_beside(self.studio, self.beside)
        self.assertIn("another studio", str(said.exception))
        self.assertEqual((self.beside / FILE_NAME).read_bytes(), before)

    def test_a_failure_is_told_and_the_last_whole_copy_stays(self):
        keeper = CopyKeeper(self.studio, self.beside)
        self.assertIsNone(keeper.state.made_at)
        keeper.copy_now()
        made = keeper.state.made_at
        self.assertIsNotNone(made)
        with self.studio.engine.execution_options(writes=True).begin() as connection:
            connection.exec_driver_sql("CREATE VIEW v AS SELECT 1")
        keeper.copy_now()
        self.assertIn("not sound", keeper.state.failed)
        self.assertEqual(keeper.state.made_at, made)
        with self.studio.engine.execution_options(writes=True).begin() as connection:
            connection.exec_driver_sql("DROP VIEW v")
        keeper.copy_now()
        self.assertEqual(keeper.state.failed, "")
        shutil.rmtree(self.beside)
        self.beside.write_text("a file where the folder should be")
        keeper.copy_now()
        self.assertIn("cannot be written", keeper.state.failed)
