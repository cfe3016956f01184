"""Marks no desk would send, and marks that broke after they had been measured."""

from copy import deepcopy
from errno import ENOSPC
from unittest.mock import patch

from sqlalchemy import text

from mirvo.core.limits.measuring import PhotoFields
from mirvo.core.measure.drafts import blank_draft
from mirvo.records.photos import PhotoStore
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.measuring.photo_facts import edit_photo
from mirvo.web.app import create_app
from tests.client import TestClient
from tests.studio_case import StudioCase

TOP = (
    ({"roots": None}, "roots"),
    ({"roots": {}}, "roots"),
    ({"roots": [3]}, "roots.0"),
    ({"roots": [{"path": []}]}, "roots.0.label"),
    ({"roots": [{"label": ["A"], "path": []}]}, "roots.0.label"),
    ({"roots": [{"label": "A", "path": [[1]]}]}, "roots.0.path.0.1"),
    ({"trunk": [1, 2]}, "trunk"),
    ({"trunk": {"outline": "round"}}, "trunk.outline"),
    ({"front": [1, "x"]}, "front.1"),
    ({"calibration": "card"}, "calibration"),
    ({"draft": {"tool": "root"}}, "draft.points"),
    ({"set": {}}, "set"),
)
SIDE = (
    ({"emergences": [[]]}, "emergences.0"),
    ({"emergences": [{"label": {}, "point": [1, 2]}]}, "emergences.0.label"),
    ({"turntable_deg": [90]}, "turntable_deg"),
    ({"soil_line": {"a": 1}}, "soil_line"),
    ({"ball": {"outline": [[1, 2]], "wood": 3}}, "ball.wood"),
    ({"tried": [{"line": "rim", "point": None}]}, "tried.0.point"),
)


class BrokenPageTest(StudioCase):
    """What nobody foresaw: a page that says what is safe, with all headers."""

    def test_an_error_nobody_foresaw(self):
        app = create_app(self.studio)

        @app.get("/fails")
        def fails():
            raise ZeroDivisionError

        client = TestClient(app, raise_server_exceptions=False)
        for kind in ("text/html", "application/json"):
            answer = client.get("/fails", headers={"Accept": kind})
            self.assertEqual(answer.status_code, 500)
            self.assertIn("What was saved before is safe", answer.text)
            self.assertEqual(answer.headers["x-content-type-options"], "nosniff")
            self.assertIn("default-src", answer.headers["content-security-policy"])
        self.assertEqual(client.get("/").status_code, 200)

    def test_a_full_disk_is_said_with_what_to_do_and_its_reason_alone(self):
        tree = self.tree()
        client = TestClient(create_app(self.studio))
        full = OSError(ENOSPC, "No space left on device")
        with patch.object(PhotoStore, "keep", side_effect=full):
            sent = {"files": ("one.jpg", b"any", "image/jpeg")}
            page = client.post(f"/trees/{tree.id}/photos", files=sent)
            json = {"Accept": "application/json"}
            told = client.post(f"/trees/{tree.id}/photos", files=sent, headers=json)
        self.assertEqual((page.status_code, told.status_code), (507, 507))
        self.assertIn("disk is full. What was saved before is safe", page.text)
        self.assertEqual(told.json()["reason"], "Mirvo's disk is full.")
        self.assertIn("Make room", told.json()["message"])

    def test_bodies_sent_without_a_length_are_bounded(self):
        client = TestClient(create_app(self.studio))
        kind = {"content-type": "application/x-www-form-urlencoded"}
        with patch("mirvo.web.guards.MAX_BODY", 1 << 20):
            answer = client.post("/trees", content=iter([b"x" * 65536] * 17), headers=kind)
        self.assertEqual(answer.status_code, 413)
        self.assertIn("at most 400 MB", answer.text)

    def test_numbers_no_row_has(self):
        client = TestClient(create_app(self.studio))
        self.tree()
        for number in ("9" * 4400, "9" * 17, "²", "٣" * 30, "-1", "1e3"):
            for path in ("/trees/{}", "/trees/{}/target", "/sessions/{}/edit", "/photos/{}"):
                where = path.format(number)
                for answer in (client.get(where), client.post(where, data={"year": number})):
                    self.assertIn(answer.status_code, (404, 405, 422))


class HostileMarksTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.client = TestClient(create_app(self.studio))
        self.row, self.marks = self.photo(self.tree())

    def put(self, marks, revision=0):
        return self.client.put(
            f"/photos/{self.row.id}/marks",
            json={"revision": revision, "marks": marks},
            headers={"Accept": "application/json"},
        )

    def refused(self, marks, place):
        answer = self.put(marks)
        self.assertEqual(answer.status_code, 422)
        self.assertEqual(answer.json()["field"], place)

    def test_what_is_no_set_of_marks_is_refused_at_its_place(self):
        for change, place in TOP:
            with self.subTest(place=place, change=change):
                self.refused({**blank_draft("top").as_json(), **change}, place)
        for whole in (None, [], "marks", 3):
            self.refused(whole, "marks")

    def test_the_same_from_the_side(self):
        edit_photo(self.studio, self.row.id, PhotoFields(taken_on=self.row.taken_on, kind="side"))
        for change, place in SIDE:
            with self.subTest(place=place, change=change):
                self.refused({**blank_draft("side").as_json(), **change}, place)

    def test_marks_that_break_after_measuring_are_kept_and_break_no_page(self):
        self.assertEqual(self.put(self.marks).status_code, 200)
        broken = deepcopy(self.marks)
        broken["roots"][0]["path"] = broken["roots"][0]["path"][:1] * 2
        answer = self.put(broken, 1)
        self.assertEqual(answer.status_code, 200)
        self.assertIn("lie on each other", answer.json()["panel"])
        for part in ("", "/photos", "/years", "/path", "/sessions/new", "/time", "/edit"):
            with self.subTest(part=part):
                self.assertEqual(self.client.get(f"/trees/1{part}").status_code, 200)
        self.assertEqual(self.client.get("/trees").status_code, 200)
        with self.studio.reading() as db:
            kept = db.execute(text("SELECT top IS NULL FROM measurements")).scalar()
        self.assertEqual(kept, 1)

    def test_numbers_beyond_any_record_lead_nowhere(self):
        for place in (
            "/photos/{0}/desk",
            "/trees/{0}",
            "/sessions/{0}",
        ):
            with self.subTest(place=place):
                self.assertEqual(self.client.get(place.format("9" * 24)).status_code, 404)

    def test_marks_broken_from_the_start(self):
        broken = deepcopy(self.marks)
        broken["trunk"]["outline"] = broken["trunk"]["outline"][:2]
        self.assertIsNone(save_marks(self.studio, self.row.id, broken, 0).found.top)
        self.assertEqual(self.client.get("/trees/1").status_code, 200)


class ForeignSitesTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.client = TestClient(create_app(self.studio, {"bonsai.example"}))

    def status(self, method="GET", **headers):
        return self.client.request(method, "/kit", headers=headers).status_code

    def test_a_foreign_name_that_leads_here_is_not_answered(self):
        for host in ("evil.example", "evil.example:8000", "127.0.0.1.evil.example", "", "[", "a.b"):
            with self.subTest(host=host):
                self.assertEqual(self.status(host=host), 421)
        for host in ("192.168.1.7", "yard.local"):
            with self.subTest(host=host):
                self.assertEqual(self.status(host=host), 421)
        for host in ("localhost:8000", "127.0.0.1:8000", "[::1]:8000", "testserver"):
            with self.subTest(host=host):
                self.assertEqual(self.status(host=host), 200)
        self.assertEqual(self.status(host="Bonsai.example"), 200)

    def test_another_sites_page_cannot_write_whatever_the_browser_says_of_it(self):
        place = "/almanac/practice"
        for headers in (
            {"origin": "https://evil.example"},
            {"origin": "null"},
            {"origin": "http://testserver:81"},
            {"sec-fetch-site": "cross-site"},
            {"sec-fetch-site": "same-site"},
        ):
            with self.subTest(headers=headers):
                answer = self.client.post(place, data={"preset": "gentle"}, headers=headers)
                self.assertEqual(answer.status_code, 403)
        own = {"origin": "http://testserver", "sec-fetch-site": "same-origin"}
        for headers in (own, {}):
            answer = self.client.post(place, data={"preset": "gentle"}, headers=headers)
            self.assertEqual(answer.status_code, 200)

    def test_a_last_frost_is_kept_so_that_every_page_can_read_it(self):
        sent = {"name": "Low yard", "school": "steady"}
        for typed, kept in (("4-20", "04-20"), ("20 apr", "04-20"), ("1 May", "05-01")):
            self.client.post("/almanac/yard", data={**sent, "last_frost": typed})
            self.assertEqual(self.yard().last_frost, kept)
        for typed in ("29 feb", "apr", "20/4", "2-30", "9" * 4400):
            answer = self.client.post("/almanac/yard", data={**sent, "last_frost": typed})
            self.assertEqual(answer.status_code, 422)
        # A former version kept it as it was typed.
        with self.studio.writing() as db:
            db.execute(text("UPDATE yard SET last_frost = '4-20'"))
        self.tree()
        for place in ("/", "/trees", "/trees/1", "/almanac", "/almanac/species/zelkova", "/kit"):
            self.assertEqual(self.client.get(place).status_code, 200)
