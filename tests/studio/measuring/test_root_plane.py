"""Heights of roots: side views fill them in where the artist said nothing."""

from datetime import timedelta

from sqlalchemy import select

from mirvo.records.models import Root
from mirvo.studio.measuring.desk import evaluate, save_marks
from mirvo.studio.measuring.root_plane import root_plane_of_day
from mirvo.studio.measuring.turntable import shoot_turntable
from mirvo.studio.photos.simulated import truth_of
from mirvo.studio.yard.compost import lay_on_heap, put_back
from tests.studio_case import StudioCase


class HeightsTest(StudioCase):
    def prepare(self):
        tree = self.tree()
        photo, marks = self.photo(tree, taken_on=self.studio.today - timedelta(days=30))
        save_marks(self.studio, photo.id, marks, 0)
        shoot_turntable(self.studio, tree.id)
        for view in self.photos_of(tree.id):
            if view.kind == "side":
                state = self.open_desk(view.id)
                known = {**state.marks.as_json(), **self.known(view)}
                known["turntable_deg"] = state.marks.turntable_deg
                save_marks(self.studio, view.id, known, state.revision)

    def known(self, photo):
        return truth_of(self.studio, photo)["marks"]

    def heights(self):
        query = select(Root.label, Root.height_mm).where(Root.tree_id == 1)
        return dict(self.read(lambda db: db.execute(query).all()))

    def top(self):
        return next(photo for photo in self.photos_of(1) if photo.kind != "side")

    def faults_of(self, label, said=None):
        photo = self.top()
        marks = self.open_desk(photo.id).marks
        roots = tuple(root.model_copy(update={"height": said}) for root in marks.roots)
        marks = marks.model_copy(update={"roots": roots})
        found = self.read(evaluate, self.studio, photo, marks).top
        roots = {root.label: root for root in found.roots}
        return [fault.code for fault in roots[label].faults]

    def test_roots_bear_the_heights_of_the_newest_side_views(self):
        plane = self.read(root_plane_of_day, self.studio, 1, self.studio.today)
        seen = {label: height for label, height in self.heights().items() if height is not None}
        self.assertGreater(len(seen), 3)
        for label, height in seen.items():
            self.assertAlmostEqual(height, plane.residuals_mm[label], 0)

    def test_a_root_seen_high_counts_as_above_unless_the_artist_says_otherwise(self):
        with self.studio.writing() as db:
            root = db.scalar(select(Root).where(Root.tree_id == 1, Root.label == "A"))
            root.height_mm = 30.0
        self.assertIn("above_plane", self.faults_of("A"))
        self.assertNotIn("above_plane", self.faults_of("A", said="on"))

    def test_heights_go_with_the_side_views_and_come_back_with_them(self):
        sides = [photo for photo in self.photos_of(1) if photo.kind == "side"]
        before = self.heights()
        for photo in sides:
            lay_on_heap(self.studio, "photo", photo.id)
        self.assertEqual(set(self.heights().values()), {None})
        for photo in sides:
            put_back(self.studio, "photo", photo.id)
        self.assertEqual(self.heights(), before)
