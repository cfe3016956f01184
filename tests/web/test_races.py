"""Several hands at once: what was acknowledged is in the record, and nothing is there twice."""

import json
from concurrent.futures import ThreadPoolExecutor

from sqlalchemy import func, select

from mirvo.records.models import BenchSession, Photo, RootSession
from mirvo.web.app import create_app
from tests.client import TestClient
from tests.studio_case import StudioCase, rendered

TEXTS = ("reason", "found", "soil", "pot_after", "next_time")
ROUNDS, HANDS = 4, 6


class RacesTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.client = TestClient(create_app(self.studio))

    def test_closing_takes_every_acknowledged_entry_or_refuses_it(self):
        for number in range(1, ROUNDS + 1):
            tree = self.tree(name=f"Quay privet {number}").id
            self.client.post(f"/trees/{tree}/bench-sessions", data={"kind": "routine"})

            def enter(field, number=number):
                entry = {"id": f"round-{number}-{field}", "field": field, "value": f"of {field}"}
                answer = self.client.post(
                    f"/bench-sessions/{number}/entries",
                    content=json.dumps({"entries": [entry]}),
                    headers={"content-type": "application/json"},
                ).json()
                return field, bool(answer["kept"])

            with ThreadPoolExecutor(HANDS) as hands:
                told = [hands.submit(enter, field) for field in TEXTS[:2]]
                closing = hands.submit(self.client.post, f"/bench-sessions/{number}/close")
                told += [hands.submit(enter, field) for field in TEXTS[2:]]
                kept = [field for field, was_kept in (one.result() for one in told) if was_kept]
                self.assertEqual(closing.result().status_code, 200)
            with self.studio.reading() as db:
                bench = db.get(BenchSession, number)
                record = db.get(RootSession, bench.session_id)
                self.assertEqual(db.scalar(select(func.count(RootSession.id))), number)
            for field in kept:
                with self.subTest(round=number, field=field):
                    self.assertEqual(getattr(record, field), f"of {field}")

    def test_the_same_photo_sent_at_once_is_one_photo(self):
        tree = self.tree().id
        content, _ = rendered(5, self.studio.today, (640, 480))

        def send(_):
            files = {"files": ("base.jpg", content, "image/jpeg")}
            return self.client.post(f"/trees/{tree}/photos", files=files).status_code

        with ThreadPoolExecutor(HANDS) as hands:
            self.assertLessEqual(set(hands.map(send, range(HANDS))), {200, 422})
        with self.studio.reading() as db:
            self.assertEqual(db.scalar(select(func.count(Photo.id))), 1)
        originals = [path for path in self.studio.photos.originals.rglob("*") if path.is_file()]
        self.assertEqual(len(originals), 1)
