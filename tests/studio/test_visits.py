"""Visits at the bench: taps kept once, decisions reckoned, closing into one record."""

import uuid
from datetime import UTC, datetime, timedelta

from mirvo.core.errors import BadInput, NotFound
from mirvo.studio.almanac.practice import save_practice, save_tree_practice, take_preset
from mirvo.studio.almanac.practice_effects import effects_on
from mirvo.studio.bench_session.closing import close_session
from mirvo.studio.bench_session.cut_review import cut_review
from mirvo.studio.bench_session.entries import keep_photo, save_entries
from mirvo.studio.bench_session.session import begin, bench_state, leave, running_sessions
from mirvo.studio.measuring.desk import evaluate, save_marks
from mirvo.studio.records.aftercare import rhythm_of, tasks_of_session, tick, water
from mirvo.studio.records.corrections import correct_session, form_of_session
from mirvo.studio.yard.trees import TreeForm, edit_tree, offspring
from mirvo.studio.yard.triage import is_it_time
from tests.studio_case import TODAY, StudioCase


def entry(field, value, at=None, name=None):
    return {
        "id": name or uuid.uuid4().hex,
        "field": field,
        "value": value,
        "at": (at or TODAY).isoformat(),
    }


class BenchCase(StudioCase):
    def prepare(self):
        tree = self.tree(acquired_on=TODAY.date() - timedelta(days=2000))
        photo, marks = self.photo(tree)
        save_marks(self.studio, photo.id, marks, 0)

    def setUp(self):
        super().setUp()
        self.here = self.load_tree(1)
        self.bench = begin(self.studio, 1, "routine")

    def enter(self, **fields):
        saved = save_entries(self.studio, self.bench.id, [entry(*one) for one in fields.items()])
        self.assertEqual(saved.refused, [])

    def enter_field(self, field, value, at=None):
        saved = save_entries(self.studio, self.bench.id, [entry(field, value, at)])
        self.assertEqual(saved.refused, [])

    def state(self):
        return self.read(bench_state, self.bench.id)

    def review(self):
        with self.studio.reading() as db:
            return cut_review(db, self.studio, bench_state(db, self.bench.id))


class EntriesTest(BenchCase):
    def test_a_session_goes_on_where_it_was(self):
        again = begin(self.studio, 1, "emergency")
        self.assertEqual((again.id, again.kind), (self.bench.id, "routine"))
        self.assertEqual([bench.id for bench, _ in self.read(running_sessions)], [self.bench.id])

    def test_an_entry_handed_over_twice_is_kept_once(self):
        one = entry("slice_mm", "12")
        for _ in range(2):
            self.assertEqual(save_entries(self.studio, self.bench.id, [one]).kept, [one["id"]])
        self.enter(slice_mm=15)
        save_entries(self.studio, self.bench.id, [one])
        self.assertEqual(self.state().answers["slice_mm"], 15.0)

    def test_the_last_entered_counts_not_the_last_handed_over(self):
        late, early = TODAY + timedelta(minutes=3), TODAY
        self.enter_field("soil", "new mix", late)
        self.enter_field("soil", "old mix", early)
        self.assertEqual(self.state().answers["soil"], "new mix")

    def test_what_cannot_be_is_refused_by_name_and_the_rest_is_kept(self):
        entries = [
            entry("slice_mm", -4),
            entry("found", "roots"),
            entry("colour", "red"),
            entry("root:A", {"action": "burn"}),
            entry("root:A", {"action": "shorten", "part": 7}),
            entry("seen:A", {"feeders": 9}),
            entry("done:lift", "yes"),
        ]
        saved = save_entries(self.studio, self.bench.id, entries)
        self.assertEqual(saved.kept, [entries[1]["id"]])
        fields = [one.field for one in saved.refused]
        self.assertEqual(fields, ["slice_mm", "colour", "root:A", "root:A", "seen:A", "done:lift"])
        for bad in (None, [{"field": "soil"}], [entry("soil", "x", name="short")]):
            with self.assertRaises(BadInput):
                save_entries(self.studio, self.bench.id, bad)
        with self.assertRaises(NotFound):
            save_entries(self.studio, 99, [])

    def test_an_entry_of_another_session_is_refused_and_odd_clocks_do_no_harm(self):
        mine = {**entry("soil", "mix"), "at": "0001-01-01T00:00:00+14:00"}
        self.assertEqual(save_entries(self.studio, self.bench.id, [mine]).kept, [mine["id"]])
        self.assertEqual(self.state().answers["soil"], "mix")
        other = begin(self.studio, self.tree(name="Other").id, "routine")
        saved = save_entries(self.studio, other.id, [mine])
        self.assertEqual((saved.kept, saved.refused[0].field), ([], "entries"))

    def test_roots_lie_bare_from_lifting_to_filling(self):
        self.enter_field("done:lift", True, TODAY)
        self.assertIsNone(self.state().exposed_minutes)
        self.enter_field("done:fill", True, TODAY + timedelta(minutes=25))
        self.assertEqual(self.state().exposed_minutes, 25.0)
        self.enter_field("done:fill", False, TODAY + timedelta(minutes=26))
        self.assertNotIn("fill", self.state().done_at)

    def test_a_photo_of_a_step_is_kept_once(self):
        photo, _ = self.photo(self.here, seed=5)
        content = self.studio.photos.original(photo.digest).read_bytes()
        name = uuid.uuid4().hex
        first = keep_photo(self.studio, self.bench.id, name, "inspect", "a.jpg", content)
        again = keep_photo(self.studio, self.bench.id, name, "inspect", "a.jpg", content)
        self.assertEqual(first.id, again.id)
        self.assertEqual([step for step, _ in self.state().photos], ["inspect"])
        with self.assertRaises(BadInput):
            keep_photo(self.studio, self.bench.id, uuid.uuid4().hex, "haircut", "a.jpg", content)
        with self.assertRaises(BadInput):
            keep_photo(self.studio, self.bench.id, uuid.uuid4().hex, "lift", "a.jpg", b"words")

    def test_an_empty_session_may_be_left_one_with_entries_not(self):
        self.assertEqual(leave(self.studio, self.bench.id), 1)
        self.bench = begin(self.studio, 1, "routine")
        self.enter(soil="mix")
        with self.assertRaises(BadInput):
            leave(self.studio, self.bench.id)


class DecidingTest(BenchCase):
    def setUp(self):
        super().setUp()
        self.enter(bud_stage="buds swelling", ball_depth_before=80)

    def test_the_after_picture_is_the_same_marks_measured_without_the_cut_roots(self):
        self.enter_field("root:A", {"action": "remove"})
        self.enter_field("root:C", {"action": "remove"})
        review = self.review()
        state = self.open_desk(1)
        left = tuple(root for root in state.marks.roots if root.label not in "AC")
        marks = state.marks.model_copy(update={"roots": left})
        measured = self.read(evaluate, self.studio, state.photo, marks).top
        self.assertEqual(review.after.radiality, measured.radiality)
        self.assertEqual(review.after.spread, measured.spread)
        self.assertEqual(review.before.radiality, state.found.top.radiality)

    def test_findings_change_the_advice_and_the_share(self):
        review = self.review()
        label = next(one for one, advice in review.advice.items() if advice.action == "keep")
        self.enter_field(f"seen:{label}", {"condition": "dead"})
        advice = self.review().advice[label]
        self.assertEqual((advice.action, advice.share), ("remove", 0.0))
        self.enter_field(f"seen:{label}", {"feeds": ["apex"], "height": "above"})
        self.assertEqual(self.review().advice[label].held_back[0].code, "only_feeder")
        self.assertEqual(self.review().stems, ["apex"])

    def test_the_slice_needs_the_depth_and_counts(self):
        self.enter(slice_mm=20)
        self.assertAlmostEqual(self.review().review.share_decided, 0.25)
        self.enter(ball_depth_before=None)
        self.assertIn("depth", self.review().problem)

    def test_a_dormant_tree_before_its_window_is_an_edge_only_under_shelter(self):
        early = effects_on(self.yard(), self.here, self.studio.today).early
        save_practice(self.studio, {"dormant": "swelling"})
        self.assertEqual(effects_on(self.yard(), self.here, self.studio.today).early, 0.0)
        self.assertGreater(early, 0.0)

    def test_a_tree_may_be_worked_otherwise_than_the_studio(self):
        steady = self.review().review.budget
        take_preset(self.studio, "gentle")
        gentle = self.review().review.budget
        save_tree_practice(self.studio, 1, {"budget": "bold", "wounds": ""})
        bold = self.review().review.budget
        self.assertLess(gentle, steady)
        self.assertLess(steady, bold)
        self.assertEqual(self.load_tree(1).practice, {"budget": "bold"})


class ClosingTest(BenchCase):
    def setUp(self):
        super().setUp()
        self.enter(bud_stage="buds swelling", ball_depth_before=80, slice_mm=20, old_soil=[7, 8])
        self.enter_field("root:B", {"action": "halve"})
        self.enter_field("root:A", {"action": "remove", "why": "above the others"})

    def test_closing_writes_one_record_with_its_aftercare_and_unfinished_work(self):
        self.enter(offcuts_g=200, ball_g=600, next_when="spring 2028 if it filled the pot")
        session = close_session(self.studio, self.bench.id)
        self.assertEqual(close_session(self.studio, self.bench.id).id, session.id)
        self.assertEqual(len(self.sessions_of(1)), 1)
        self.assertEqual(session.slice_mm, 20)
        done = {
            label: (cut.done_action, cut.done_part)
            for label, cut in self.cuts_of(session).items()
            if cut.done_action != "keep"
        }
        self.assertEqual(done, {"A": ("remove", 1.0), "B": ("shorten", 0.5)})
        self.assertEqual(self.cuts_of(session)["A"].why, "above the others")
        codes = [one.code for one in session.unfinished]
        self.assertEqual(
            [code for code in codes if code != "spared"], ["halved", "old_soil", "return"]
        )
        self.assertEqual(session.share_weighed, 0.25)
        self.assertIn("shade", [task.code for task in self.read(tasks_of_session, session.id)])
        saved = save_entries(self.studio, self.bench.id, [entry("soil", "late")])
        self.assertIn("closed", saved.refused[0].message)
        self.assertEqual(self.read(running_sessions), [])

    def test_offcuts_kept_are_trees_with_their_parent(self):
        self.enter(offcuts_kept=2)
        close_session(self.studio, self.bench.id)
        _, children = self.read(offspring, self.load_tree(1))
        self.assertEqual([child.species_key for child in children], ["zelkova"] * 2)
        self.assertEqual(self.read(offspring, children[0])[0].id, 1)

    def test_a_root_removed_is_gone_from_the_next_session_and_what_was_left_stands_first(self):
        close_session(self.studio, self.bench.id)
        self.bench = begin(self.studio, 1, "routine")
        self.assertNotIn("A", self.review().cases)
        self.assertEqual(self.state().old_soil_hours, (7, 8))
        self.enter(old_soil=[])
        self.assertEqual(self.state().old_soil_hours, ())
        texts = [one.text for one in self.state().last.unfinished]
        self.assertIn("Root B was halved: the rest next time.", texts)

    def test_weighing_corrects_the_next_estimates_of_this_tree(self):
        plain = self.review().review.share_decided
        self.enter(offcuts_g=900, ball_g=600)
        close_session(self.studio, self.bench.id)
        self.bench = begin(self.studio, 1, "routine")
        self.enter(bud_stage="buds swelling", ball_depth_before=80, slice_mm=20)
        ratio = min(2.5, 0.6 / plain)
        self.assertAlmostEqual(self.review().review.share_decided, min(1, 0.25 * ratio), 3)

    def test_what_cannot_be_recorded_is_said_and_nothing_is_lost(self):
        self.enter(slice_mm=90)
        with self.assertRaises(BadInput) as refused:
            close_session(self.studio, self.bench.id)
        self.assertEqual(refused.exception.field, "slice_mm")
        self.assertEqual(self.sessions_of(1), ())
        self.assertEqual(self.state().answers["slice_mm"], 90.0)


class WateringTest(BenchCase):
    def test_the_rhythm_and_its_warnings(self):
        for day in (1, 3, 3, 7, 9):
            self.studio.clock = lambda day=day: datetime(2026, 7, day, 8, tzinfo=UTC)
            water(self.studio, 1)
        rhythm = self.read(rhythm_of, 1)
        self.assertEqual((rhythm.times, rhythm.days_between), (4, 2.0))
        self.assertEqual(rhythm.last.day, 9)
        self.assertEqual(rhythm.warnings, [])
        values = {**self.entered(), "foreign_soil": "nursery peat", "water_dish": True}
        edit_tree(self.studio, 1, TreeForm.model_validate(values), self.here.version)
        peat, dish = self.read(rhythm_of, 1).warnings
        self.assertIn("nursery peat", peat)
        self.assertIn("water dish", dish)

    def entered(self):
        return {name: getattr(self.here, name) for name in TreeForm.model_fields}


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
        self.assertEqual((right.soil, right.share_computed), ("own mix", 0.0))
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


class TimingTest(BenchCase):
    def close(self, kind):
        self.bench = begin(self.studio, 1, kind)
        self.enter_field("done:place", True)
        return close_session(self.studio, self.bench.id)

    def test_records_say_years_delays_and_rhythm(self):
        leave(self.studio, self.bench.id)
        self.studio.clock = lambda: TODAY - timedelta(days=1100)
        self.close("routine")
        self.studio.clock = lambda: TODAY
        self.close("slip-pot")
        self.close("top-up")
        evidence, found = self.read(is_it_time, self.studio.today, 1, {"roots_at_holes": True})
        self.assertEqual(evidence.delays, 2)
        self.assertAlmostEqual(evidence.years_since, 3.01, 1)
        self.assertEqual(found.verdict, "repot_next")
        self.assertIn("row", found.lesser[0].refused)
