"""Signs seen on a tree are kept with their day, and every place counts them until they are over."""

from datetime import UTC, date, datetime

from mirvo.core.coded import coded
from mirvo.core.errors import BadInput
from mirvo.core.limits.care import AnswerFields
from mirvo.core.limits.sessions import SessionFields
from mirvo.core.limits.trees import TreeFields
from mirvo.studio.bench_session.session import begin
from mirvo.studio.records.answers import put_answer
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.records.watering import note_watering, rhythm_of
from mirvo.studio.standing.standing import standing_of
from mirvo.studio.yard.trees import edit_tree
from mirvo.studio.yard.triage import keep_signs
from mirvo.web.app import create_app
from tests.client import TestClient
from tests.studio_case import StudioCase

NOVEMBER, DECEMBER = date(2026, 11, 12), date(2026, 12, 1)


class SignsTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.on(NOVEMBER)
        self.here = self.tree(acquired_on=date(2015, 1, 1), age_class="mature")
        record_session(self.studio, self.here.id, SessionFields(done_on=date(2026, 3, 20)))

    def on(self, day):
        self.studio.clock = lambda: datetime(day.year, day.month, day.day, 9, tzinfo=UTC)

    def stands(self, day=None):
        return self.read(standing_of, self.here.id, day or self.studio.today)

    def test_every_place_counts_them_with_their_day(self):
        before = self.stands().usual_verdict.kind
        keep_signs(self.studio, self.here.id, ["water_stands", "soil_decayed"])
        self.on(DECEMBER)
        found = self.stands()
        self.assertNotEqual(found.usual_verdict.kind, before)
        said = coded("sign", sign="water_stands", on=date(2026, 11, 12))
        self.assertIn(said, found.usual_verdict.speaks_for)
        pages = TestClient(create_app(self.studio))
        kind = f'data-verdict="{found.usual_verdict.kind}"'
        begin(self.studio, self.here.id, "routine")
        for place in ("/", "/trees/1", "/trees/1/time", "/bench-sessions/1"):
            text = " ".join(pages.get(place).text.split())
            self.assertIn(kind, text, place)
            said = 'water stands on top <span class="quiet">12 Nov 2026</span>'
            self.assertIn(said, text, place)
        self.assertIn("since 12 Nov 2026", pages.get("/trees/1/time").text)
        # The day before they were seen nobody knew.
        self.assertEqual(self.stands(date(2026, 11, 11)).standing.signs, {})

    def test_ticks_are_kept_on_the_page_and_let_go_there(self):
        pages = TestClient(create_app(self.studio))
        pages.post("/trees/1/signs", data={"thick_moss": "on", "usual_watering_days": "3"})
        self.assertEqual(self.stands().standing.signs, {"thick_moss": NOVEMBER})
        self.assertEqual(self.read(rhythm_of, 1).days_between, 3)
        for typed in ("often", "100", "0"):
            sent = {"thick_moss": "on", "usual_watering_days": typed}
            self.assertIn("Your ticks are saved.", pages.post("/trees/1/signs", data=sent).text)
        self.assertEqual(self.read(rhythm_of, 1).days_between, 3)
        self.on(DECEMBER)
        part = pages.post("/trees/1/signs", headers={"HX-Request": "true"}).text
        self.assertNotIn("<html", part)
        self.assertEqual(self.stands().standing.signs, {})
        # What it was in November stays on record.
        self.assertEqual(self.stands(date(2026, 11, 20)).standing.signs, {"thick_moss": NOVEMBER})
        self.assertEqual(len(self.load_tree(1).signs_seen), 1)

    def test_a_tick_taken_back_the_same_day_was_never_there(self):
        keep_signs(self.studio, 1, ["pot_broken"])
        keep_signs(self.studio, 1, [])
        self.assertEqual(self.load_tree(1).signs_seen, ())
        with self.assertRaises(BadInput):
            keep_signs(self.studio, 1, ["blue_leaves"])

    def test_sessions_clear_what_they_deal_with(self):
        keep_signs(self.studio, 1, ["roots_at_holes", "thick_moss"])
        self.on(DECEMBER)
        record_session(self.studio, 1, SessionFields(kind="slip-pot", done_on=DECEMBER))
        self.assertEqual(set(self.stands().standing.signs), {"thick_moss"})
        record_session(self.studio, 1, SessionFields(done_on=DECEMBER))
        self.assertEqual(self.stands().standing.signs, {})

    def test_taps_count_for_more_than_what_was_typed_once(self):
        values = {name: getattr(self.here, name) for name in TreeFields.model_fields}
        form = TreeFields.model_validate({**values, "usual_watering_days": 7})
        edit_tree(self.studio, 1, form, self.here.version)
        for day, usual in ((1, 7), (3, 7), (5, 7), (7, 7), (9, 2)):
            self.on(date(2026, 12, day))
            note_watering(self.studio, 1)
            self.assertEqual(self.read(rhythm_of, 1).days_between, usual)


class OriginTest(StudioCase):
    """Dug, separated, came: three days, and only the first two cut the roots."""

    def stands(self, **fields):
        made = self.tree(strength="strong", age_class="young", **fields)
        return self.read(standing_of, made.id, self.studio.today)

    def test_a_tree_dug_long_ago_and_bought_today_is_not_just_dug(self):
        dug = {"origin": "collected with permission", "acquired_on": self.studio.today}
        fresh, old = self.stands(**dug), self.stands(**dug, dug_on=date(2010, 3, 1))
        self.assertTrue(fresh.standing.recovering)
        self.assertFalse(old.standing.recovering)
        ratio = fresh.standing.window_limits.budget / old.standing.window_limits.budget
        self.assertAlmostEqual(ratio, 0.7)

    def test_a_layer_cut_off_this_year_recovers(self):
        cut = self.stands(origin="air layer", separated_on=date(2026, 9, 1))
        self.assertTrue(cut.standing.recovering)
        self.assertFalse(self.stands(origin="air layer").standing.recovering)

    def test_bare_rooted_stock_is_to_be_potted_until_it_is(self):
        stands = self.stands(origin="bare-root purchase", held_bare=True)
        self.assertEqual(stands.usual_verdict.kind, "repot_now")
        slip = SessionFields(kind="slip-pot", done_on=self.studio.today)
        first = SessionFields(kind="first", done_on=self.studio.today)
        for form, held in ((slip, True), (first, False)):
            record_session(self.studio, stands.tree.id, form)
            tree = self.read(standing_of, stands.tree.id, self.studio.today).tree
            self.assertEqual(tree.held_bare, held)

    def test_a_willow_that_answered_well_may_be_worked_twice_in_a_season(self):
        spring, summer = date(2026, 4, 10), date(2026, 7, 10)
        willow = self.stands(species_key="weeping-willow").tree
        session = record_session(self.studio, willow.id, SessionFields(done_on=spring))
        stands = self.read(standing_of, willow.id, summer).standing
        self.assertFalse(stands.second_session, "nobody has seen how it answered")
        put_answer(self.studio, session.id, AnswerFields(shoots_on=date(2026, 5, 1)))
        found = self.read(standing_of, willow.id, summer)
        self.assertEqual(found.answers[session.id], "good")
        self.assertTrue(found.standing.second_session)
        # Too soon after the first, and once its window is over.
        for day in (date(2026, 5, 20), date(2026, 10, 1)):
            self.assertFalse(self.read(standing_of, willow.id, day).standing.second_session)

    def test_a_repot_before_its_records_counts_for_the_interval(self):
        known = self.stands(last_repotted_on=date(2026, 3, 20)).standing
        self.assertEqual(known.interval.last_on, date(2026, 3, 20))
        self.assertFalse(known.interval.over)
        self.assertTrue(self.stands().standing.interval.over)
        # What is recorded here counts for more.
        stands = self.stands(last_repotted_on=date(2026, 3, 20))
        record_session(self.studio, stands.tree.id, SessionFields(done_on=date(2026, 4, 1)))
        found = self.read(standing_of, stands.tree.id, self.studio.today).standing
        self.assertEqual(found.interval.last_on, date(2026, 4, 1))
        # A graft opens no ball, and resets nothing.
        graft = SessionFields(kind="graft", done_on=date(2026, 6, 1))
        record_session(self.studio, stands.tree.id, graft)
        found = self.read(standing_of, stands.tree.id, self.studio.today).standing
        self.assertEqual((found.interval.last_on, found.delays), (date(2026, 4, 1), 0))

    def test_a_tree_still_in_the_ground_is_dug_and_recovers_from_then_on(self):
        came = {"origin": "dug from a garden", "acquired_on": self.studio.today}
        stands = self.stands(**came, in_ground=True)
        self.assertFalse(stands.standing.recovering or stands.standing.newcomer)
        number = stands.tree.id
        keep_signs(self.studio, number, ["pot_broken"])
        found = self.read(standing_of, number, self.studio.today)
        self.assertEqual(found.usual_verdict.session, "collection")
        done = SessionFields(kind="collection", done_on=self.studio.today)
        record_session(self.studio, number, done)
        tree = self.load_tree(number)
        self.assertEqual((tree.in_ground, tree.dug_on), (False, self.studio.today))
        self.assertTrue(self.read(standing_of, number, self.studio.today).standing.recovering)
