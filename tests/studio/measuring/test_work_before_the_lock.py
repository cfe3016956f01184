"""Saving marks measures before it writes: nobody waits for a photo that is being worked out."""

from contextlib import contextmanager
from datetime import timedelta
from unittest.mock import patch

from mirvo.studio.measuring import measure_marks, photo_sets, root_plane
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.measuring.photo_sets import shoot_set
from mirvo.studio.measuring.turntable import shoot_turntable
from mirvo.studio.photos.simulated import truth_of
from tests.studio_case import StudioCase

WORK = (
    (measure_marks, "measure_top"),
    (photo_sets, "measure_top_set"),
    (root_plane, "root_plane_of"),
)


class WorkBeforeTheLockTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.writing_now = False
        self.measured, self.within = [], []
        whole = self.studio.writing

        @contextmanager
        def writing():
            with whole() as db:
                self.writing_now = True
                try:
                    yield db
                finally:
                    self.writing_now = False

        self.studio.writing = writing
        for module, name in WORK:
            self.enterContext(patch.object(module, name, self.watched(name, getattr(module, name))))
        # What earlier tests of the process measured must not be found here.
        for kept in (measure_marks._measured, photo_sets._measured, root_plane._plane_of):
            kept.cache_clear()

    def watched(self, name, work):
        def worked(*args, **named):
            self.measured.append(name)
            if self.writing_now:
                self.within.append(name)
            return work(*args, **named)

        return worked

    def saved(self, photo, marks):
        self.measured.clear()
        save_marks(self.studio, photo.id, marks, self.open_desk(photo.id).revision)
        return set(self.measured)

    def known(self, photo):
        state = self.open_desk(photo.id)
        return {**state.marks.as_json(), **truth_of(self.studio, photo)["marks"]}

    def test_one_photo_from_above(self):
        photo, marks = self.photo(self.tree())
        self.assertEqual(self.saved(photo, marks), {"measure_top"})
        self.assertEqual(self.within, [])

    def test_a_set(self):
        tree = self.tree()
        shoot_set(self.studio, tree.id)
        asked = set()
        # The one from below joins once the others are marked.
        for photo in sorted(self.photos_of(tree.id), key=lambda photo: photo.id):
            state, known = self.open_desk(photo.id), truth_of(self.studio, photo)["marks"]
            parts = {name: known[name] for name in ("roots", "trunk") if name in known}
            asked |= self.saved(photo, {**state.marks.as_json(), **parts})
        self.assertIn("measure_top_set", asked)
        self.assertEqual(self.within, [])

    def test_side_views_that_move_the_heights_of_the_base(self):
        tree = self.tree()
        photo, marks = self.photo(tree, taken_on=self.studio.today - timedelta(days=30))
        for root in marks["roots"]:
            # What is said of a root counts more than what the side views see.
            root.pop("height", None)
        save_marks(self.studio, photo.id, marks, 0)
        shoot_turntable(self.studio, tree.id)
        asked = set()
        for view in self.photos_of(tree.id):
            if view.kind == "side":
                turned = self.open_desk(view.id).marks.turntable_deg
                asked |= self.saved(view, {**self.known(view), "turntable_deg": turned})
        self.assertEqual(asked, {"root_plane_of", "measure_top"})
        self.assertEqual(self.within, [])
