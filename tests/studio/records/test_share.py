"""One share: what the bench says of a session, its record says too."""

from datetime import timedelta

from mirvo.core.limits.sessions import SessionFields
from mirvo.core.rootwork.bench import fields_for
from mirvo.core.rootwork.kinds import KINDS
from mirvo.records.documents import BenchNotes
from mirvo.records.models import RootSession
from mirvo.studio.bench_session.closing import close_session
from mirvo.studio.bench_session.session import begin
from mirvo.studio.path.plans import actual_session
from mirvo.studio.records.corrections import correct_session, form_of_session
from mirvo.studio.records.session_form import ENTERED
from mirvo.studio.standing.feeding import correction_of
from mirvo.studio.standing.practice import save_tree_practice
from mirvo.studio.standing.tree_queries import cuts_of
from tests.studio.bench_session.bench_case import BenchCase
from tests.studio_case import TODAY


class ShareTest(BenchCase):
    def setUp(self):
        super().setUp()
        save_tree_practice(self.studio, 1, {"budget": "bold", "operations": "together"})
        self.enter(bud_stage="buds swelling", ball_depth_before=80, slice_mm=10)
        self.enter(offcuts_g=300, ball_g=600)
        close_session(self.studio, self.bench.id)
        self.studio.clock = lambda: TODAY + timedelta(days=370)
        self.bench = begin(self.studio, 1, "routine")
        self.enter(bud_stage="buds swelling", ball_depth_before=70, slice_mm=8, top_reduced=30)
        self.enter(ball_length_before=200, ball_width_before=150, ball_length_after=180)
        self.enter(fine_roots="mostly below", offcuts_g=400, ball_g=900)
        self.enter_field("seen:A", {"feeders": 3, "height": "below"})
        self.enter_field("seen:B", {"condition": "weak", "feeders": 0})
        self.enter_field("seen:C", {"feeders": 3})
        self.enter_field("root:A", {"action": "remove"})
        self.enter_field("root:C", {"action": "shorten", "part": 0.4})

    def test_the_record_says_what_the_bench_said(self):
        review = self.review().review
        session = close_session(self.studio, self.bench.id)
        self.assertAlmostEqual(session.share_computed, review.share_decided, 4)
        self.assertAlmostEqual(session.budget, review.budget, 4)
        self.assertNotAlmostEqual(session.share_uncorrected, session.share_computed, 2)

    def test_putting_the_record_right_without_a_change_changes_no_figure(self):
        session = close_session(self.studio, self.bench.id)
        said = session.share_computed, session.share_uncorrected, session.budget
        form = self.read(form_of_session, session)
        again = correct_session(self.studio, session.id, form)
        self.assertEqual((again.share_computed, again.share_uncorrected, again.budget), said)

    def test_the_plan_is_compared_with_the_same_share(self):
        session = close_session(self.studio, self.bench.id)
        cuts = self.read(cuts_of, 1)[session.id]
        actual = actual_session(session, cuts)
        self.assertEqual((actual.share, session.share_source), (session.share, "weighed"))
        self.assertEqual(actual.roots, {"A": 1.0, "C": 0.4})

    def test_its_own_weighing_does_not_correct_a_session(self):
        session = close_session(self.studio, self.bench.id)
        with_it = self.read(correction_of, 1)
        self.assertNotAlmostEqual(self.read(correction_of, 1, session.id), with_it, 2)


class SessionFormTest(BenchCase):
    def test_every_field_entered_is_a_column_of_its_own_name(self):
        columns = {column.key for column in RootSession.__table__.columns}
        self.assertEqual(set(ENTERED) - columns, set())
        self.assertEqual(
            set(SessionFields.model_fields) - set(ENTERED), {"roots", "measurement_id"}
        )

    def test_what_the_bench_asks_for_is_a_column_or_a_note(self):
        asked = {key for kind in KINDS for key in fields_for(kind.key)}
        self.assertGreaterEqual(len(asked & set(ENTERED)), 15)
        self.enter(bud_stage="buds swelling", ball_depth_before=80, soil="own mix", old_soil=[7])
        session = close_session(self.studio, self.bench.id)
        self.assertEqual((session.soil, session.ball_depth_before), ("own mix", 80.0))
        notes: BenchNotes = session.notes
        self.assertEqual(notes, {"old_soil": [7]})
