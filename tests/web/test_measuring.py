"""Answers about measuring: card files, help, years, and what is refused."""

import json
from datetime import date

import numpy as np

from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.measuring.years import years_of
from mirvo.studio.photos.photo_queries import photos_of
from mirvo.web.app import create_app
from tests.client import TestClient
from tests.studio_case import StudioCase

JSON = {"Accept": "application/json"}


class KitTest(StudioCase):
    def test_the_card_as_files(self):
        client = TestClient(create_app(self.studio))
        pdf, svg = client.get("/kit/card.pdf"), client.get("/kit/card.svg")
        self.assertTrue(pdf.content.startswith(b"%PDF"))
        self.assertIn("mirvo-card.pdf", pdf.headers["content-disposition"])
        self.assertIn('width="210mm"', svg.text)


class HelpTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.client = TestClient(create_app(self.studio))
        self.row, self.marks = self.photo(self.tree(), size=(1200, 900))

    def ask(self, what, **body):
        address = f"/photos/{self.row.id}/assist/{what}"
        return self.client.post(address, json=body, headers=JSON)

    def proposed(self, **marks):
        """What a job told on its way, its last state at the end."""
        answer = self.ask("propose", marks={**self.marks, "roots": [], **marks})
        self.assertEqual(answer.status_code, 202)
        events = self.client.get(f"{answer.json()['job']}/events").text.split("\n\n")
        return [json.loads(one.removeprefix("data: ")) for one in events if one]

    def test_proposals_come_with_their_progress(self):
        *told, last = self.proposed()
        shares = [one["share"] for one in told]
        self.assertEqual(shares, sorted(shares))
        self.assertTrue(last["result"])
        self.assertEqual(self.open_desk(self.row.id).marks.roots, ())

    def test_a_job_is_read_by_scripts_and_people(self):
        job = self.ask("propose", marks={**self.marks, "roots": []}).json()["job"]
        key = job.removeprefix("/jobs/")
        self.assertTrue(self.studio.jobs.find(key).wait(60))
        self.assertTrue(self.client.get(job, headers=JSON).json()["done"])
        self.assertEqual(self.client.get(job).url.path, f"/photos/{self.row.id}/desk")
        self.assertEqual(self.client.get("/jobs/none").status_code, 404)

    def test_a_stopped_job_says_so_and_leaves_nothing(self):
        begun = self.client.post("/trees/1/photos/turntable", headers=JSON).json()["job"]
        self.client.post(f"{begun}/stop", headers=JSON)
        state = self.client.get(begun, headers=JSON).json()
        self.assertTrue(state["stopped"])
        self.assertEqual(self.client.get(begun).url.path, "/trees/1/photos")
        with self.studio.reading() as db:
            self.assertEqual(len(photos_of(db, 1)), 1)

    def test_without_scripts_a_page_watches_it(self):
        page = self.client.post("/trees/1/photos/simulated")
        self.assertRegex(page.url.path, "^/jobs/")
        self.assertIn('http-equiv="refresh"', page.text)
        self.assertTrue(self.studio.jobs.find(page.url.path[6:]).wait(120))
        self.assertRegex(self.client.get(page.url.path).url.path, "^/photos/2/desk")

    def test_the_trunk_is_proposed_where_none_is_drawn(self):
        marks = {name: part for name, part in self.marks.items() if name not in ("trunk", "roots")}
        found = self.ask("trunk", marks=marks).json()
        known = np.array(self.marks["trunk"]["outline"])
        outline = np.array(found["outline"])
        across = float(np.ptp(known, axis=0).mean())
        self.assertLess(np.hypot(*(outline.mean(axis=0) - known.mean(axis=0))), 0.15 * across)
        # It says how far it may be off, so that the ± is honest until somebody pulls it right.
        off = abs(float(np.ptp(outline, axis=0).mean()) - across) / 2
        self.assertLess(off, 1.96 * found["outline_sd_px"])
        self.assertLess(found["outline_sd_px"], 0.15 * across)
        refused = self.ask("trunk", marks={"view": "top", "roots": []})
        self.assertEqual((refused.status_code, refused.json()["field"]), (422, "calibration"))

    def test_a_root_that_was_rejected_is_not_offered_again_and_its_like_are_doubted(self):
        def offered(**rejected):
            return self.proposed(**rejected)[-1]["result"]

        first = offered()
        self.assertGreater(len(first), 2)
        surest = max(first, key=lambda offer: offer["confidence"])
        gone = {"point": surest["path"][0], "confidence": surest["confidence"]}
        again = offered(rejected=[gone])
        self.assertEqual(len(again), len(first) - 1)
        self.assertNotIn(surest["path"], [offer["path"] for offer in again])
        self.assertTrue(all(offer["doubtful"] for offer in again if offer["confidence"] <= 0.97))

    def test_what_cannot_be_helped_is_said(self):
        for what, body, field in (
            ("propose", {"marks": {"view": "top", "roots": []}}, "trunk"),
            ("propose", {"marks": 7}, "marks"),
            ("trace", {"marks": self.marks, "tip": ["x", 1]}, "point"),
            ("trace", {"marks": self.marks, "tip": [1.0, 1.0]}, "tip"),
            ("width", {"marks": self.marks, "path": [[1, 2]]}, "path"),
            ("outline", {"rough": [[1, 2]]}, "trunk.outline"),
            ("edge", {"rough": []}, "edge"),
            ("edge", {"rough": [[-1e6, -1e6], [1e6, 1e6]]}, "point"),
            ("edge", {"rough": [[1, 1], ["inf", 1]]}, "point"),
            ("edge", {"rough": [[10, 10 * k % 700] for k in range(401)]}, "edge"),
            ("edge", {"rough": [[10 + k % 2 * 1000, 10] for k in range(40)]}, "edge"),
            ("outline", {"rough": [[10 + k % 2 * 1000, 10] for k in range(40)]}, "trunk.outline"),
            ("flanks", {"width": [[1, 2]], "path": [[1, 2], [9, 9]]}, "base_width"),
            ("flanks", {"width": [[1, 2], [9, 2]], "path": [[1, 2]]}, "path"),
            ("flanks", {"width": [[1, 2], [9, 2]], "path": [[1, 2], [1e12, 2]]}, "point"),
            ("flanks", {"width": [[1, 2], ["nan", 2]], "path": [[1, 2], [9, 9]]}, "point"),
        ):
            with self.subTest(what=what, field=field):
                answer = self.ask(what, **body)
                self.assertEqual(answer.status_code, 422)
                self.assertEqual(answer.json()["field"], field)

    def test_a_photo_without_its_card_says_so_once_and_again(self):
        marks = {**self.marks, "calibration": {"kind": "card"}, "roots": []}
        for _ in range(2):
            answer = self.ask("propose", marks=marks)
            self.assertEqual(answer.status_code, 422)
            self.assertIn("no card was found", answer.json()["message"])


class YearsPagesTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.client = TestClient(create_app(self.studio))
        tree = self.tree()
        for day in (date(2020, 3, 1), date(2024, 3, 1)):
            photo, marks = self.photo(tree, seed=day.year % 9, taken_on=day)
            save_marks(self.studio, photo.id, marks, 0)

    def test_letters_are_confirmed_by_a_form(self):
        years = self.read(years_of, 1)
        newer = years.measurements[-1]
        page = self.client.get("/trees/1/years").text
        self.assertIn("Which root is which?", page)
        given = {new: old for old, new in years.comparison.match.pairs}
        labels = newer.top_marks.labels
        form = {f"letter_{label}": given.get(label, "") for label in labels}
        wrong = {**form, "letter_A": "Z9"}
        refused = self.client.post(f"/trees/1/years/{newer.id}", data=wrong)
        self.assertEqual(refused.status_code, 422)
        self.assertIn("ever bore", refused.text)
        self.client.post(f"/trees/1/years/{newer.id}", data=form)
        self.assertNotIn("Which root is which?", self.client.get("/trees/1/years").text)

    def test_photos_laid_flat(self):
        answer = self.client.get("/measurements/1/plan.jpg?reach=80")
        self.assertEqual(answer.headers["content-type"], "image/jpeg")
        self.assertEqual(self.client.get("/measurements/9/plan.jpg").status_code, 404)
        self.assertEqual(self.client.get("/measurements/1/plan.jpg?reach=0").status_code, 422)
