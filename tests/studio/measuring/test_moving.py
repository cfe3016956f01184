"""A photo moved to the tree it shows."""

from datetime import date

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.limits.sessions import RootDone, SessionFields
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.measuring.moving import move_photo
from mirvo.studio.photos.photo_queries import photos_of
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.standing.tree_queries import measurements_of
from mirvo.web.app import create_app
from tests.client import TestClient
from tests.studio_case import StudioCase


class MovingTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.one, self.other = self.tree(name="Ferry zelkova"), self.tree(name="Quay zelkova")
        self.shot, marks = self.photo(self.one, taken_on=date(2026, 3, 1))
        save_marks(self.studio, self.shot.id, marks, 0)

    def measured(self, tree):
        return self.read(measurements_of, tree.id)

    def test_it_goes_with_its_marks_and_figures_and_sessions_stay(self):
        [row] = self.measured(self.one)
        cut = RootDone(label="A", action="remove")
        form = SessionFields(done_on=date(2026, 3, 20), measurement_id=row.id, roots=(cut,))
        session = record_session(self.studio, self.one.id, form)
        self.assertEqual(move_photo(self.studio, self.shot.id, self.other.id), self.one.id)
        self.assertEqual(self.measured(self.one), ())
        [moved] = self.measured(self.other)
        self.assertEqual((moved.id, moved.top, moved.confirmed_at), (row.id, row.top, None))
        # It was cut from the first tree; here it was measured and stands.
        self.assertEqual(set(self.cuts_of(session)), {"A"})
        self.assertIn("A", [root.label for root in self.sheet_of(self.other.id).base.roots])
        self.assertIsNone(self.sheet_of(self.one.id).base)
        pages = TestClient(create_app(self.studio))
        for place in ("/", "/trees", "/trees/1", "/trees/2", "/trees/1/years", "/trees/2/years"):
            self.assertEqual(pages.get(place).status_code, 200, place)
        # And back again.
        move_photo(self.studio, self.shot.id, self.one.id)
        self.assertEqual(len(self.read(photos_of, self.one.id)), 1)

    def test_on_the_page_of_the_photo(self):
        pages = TestClient(create_app(self.studio))
        place = f"/photos/{self.shot.id}"
        self.assertIn("This photo shows another tree", pages.get(place).text)
        pages.post(f"{place}/tree", data={"tree_id": self.other.id})
        self.assertIn("Quay zelkova", pages.get(place).text)
        again = pages.post(f"{place}/tree", data={"tree_id": self.other.id})
        self.assertIn("The photo is of Quay zelkova already.", again.text)

    def test_what_cannot_be_is_refused(self):
        with self.assertRaises(BadInput):
            move_photo(self.studio, self.shot.id, self.one.id)
        with self.assertRaises(NotFound):
            move_photo(self.studio, self.shot.id, 99)
        with self.assertRaises(NotFound):
            move_photo(self.studio, 99, self.one.id)
