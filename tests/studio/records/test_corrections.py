"""Records put right."""

from mirvo.core.errors import BadInput, NotFound
from mirvo.studio.bench_session.closing import close_session
from mirvo.studio.bench_session.session import begin
from mirvo.studio.records.aftercare import tasks_of_session, tick
from mirvo.studio.records.corrections import correct_session, form_of_session
from tests.studio.bench_session.bench_case import BenchCase


class CorrectionTest(BenchCase):
    def recorded(self):
        self.enter(bud_stage="buds swelling", ball_depth_before=80, slice_mm=20, soil="wrong mix")
        self.enter_field("root:A", {"action": "remove", "why": "above the others"})
        return close_session(self.studio, self.bench.id)

    def test_a_record_is_put_right_and_worked_out_anew(self):
        session = self.recorded()
        tick(self.studio, self.read(tasks_of_session, session.id)[0].id)
        form = self.read(form_of_session, session)
        self.assertEqual(self.read(form_of_session, session).slice_mm, 20)
        fewer = form.model_copy(update={"slice_mm": 0.0, "soil": "own mix", "roots": ()})
        right = correct_session(self.studio, session.id, fewer)
        # What combing the edge takes stays, though neither slice nor cut does.
        self.assertEqual((right.soil, right.share_computed), ("own mix", 0.0825))
        self.assertEqual(self.cuts_of(right)["A"].why, "above the others")
        tasks = self.read(tasks_of_session, session.id)
        self.assertEqual(sum(task.done_at is not None for task in tasks), 1)
        self.assertNotIn("wound", [task.code for task in tasks if task.done_at is None])
        self.bench = begin(self.studio, 1, "routine")
        self.assertIn("A", self.review().cases)

    def test_the_same_form_again_changes_nothing(self):
        session = self.recorded()
        again = correct_session(self.studio, session.id, self.read(form_of_session, session))
        for name in ("share_computed", "budget", "slice_mm", "notes", "unfinished", "practice"):
            self.assertEqual(getattr(again, name), getattr(session, name), name)

    def test_what_cannot_be_is_refused_and_the_record_stays(self):
        session = self.recorded()
        wrong = self.read(form_of_session, session).model_copy(update={"slice_mm": 500.0})
        with self.assertRaises(BadInput):
            correct_session(self.studio, session.id, wrong)
        self.assertEqual(self.sessions_of(1)[0].slice_mm, 20)
        with self.assertRaises(NotFound):
            correct_session(self.studio, 99, self.read(form_of_session, session))
