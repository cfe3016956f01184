"""A session that runs at the bench, for tests."""

import uuid
from datetime import timedelta

from mirvo.studio.bench_session.cut_review import cut_review
from mirvo.studio.bench_session.entries import save_entries
from mirvo.studio.bench_session.session import begin, bench_state
from mirvo.studio.measuring.desk import save_marks
from tests.studio_case import TODAY, StudioCase


def entry(field, value, at=None, name=None):
    return {
        "id": name or uuid.uuid4().hex,
        "field": field,
        "value": value,
        "at": (at or TODAY).isoformat(),
    }


class BenchCase(StudioCase):
    def prepare(self):
        tree = self.tree(acquired_on=TODAY.date() - timedelta(days=2000))
        photo, marks = self.photo(tree)
        save_marks(self.studio, photo.id, marks, 0)

    def setUp(self):
        super().setUp()
        self.here = self.load_tree(1)
        self.bench = begin(self.studio, 1, "routine")

    def enter(self, **fields):
        saved = save_entries(self.studio, self.bench.id, [entry(*one) for one in fields.items()])
        self.assertEqual(saved.refused, [])

    def enter_field(self, field, value, at=None):
        saved = save_entries(self.studio, self.bench.id, [entry(field, value, at)])
        self.assertEqual(saved.refused, [])

    def state(self):
        return self.read(bench_state, self.bench.id)

    def review(self):
        with self.studio.reading() as db:
            return cut_review(db, self.studio, bench_state(db, self.bench.id))
