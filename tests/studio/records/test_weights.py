"""Weighing a tree: the water it uses, and how it comes back after root work."""

from datetime import UTC, datetime, timedelta

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.limits.sessions import SessionFields
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.records.watering import note_watering
from mirvo.studio.records.weights import water_use, weigh
from mirvo.web.app import create_app
from tests.client import TestClient
from tests.studio_case import StudioCase

APRIL = datetime(2027, 4, 1, 8, tzinfo=UTC)


class WeightsTest(StudioCase):
    def on(self, day):
        self.studio.clock = lambda: APRIL + timedelta(days=day)

    def each_day(self, first, grams_a_day):
        """Watered each morning to 2400 g and weighed, and weighed again in the evening."""
        for number, grams in enumerate(grams_a_day):
            self.on(first + number)
            note_watering(self.studio, 1)
            weigh(self.studio, 1, 2400)
            self.on(first + number + 0.5)
            weigh(self.studio, 1, 2400 - grams / 2)

    def test_a_tree_that_was_worked_drinks_again(self):
        self.tree(name="Ferry zelkova")
        self.each_day(0, [200, 210, 190, 200])
        self.on(6)
        record_session(self.studio, 1, SessionFields(done_on=self.studio.today))
        self.each_day(10, [40, 60])
        found = self.read(water_use, 1)
        self.assertAlmostEqual(found.since_work.usual_g, 200)
        self.assertIsNone(found.since_work.back_on)
        self.assertAlmostEqual(found.grams_a_day, 60)
        pages = TestClient(create_app(self.studio))
        self.assertIn("It does not drink as before yet.", pages.get("/trees/1").text)
        self.each_day(30, [170, 180, 190])
        text = pages.get("/trees/1").text
        self.assertIn("It drinks as before since", text)
        self.assertIn("Water use since root work", text)

    def test_weighed_on_its_page_and_bad_weights_refused_there(self):
        self.tree(name="Ferry zelkova")
        pages = TestClient(create_app(self.studio))
        pages.post("/trees/1/weights", data={"grams": "2315"})
        self.assertIn("2315", pages.get("/trees/1").text)
        for bad in ("0", "nan", "1e9", "heavy"):
            self.assertEqual(pages.post("/trees/1/weights", data={"grams": bad}).status_code, 422)
            with self.subTest(grams=bad), self.assertRaises((BadInput, ValueError)):
                weigh(self.studio, 1, float(bad))
        with self.assertRaises(NotFound):
            weigh(self.studio, 7, 100)
        self.assertEqual(self.read(water_use, 1).last.grams, 2315)
