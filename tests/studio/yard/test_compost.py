"""The compost heap: out of sight at once, back as it was, gone for good after 30 days."""

from datetime import date, timedelta

from sqlalchemy import func, select

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.limits.base import checked
from mirvo.core.limits.measuring import PhotoFields
from mirvo.core.limits.sessions import SessionFields
from mirvo.records.models import CareTask, Measurement, Photo, RootSession, Table, Tree
from mirvo.studio.ground.context import Studio
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.measuring.photo_facts import edit_photo
from mirvo.studio.measuring.years import say_same_tree, years_of
from mirvo.studio.records.aftercare import tasks_of_session
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.standing.tree_queries import all_measurements_of
from mirvo.studio.yard import compost
from tests.studio_case import TODAY, StudioCase


class CompostCase(StudioCase):
    def setUp(self):
        super().setUp()
        self.here = self.tree()

    def measured(self, day, seed=3):
        photo, marks = self.photo(self.here, seed=seed, taken_on=day)
        save_marks(self.studio, photo.id, marks, 0)
        return photo

    def session(self, day, container):
        form = SessionFields(done_on=day, container_after=container, ball_depth_before=80)
        return record_session(self.studio, self.here.id, form)

    def later(self, days):
        self.studio.close()
        self.studio = Studio(self.folder / "data", clock=lambda: TODAY + timedelta(days=days))

    def left(self, table):
        with self.studio.reading() as db:
            count = select(func.count()).select_from(table)
            return db.scalar(count)


class HeapTest(CompostCase):
    def test_a_photo_goes_with_its_measurement_and_comes_back_with_it(self):
        old, new = self.measured(date(2022, 3, 1)), self.measured(date(2025, 3, 1), 4)
        newer = self.read(all_measurements_of, self.here.id)[-1]
        say_same_tree(self.studio, self.here.id, newer.id, same=True)
        figures = self.sheet_of(self.here.id).base.record
        laid = compost.lay_on_heap(self.studio, "photo", new.id)
        self.assertEqual((laid.kind, laid.until), ("photo", date(2026, 12, 23)))
        self.assertEqual([one.id for one in self.photos_of(self.here.id)], [old.id])
        self.assertEqual(len(self.read(years_of, self.here.id).measurements), 1)
        self.assertNotEqual(self.sheet_of(self.here.id).base.record, figures)
        with self.assertRaises(NotFound):
            self.open_desk(new.id)
        self.assertEqual([one.number for one in self.read(compost.heap)], [new.id])
        compost.put_back(self.studio, "photo", new.id)
        self.assertEqual(self.sheet_of(self.here.id).base.record, figures)
        self.assertEqual(self.read(compost.heap), [])

    def test_a_session_goes_with_its_aftercare_and_the_tree_stands_as_before_it(self):
        self.session(date(2024, 3, 1), "wide training pot")
        last = self.session(date(2026, 11, 20), "usual pot")
        self.assertTrue(self.read(tasks_of_session, last.id))
        compost.lay_on_heap(self.studio, "session", last.id)
        self.assertEqual(len(self.sessions_of(self.here.id)), 1)
        self.assertEqual(self.load_tree(self.here.id).container, "wide training pot")
        self.assertEqual(self.read(tasks_of_session, last.id), [])
        compost.put_back(self.studio, "session", last.id)
        self.assertEqual(self.load_tree(self.here.id).container, "usual pot")
        self.assertTrue(self.read(tasks_of_session, last.id))

    def test_a_tree_goes_with_all_it_has(self):
        session = self.session(date(2024, 3, 1), "usual pot")
        compost.lay_on_heap(self.studio, "tree", self.here.id)
        self.assertEqual(self.list_trees(), [])
        with self.assertRaises(NotFound):
            self.load_tree(self.here.id)
        compost.put_back(self.studio, "tree", self.here.id)
        self.assertEqual([one.id for one in self.sessions_of(self.here.id)], [session.id])

    def test_what_cannot_be_is_refused(self):
        photo = self.measured(date(2022, 3, 1))
        compost.lay_on_heap(self.studio, "photo", photo.id)
        compost.lay_on_heap(self.studio, "tree", self.here.id)
        for what, kind, number, error in (
            (compost.lay_on_heap, "photo", photo.id, NotFound),
            (compost.lay_on_heap, "photo", 99, NotFound),
            (compost.lay_on_heap, "yard", 1, NotFound),
            (compost.put_back, "session", 1, NotFound),
            (compost.put_back, "photo", photo.id, BadInput),
        ):
            with self.subTest(kind=kind, number=number), self.assertRaises(error):
                what(self.studio, kind, number)

    def test_after_thirty_days_it_is_gone_for_good_with_its_file(self):
        photo, kept = self.measured(date(2022, 3, 1)), self.measured(date(2025, 3, 1), 4)
        session = self.session(date(2026, 11, 20), "usual pot")
        for kind, number in (("photo", photo.id), ("session", session.id)):
            compost.lay_on_heap(self.studio, kind, number)
        self.later(30)
        self.assertEqual(compost.clear_heap(self.studio), 0)
        self.later(32)
        self.studio.photos.derivative(photo.digest, "thumb")
        self.assertEqual(compost.clear_heap(self.studio), 2)
        self.assertEqual([self.left(table) for table in (Photo, Measurement)], [1, 1])
        self.assertEqual([self.left(table) for table in (RootSession, CareTask)], [0, 0])
        with self.assertRaises(NotFound):
            self.studio.photos.read(photo.digest)
        self.assertEqual(list(self.studio.photos.derived.rglob(f"{photo.digest}*")), [])
        self.assertTrue(self.studio.photos.read(kept.digest))

    def test_a_clock_far_ahead_at_one_start_throws_nothing_away(self):
        compost.lay_on_heap(self.studio, "tree", self.here.id)
        self.assertEqual(compost.clear_heap(self.studio), 0)
        self.later(4000)
        self.assertEqual(compost.clear_heap(self.studio), 0)
        # Put right again, and then gone on by itself.
        self.later(1)
        self.assertEqual(compost.clear_heap(self.studio), 0)
        self.later(32)
        self.assertEqual(compost.clear_heap(self.studio), 1)

    def test_a_number_is_never_given_again(self):
        compost.lay_on_heap(self.studio, "tree", self.here.id)
        self.later(32)
        self.assertEqual(compost.clear_heap(self.studio), 1)
        self.assertGreater(self.tree(name="Quay privet").id, self.here.id)

    def test_a_tree_gone_for_good_leaves_nothing_behind(self):
        other = self.tree(name="Quay privet", species_key="privet")
        self.measured(date(2022, 3, 1))
        self.session(date(2026, 11, 20), "usual pot")
        compost.lay_on_heap(self.studio, "tree", self.here.id)
        self.later(40)
        self.assertEqual(compost.clear_heap(self.studio), 1)
        left = {one.name: self.left(one) for one in Table.metadata.sorted_tables}
        # Versions outlive their trees, see `mirvo.records.versions`.
        kept = {name for name, count in left.items() if count} - {"state_versions"}
        self.assertEqual(kept, {"trees", "yard"})
        self.assertEqual([row.tree.id for row in self.list_trees()], [other.id])
        self.assertEqual(self.left(Tree), 1)


class PhotoFactsTest(CompostCase):
    def put_right(self, photo, day, kind="top"):
        return edit_photo(
            self.studio,
            photo.id,
            checked(PhotoFields, {"taken_on": day, "kind": kind}, self.studio.today),
        )

    def test_the_day_is_put_right_and_the_measurement_follows(self):
        photo = self.measured(self.studio.today)
        self.measured(date(2024, 3, 1), 4)
        self.put_right(photo, date(2019, 4, 2))
        self.assertEqual(self.load_photo(photo.id).taken_on, date(2019, 4, 2))
        days = [one.measured_on for one in self.read(years_of, self.here.id).measurements]
        self.assertEqual(days, [date(2019, 4, 2), date(2024, 3, 1)])

    def test_a_day_to_come_and_another_view_of_a_marked_photo_are_refused(self):
        photo = self.measured(date(2024, 3, 1))
        for day, kind, field in (
            (date(2027, 1, 1), "top", "taken_on"),
            (date(2024, 3, 1), "side", "kind"),
            (date(2024, 3, 1), "portrait", "kind"),
        ):
            with self.subTest(kind=kind), self.assertRaises(BadInput) as said:
                self.put_right(photo, day, kind)
            self.assertEqual(said.exception.field, field)
        self.assertEqual(self.load_photo(photo.id).kind, "top")

    def test_a_photo_not_marked_yet_may_be_of_another_view(self):
        photo, _ = self.photo(self.here)
        self.put_right(photo, photo.taken_on, "side")
        self.assertEqual(self.open_desk(photo.id).marks.view, "side")
