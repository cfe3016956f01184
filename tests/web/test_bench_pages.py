"""Pages about the bench without a browser: week, care, practice, timing, calendar, follow-ups."""

import io
from datetime import date

from PIL import Image
from sqlalchemy import event

from mirvo.core.limits.sessions import SessionFields
from mirvo.studio.bench_session.session import begin, bench_state
from mirvo.studio.ground.state_cache import StudioState
from mirvo.studio.records.aftercare import tasks_of_session
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.standing.tree_queries import load_tree
from mirvo.studio.yard.bench import bench
from mirvo.web.app import create_app
from tests.client import TestClient
from tests.studio_case import StudioCase


def picture(colour):
    out = io.BytesIO()
    Image.new("RGB", (640, 480), colour).save(out, "JPEG")
    return ("base.jpg", out.getvalue(), "image/jpeg")


class BenchPagesTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.client = TestClient(create_app(self.studio), follow_redirects=False)
        self.tree_row = self.tree()

    def session(self, **changes):
        form = SessionFields(done_on=date(2026, 11, 23), bud_stage="buds swelling", **changes)
        return record_session(self.studio, self.tree_row.id, form)

    def test_a_week_is_chosen_and_a_wrong_one_refused(self):
        monday = self.read(bench, self.studio.today).weeks[0].monday
        sent = self.client.post("/trees/1/week", data={"week": monday.isoformat()})
        self.assertEqual(sent.status_code, 303)
        self.assertEqual(self.load_tree(1).moved_to, monday)
        for week, status in (("someday", 422), ("2027-08-02", 422), ("", 303)):
            answer = self.client.post("/trees/1/week", data={"week": week})
            self.assertEqual(answer.status_code, status)
        self.assertIsNone(self.load_tree(1).moved_to)

    def test_a_step_sent_without_scripts_is_kept_and_a_part_that_is_no_number_refused(self):
        self.client.post("/trees/1/bench-sessions", data={"kind": "routine"})
        steps = "/bench-sessions/1/steps"
        wrong = {"step": "decide", "root:A": "shorten", "keep:A": "a bit"}
        answer = self.client.post(steps, data=wrong, headers={"accept": "application/json"})
        self.assertEqual(answer.status_code, 422)
        self.assertIn("'a bit' is not a number", answer.json()["message"])
        self.assertEqual(self.client.post(steps, data={**wrong, "keep:A": "40"}).status_code, 303)
        decided = self.read(bench_state, 1).decisions["A"]
        self.assertAlmostEqual(decided.part, 0.6)

    def test_more_trees_cost_no_more_questions_of_the_database(self):
        asked = []
        event.listen(
            self.studio.engine, "before_cursor_execute", lambda *asked_now: asked.append(asked_now)
        )

        def questions():
            counts = []
            for place in ("/", "/trees", "/kit", "/kit/calendar.ics", "/materials", "/trees/1"):
                self.studio.settle(wholly=True)
                # Nothing known: what a page asks at most, and not what it is spared.
                self.studio.state = StudioState()
                asked.clear()
                self.assertEqual(self.client.get(place).status_code, 200)
                counts.append(len(asked))
            return counts

        self.session()
        before = questions()
        for number in range(5):
            self.tree(name=f"Harbour larch {number}")
        self.assertEqual(questions(), before)
        self.assertLessEqual(max(before), 13)  # twelve, and the beginning of the reading

    def test_a_trees_pages_ask_at_most_twelve_questions(self):
        self.session()
        asked = []
        event.listen(
            self.studio.engine, "before_cursor_execute", lambda *asked_now: asked.append(asked_now)
        )
        open_one = f"/bench-sessions/{begin(self.studio, 1, 'routine').id}"
        for place in ("/trees/1", "/trees/1/path", "/trees/1/years", "/trees/1/time", open_one):
            with self.subTest(place=place):
                self.client.get(place)
                # What is known of a tree goes once something of it is written.
                with self.studio.writing() as db:
                    load_tree(db, 1).note = place
                self.studio.settle(wholly=True)
                asked.clear()
                self.assertEqual(self.client.get(place).status_code, 200)
                self.assertLessEqual(sum(one[2] != "BEGIN" for one in asked), 12)

    def test_a_task_is_ticked_and_opened_again(self):
        task = self.read(tasks_of_session, self.session().id)[0]
        self.assertEqual(self.client.post(f"/care/{task.id}").headers["location"], "/")
        self.assertIsNotNone(self.read(tasks_of_session, task.session_id)[0].done_at)
        self.client.post(f"/care/{task.id}", data={"open": "1"})
        self.assertIsNone(self.read(tasks_of_session, task.session_id)[0].done_at)
        away = {"referer": "https://elsewhere.example/x"}
        self.assertEqual(
            self.client.post(f"/care/{task.id}", headers=away).headers["location"], "/"
        )
        self.assertEqual(self.client.post("/care/999").status_code, 404)

    def test_practice_is_answered_by_preset_singly_and_for_a_tree(self):
        self.client.post("/almanac/practice", data={"preset": "gentle"})
        self.assertEqual(self.yard().school, "gentle")
        self.client.post("/almanac/practice", data={"wounds": "open", "budget": "bold"})
        self.assertEqual(self.yard().practice["wounds"], "open")
        self.assertEqual(self.yard().school, "bold")
        self.client.post("/trees/1/practice", data={"wounds": "sealed", "budget": ""})
        self.assertEqual(self.load_tree(1).practice, {"wounds": "sealed"})
        for place in ("/almanac/practice", "/trees/1/practice"):
            for wrong in ({"wounds": "painted"}, {"colour": "red"}):
                self.assertEqual(self.client.post(place, data=wrong).status_code, 422)

    def test_follow_up_photos_stand_beside_the_one_before(self):
        session = self.session()
        before = {"files": picture("brown")}
        self.client.post("/trees/1/photos", files=before, data={"kind": "before"})
        for colour in ("green", "olive"):
            sent = {"files": picture(colour)}
            kind = {"kind": "follow-up"}
            self.client.post(f"/sessions/{session.id}/photos", files=sent, data=kind)
        page = self.client.get(f"/sessions/{session.id}").text
        self.assertEqual(page.count("<figure>"), 3)
        wrong = {"files": ("x.jpg", b"words", "image/jpeg")}
        told = self.client.post(f"/sessions/{session.id}/photos", files=wrong)
        self.assertIn("refused=", told.headers["location"])

    def test_the_calendar_is_a_file_and_its_address_a_secret(self):
        self.assertTrue(self.client.get("/kit/calendar.ics").text.startswith("BEGIN:VCALENDAR"))
        self.client.post("/kit/calendar")
        secret = self.yard().calendar_secret
        self.assertEqual(self.client.get(f"/calendar/{secret}.ics").status_code, 200)
        self.client.post("/kit/calendar", data={"stop": "1"})
        self.assertEqual(self.client.get(f"/calendar/{secret}.ics").status_code, 404)

    def test_is_it_time_answers_whole_and_in_part(self):
        place = "/trees/1/time?roots_at_holes=on&days_between=often"
        self.assertIn("give a number", self.client.get(place).text)
        part = self.client.get(place, headers={"HX-Request": "true"}).text
        self.assertNotIn("<html", part)
