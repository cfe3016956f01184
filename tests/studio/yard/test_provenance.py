"""What is kept on a tree for a while, grafts between trees, and trees of one batch."""

from datetime import UTC, date, datetime

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.limits.trees import GraftFields
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.records.aftercare import (
    KeptFields,
    keep_for_a_while,
    kept_for_a_while,
    open_care,
    tick,
)
from mirvo.studio.yard.calendar import entries_of
from mirvo.studio.yard.compost import lay_on_heap
from mirvo.studio.yard.family import add_graft, batch_of, drop_graft, grafts_of
from mirvo.web.app import create_app
from tests.client import TestClient
from tests.studio_case import StudioCase


class KeptTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.tree()
        self.form = KeptFields(
            kept_what="sacrifice branch", kept_where="low on the left", look_on=date(2027, 9, 1)
        )

    def test_it_comes_up_on_its_day_and_in_the_calendar(self):
        task = keep_for_a_while(self.studio, 1, self.form)
        self.assertEqual(self.read(open_care, self.studio.today), [])
        self.assertEqual([one.id for one in self.read(kept_for_a_while, 1)], [task.id])
        entry = next(
            one for one in self.read(entries_of, self.studio.today) if "low on" in one.title
        )
        self.assertEqual((entry.first, entry.note), (date(2027, 9, 1), "Set by hand."))
        self.studio.clock = lambda: datetime(2027, 9, 3, 9, tzinfo=UTC)
        [due] = self.read(open_care, self.studio.today)
        self.assertTrue(due.late)
        self.assertIn("sacrifice branch, low on the left, kept since 23 November 2026", due.title)
        pages = TestClient(create_app(self.studio))
        self.assertIn("sacrifice branch, low on the left", pages.get("/").text)
        tick(self.studio, task.id)
        self.assertEqual(self.read(kept_for_a_while, 1), [])

    def test_days_that_cannot_be_are_turned_back_on_the_portrait(self):
        pages = TestClient(create_app(self.studio))
        sent = {"kept_what": "wire", "kept_since": "2026-11-01", "look_on": "2026-10-01"}
        answer = pages.post("/trees/1/kept", data=sent)
        self.assertEqual(answer.status_code, 422)
        self.assertIn("lies before the day it was kept", answer.text)
        self.assertIn(f'value="{self.load_tree(1).name}"', answer.text)
        with self.assertRaises(NotFound):
            keep_for_a_while(self.studio, 9, self.form)

    def test_provenance_is_kept_with_the_portrait(self):
        pages = TestClient(create_app(self.studio))
        sent = {
            "name": "Tree", "species_key": "zelkova", "version": "1", "former_owners": "a nursery",
            "price": "120", "batch": "spring 2020", "graft_height_mm": "35",
        }  # fmt: skip
        self.assertEqual(pages.post("/trees/1/edit", data=sent).status_code, 200)
        page = pages.get("/trees/1/edit").text
        # An empty field is no tag, and two in one field are two.
        self.assertEqual(self.load_tree(1).tags, ())
        pages.post("/trees/1/edit", data={**sent, "version": "2", "tags": "Elm, shohin"})
        self.assertEqual(self.load_tree(1).tags, ("elm", "shohin"))
        page = pages.get("/trees/1/edit").text
        for value in ("a nursery", "120", "spring 2020", "35"):
            self.assertIn(f'value="{value}"', page)


class GraftsTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.tree(name="Bearer")
        self.tree(name="Giver")

    def test_both_trees_know_of_it(self):
        form = GraftFields(donor_id=2, grafted_on=date(2025, 3, 1), place="4 o'clock")
        add_graft(self.studio, 1, form)
        [borne], [given] = self.read(grafts_of, 1), self.read(grafts_of, 2)
        self.assertEqual((borne.other.name, borne.given), ("Giver", False))
        self.assertEqual((given.other.name, given.given), ("Bearer", True))
        pages = TestClient(create_app(self.studio))
        self.assertIn("given to", pages.get("/trees/2/family").text)
        lay_on_heap(self.studio, "tree", 2)
        self.assertIsNone(self.read(grafts_of, 1)[0].other)
        with self.assertRaises(NotFound):
            drop_graft(self.studio, 2, borne.row.id)
        drop_graft(self.studio, 1, borne.row.id)
        self.assertEqual(self.read(grafts_of, 1), [])

    def test_what_cannot_be_is_refused(self):
        for wrong in ({"donor_id": 1}, {"donor_id": 9}, {"grafted_on": date(2030, 1, 1)}):
            with self.assertRaises(BadInput):
                add_graft(self.studio, 1, GraftFields(**wrong))


class BatchTest(StudioCase):
    def test_trees_of_a_batch_stand_side_by_side_at_equal_months(self):
        self.tree(name="First", batch="elms 2020", acquired_on=date(2020, 3, 1))
        self.tree(name="Second", batch="elms 2020", acquired_on=date(2022, 3, 1))
        self.tree(name="Other", acquired_on=date(2022, 3, 1))
        for tree_id, day in ((1, date(2024, 3, 10)), (2, date(2026, 2, 20))):
            photo, marks = self.photo(self.load_tree(tree_id), seed=tree_id, taken_on=day)
            save_marks(self.studio, photo.id, marks, 0)
        found = self.read(lambda db: batch_of(db, self.load_tree(1), self.studio.today))
        self.assertEqual([one.row.tree.name for one in found.trees], ["First", "Second"])
        # Each was measured about four years after it came.
        self.assertEqual(found.months, [48])
        self.assertTrue(all(48 in one.at_months for one in found.trees))
        page = TestClient(create_app(self.studio)).get("/trees/2/family").text
        self.assertIn("Batch elms 2020", page)
        self.assertIsNone(self.read(lambda db: batch_of(db, self.load_tree(3), self.studio.today)))
