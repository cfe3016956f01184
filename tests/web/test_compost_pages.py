"""Photos put right, and the compost heap, through their pages."""

import io

from PIL import Image

from mirvo.web.app import create_app
from tests.client import TestClient
from tests.studio_case import StudioCase
from tests.web.test_pages import tags


def jpeg(shade=90):
    out = io.BytesIO()
    Image.new("RGB", (640, 480), (shade, 80, 60)).save(out, "JPEG")
    return out.getvalue()


class CompostPagesTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.client = TestClient(create_app(self.studio))
        self.here = self.tree()
        self.photos = f"/trees/{self.here.id}/photos"

    def put_in(self, content=None, **fields):
        files = [("files", ("base.jpg", content or jpeg(), "image/jpeg"))]
        return self.client.post(self.photos, files=files, data=fields)

    def test_a_photo_without_a_day_says_so_and_a_day_given_holds(self):
        self.assertIn("today was put down", self.put_in().text)
        self.assertIn("1 Mar 2019", self.put_in(jpeg(20), taken_on="2019-03-01").text)
        for day, said in (("2031-01-01", "is in the future"), ("soon", "12 mar 2026")):
            answer = self.put_in(jpeg(50), taken_on=day)
            self.assertEqual(answer.status_code, 422)
            self.assertIn(said, answer.text)

    def test_the_same_photo_is_not_put_in_twice(self):
        self.put_in(taken_on="2019-03-01")
        answer = self.put_in()
        self.assertEqual(answer.status_code, 422)
        self.assertIn("is here already, taken 1 March 2019", answer.text)
        self.client.post("/compost/photo/1")
        self.assertIn("is deleted", self.put_in().text)

    def test_a_photo_is_put_right_at_its_place(self):
        self.put_in()
        answer = self.client.post("/photos/1", data={"taken_on": "2018-05-06", "kind": "wound"})
        self.assertEqual(answer.url.path, self.photos)
        self.assertIn("6 May 2018", answer.text)
        wrong = self.client.post("/photos/1", data={"taken_on": "2031-05-06", "kind": "top"})
        self.assertEqual(wrong.status_code, 422)
        self.assertIn("is in the future", wrong.text)
        self.assertIn("2031-05-06", [tag.get("value") for tag in tags(wrong, "input")])

    def test_laid_on_the_heap_and_put_back(self):
        self.put_in()
        for place, back in (
            ("/compost/photo/1", self.photos),
            (f"/compost/tree/{self.here.id}", f"/trees/{self.here.id}"),
        ):
            laid = self.client.post(place)
            self.assertIn("You can restore it until 23 December 2026", laid.text)
            self.assertIn(f"{place}/back", self.client.get("/kit").text)
            self.assertEqual(self.client.post(f"{place}/back").url.path, back)
        self.assertIn("Empty.", self.client.get("/kit").text)

    def test_what_does_not_lie_there_is_not_told_of(self):
        for laid in ("photo-1", "photo-x", "photo-" + "9" * 40, "yard-1", "-", ""):
            answer = self.client.get(f"/trees?laid={laid}")
            self.assertEqual(answer.status_code, 200)
            self.assertNotIn("is deleted", answer.text)
        self.assertEqual(self.client.post("/compost/photo/7").status_code, 404)
