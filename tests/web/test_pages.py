"""Pages and answers without a browser: status, template parts, errors at their places."""

import io
import unittest
from datetime import date
from html.parser import HTMLParser

from PIL import Image
from pydantic import ValidationError
from starlette.datastructures import FormData

from mirvo.core.complaints import form_complaint
from mirvo.core.errors import BadInput, Conflict, MirvoError, NotFound
from mirvo.core.limits.sessions import SessionFields
from mirvo.core.limits.trees import TreeFields
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.records.root_sessions import record_session
from mirvo.web.app import create_app
from mirvo.web.forms import fields_of
from mirvo.web.problems import status_of
from mirvo.web.wording import clock
from tests.client import TestClient
from tests.studio_case import StudioCase


class _Seen(HTMLParser):
    def __init__(self):
        super().__init__()
        self.tags = []

    def handle_starttag(self, tag, attrs):
        self.tags.append((tag, dict(attrs)))


def tags(answer, name):
    seen = _Seen()
    seen.feed(answer.text)
    return [attrs for tag, attrs in seen.tags if tag == name]


def words(answer):
    """The text of an answer with its white space as a browser shows it."""
    return " ".join(answer.text.split())


class PagesTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.client = TestClient(create_app(self.studio))
        self.tree_row = self.tree()

    def test_every_place_answers_for_an_empty_and_a_measured_tree(self):
        photo, marks = self.photo(self.tree_row)
        places = [
            "/",
            "/trees",
            "/trees/new",
            "/almanac",
            "/almanac/species/zelkova",
            "/eye-checks",
            "/kit",
            f"/photos/{photo.id}/desk",
            f"/photos/{photo.id}",
            f"/photos/{photo.id}?beside=99&over=1",
            "/trees?form=ledger&order=trunk&back=1&page=9",
            "/trees?tag=none&q=none",
            "/almanac/glossary",
        ]
        places += [
            f"/trees/1{end}"
            for end in (
                *("", "/edit", "/photos", "/sessions", "/years", "/path", "/sessions/new"),
                *("/bench-sessions/new", "/practice", "/time"),
            )
        ]
        for _ in range(2):
            for place in places:
                with self.subTest(place=place):
                    self.assertEqual(self.client.get(place).status_code, 200)
            save_marks(self.studio, photo.id, marks, 0) if _ == 0 else None

    def test_pages_hold_no_inline_script_or_style_and_fetch_nothing_elsewhere(self):
        photo, _ = self.photo(self.tree_row)
        for place in ("/", "/trees/1", f"/photos/{photo.id}/desk", "/trees/1/path"):
            answer = self.client.get(place)
            self.assertIn("script-src 'self'", answer.headers["content-security-policy"])
            for script in tags(answer, "script"):
                self.assertTrue(
                    script.get("src", "").startswith("/static")
                    or script.get("type") == "application/json"
                )
            seen = _Seen()
            seen.feed(answer.text)
            self.assertFalse(
                [attrs for _, attrs in seen.tags if "style" in attrs or "onclick" in attrs]
            )
            for attrs in tags(answer, "link") + tags(answer, "img"):
                self.assertTrue((attrs.get("href") or attrs.get("src")).startswith("/"))

    def test_wrong_entries_come_back_with_their_sentence(self):
        answer = self.client.post(
            "/trees", data={"name": "Pier", "species_key": "zelkova", "height_mm": "tall"}
        )
        self.assertEqual(answer.status_code, 422)
        self.assertEqual(
            [f["value"] for f in tags(answer, "input") if f.get("name") == "name"], ["Pier"]
        )
        self.assertEqual(
            [f["aria-invalid"] for f in tags(answer, "input") if f.get("name") == "height_mm"],
            ["true"],
        )

    def test_two_tabs(self):
        entries = {"name": "A", "species_key": "zelkova", "version": "1"}
        first = self.client.post("/trees/1/edit", data=entries, follow_redirects=False)
        self.assertEqual(first.status_code, 303)
        second = self.client.post("/trees/1/edit", data={**entries, "note": "mine"})
        self.assertEqual(second.status_code, 409)
        self.assertIn("mine", second.text)
        version = [f["value"] for f in tags(second, "input") if f.get("name") == "version"]
        self.assertEqual(version, ["2"])

    def test_settings_and_corrections_saved_in_two_tabs_are_laid_side_by_side(self):
        form = SessionFields(kind="routine", done_on=date(2026, 3, 20), found="first")
        record_session(self.studio, 1, form)
        for place, name, needed in (
            ("/almanac/yard", "name", {"last_frost": "20 apr", "school": "steady"}),
            ("/sessions/1/edit", "found", {"kind": "routine", "done_on": "20 mar 2026"}),
        ):
            with self.subTest(place=place):
                sent = {**needed, name: "theirs", "version": "1"}
                first = self.client.post(place, data=sent, follow_redirects=False)
                self.assertEqual(first.status_code, 303)
                second = self.client.post(place, data={**sent, name: "mine"})
                self.assertEqual(second.status_code, 409)
                for said in ("mine", "theirs", "another tab"):
                    self.assertIn(said, second.text)
                found = [f["value"] for f in tags(second, "input") if f.get("name") == "version"]
                self.assertEqual(found, ["2"])
                again = {**sent, name: "mine", "version": "2"}
                third = self.client.post(place, data=again, follow_redirects=False)
                self.assertEqual(third.status_code, 303)

    def test_names_are_escaped(self):
        self.tree(name="<script>alert(1)</script>")
        self.assertNotIn("<script>alert", self.client.get("/trees").text)

    def test_other_sites_may_not_write(self):
        answer = self.client.post(
            "/trees", data={"name": "X"}, headers={"sec-fetch-site": "cross-site"}
        )
        self.assertEqual(answer.status_code, 403)

    def test_unknown_pages_and_trees(self):
        for place in (
            "/nowhere",
            "/trees/99",
            "/photos/99/desk",
            "/sessions/99",
            "/photos/99/desk.jpg",
        ):
            answer = self.client.get(place)
            self.assertEqual(answer.status_code, 404)
            self.assertTrue(tags(answer, "h1"))

    def test_marks_that_are_no_json(self):
        photo, _ = self.photo(self.tree_row)
        for body in (b"{", b"[]", b'{"marks": {}}'):
            answer = self.client.put(
                f"/photos/{photo.id}/marks", content=body, headers={"accept": "application/json"}
            )
            self.assertEqual(answer.status_code, 422)
            self.assertTrue(answer.json()["message"])

    def test_a_conflict_on_the_desk_is_a_409(self):
        photo, marks = self.photo(self.tree_row)
        send = {"revision": 0, "marks": marks}
        self.assertEqual(self.client.put(f"/photos/{photo.id}/marks", json=send).status_code, 200)
        self.assertEqual(
            self.client.put(
                f"/photos/{photo.id}/marks", json=send, headers={"accept": "application/json"}
            ).status_code,
            409,
        )

    def test_bad_photo_says_which(self):
        answer = self.client.post(
            "/trees/1/photos", files={"files": ("notes.jpg", b"text", "image/jpeg")}
        )
        self.assertEqual(answer.status_code, 422)
        self.assertIn("notes.jpg", answer.text)

    def test_future_session_is_refused_with_the_entries_kept(self):
        answer = self.client.post(
            "/trees/1/sessions", data={"done_on": "2031-03-01", "reason": "full of root"}
        )
        self.assertEqual(answer.status_code, 422)
        self.assertIn("full of root", answer.text)
        self.assertIn("is in the future", answer.text)

    def test_session_photos_go_in_and_a_bad_one_is_named(self):
        out = io.BytesIO()
        Image.new("RGB", (640, 480), (90, 90, 80)).save(out, "JPEG")
        files = [
            ("photos_before", ("before.jpg", out.getvalue(), "image/jpeg")),
            ("photos_after", ("broken.jpg", b"oops", "image/jpeg")),
        ]
        answer = self.client.post("/trees/1/sessions", data={"done_on": "2026-03-20"}, files=files)
        self.assertEqual(answer.status_code, 200)
        self.assertEqual([i["alt"] for i in tags(answer, "img")], ["Before the session"])
        self.assertIn("broken.jpg", answer.text)

    def test_the_yard_is_kept_and_moves_the_windows(self):
        sent = {"name": "Low yard", "place": "Brackwater", "last_frost": "05-10", "school": "bold"}
        self.assertEqual(self.client.post("/almanac/yard", data=sent).status_code, 200)
        yard = self.yard()
        self.assertEqual((yard.name, yard.last_frost, yard.school), ("Low yard", "05-10", "bold"))
        self.assertIn("Low yard", self.client.get("/").text)
        answer = self.client.post("/almanac/yard", data={**sent, "last_frost": "13-40"})
        self.assertEqual(answer.status_code, 422)
        self.assertIn("such as 20 apr", answer.text)
        self.assertEqual(self.yard().last_frost, "05-10")

    def test_assets_carry_their_hash(self):
        [style] = [a for a in tags(self.client.get("/"), "link") if a["rel"] == "stylesheet"]
        answer = self.client.get(style["href"])
        self.assertEqual(answer.status_code, 200)
        self.assertIn("immutable", answer.headers["cache-control"])


class SmallPartsTest(unittest.TestCase):
    def test_every_error_has_its_status(self):
        for error, status in (
            (NotFound("", ""), 404),
            (Conflict("", ""), 409),
            (BadInput("", ""), 422),
            (MirvoError(), 400),
        ):
            self.assertEqual(status_of(error), status)

    def test_numbers_may_use_a_comma(self):
        sent = FormData([("a", "42,5"), ("b", " "), ("c", "two, three")])
        self.assertEqual(fields_of(sent), {"a": "42.5", "c": "two, three"})

    def test_each_field_has_its_own_sentence(self):
        sent = {"species_key": "zelkova", "age_years": "-1", "height_mm": "x"}
        with self.assertRaises(ValidationError) as wrong:
            TreeFields.model_validate(sent)
        errors = {one["loc"][0]: form_complaint(one) for one in wrong.exception.errors()}
        self.assertEqual(set(errors), {"name", "age_years", "height_mm"})
        self.assertEqual(errors["age_years"], "Must be at least 0.")

    def test_clock_words(self):
        self.assertEqual(
            [clock(h) for h in (12.0, 7.3, 0.5, 11.99)], ["12:00", "7:20", "12:30", "12:00"]
        )
