"""Visits at the bench: taps kept once, decisions reckoned, closing into one record."""

import uuid
from datetime import UTC, datetime, timedelta

from mirvo.core.errors import BadInput, NotFound
from mirvo.studio.care import rhythm_of, tasks_of_session, tick, water
from mirvo.studio.closing import close_visit
from mirvo.studio.corrections import correct_session, form_of_session
from mirvo.studio.deciding import deciding
from mirvo.studio.desk import evaluate, open_desk, save_marks
from mirvo.studio.effects import effects_on
from mirvo.studio.practice import save_practice, save_tree_practice, take_preset
from mirvo.studio.sessions import sessions_of_tree
from mirvo.studio.sheet import sheet_of
from mirvo.studio.taps import keep_photo, keep_taps
from mirvo.studio.timing import is_it_time
from mirvo.studio.trees import TreeForm, edit_tree, get_tree
from mirvo.studio.visits import begin, exposed_minutes, leave, open_visits, visit_view
from tests.studio_case import TODAY, StudioCase


def tap(field, value, at=None, name=None):
    return {
        "id": name or uuid.uuid4().hex,
        "field": field,
        "value": value,
        "at": (at or TODAY).isoformat(),
    }


class VisitCase(StudioCase):
    def prepare(self):
        tree = self.tree(acquired_on=TODAY.date() - timedelta(days=2000))
        photo, marks = self.photo(tree)
        save_marks(self.studio, photo.id, marks, 0)

    def setUp(self):
        super().setUp()
        self.here = get_tree(self.studio, 1)
        self.visit = begin(self.studio, 1, "routine")

    def tap(self, **fields):
        told = keep_taps(self.studio, self.visit.id, [tap(*one) for one in fields.items()])
        self.assertEqual(told.refused, [])

    def tap_field(self, field, value, at=None):
        told = keep_taps(self.studio, self.visit.id, [tap(field, value, at)])
        self.assertEqual(told.refused, [])

    def view(self):
        return visit_view(self.studio, self.visit.id)

    def told(self):
        return deciding(self.studio, self.view())


class TapsTest(VisitCase):
    def test_a_visit_goes_on_where_it_was(self):
        again = begin(self.studio, 1, "emergency")
        self.assertEqual((again.id, again.kind), (self.visit.id, "routine"))
        self.assertEqual([visit.id for visit, _ in open_visits(self.studio)], [self.visit.id])

    def test_a_tap_handed_over_twice_is_kept_once(self):
        one = tap("slice_mm", "12")
        for _ in range(2):
            self.assertEqual(keep_taps(self.studio, self.visit.id, [one]).kept, [one["id"]])
        self.tap(slice_mm=15)
        keep_taps(self.studio, self.visit.id, [one])
        self.assertEqual(self.view().answers["slice_mm"], 15.0)

    def test_the_last_tapped_counts_not_the_last_handed_over(self):
        late, early = TODAY + timedelta(minutes=3), TODAY
        self.tap_field("soil", "new mix", late)
        self.tap_field("soil", "old mix", early)
        self.assertEqual(self.view().answers["soil"], "new mix")

    def test_what_cannot_be_is_refused_by_name_and_the_rest_is_kept(self):
        taps = [tap("slice_mm", -4), tap("found", "roots"), tap("colour", "red"),
                tap("root:A", {"action": "burn"}), tap("root:A", {"action": "shorten", "part": 7}),
                tap("seen:A", {"feeders": 9}), tap("done:lift", "yes")]  # fmt: skip
        told = keep_taps(self.studio, self.visit.id, taps)
        self.assertEqual(told.kept, [taps[1]["id"]])
        fields = [one["field"] for one in told.refused]
        self.assertEqual(fields, ["slice_mm", "colour", "root:A", "root:A", "seen:A", "done:lift"])
        for bad in (None, [{"field": "soil"}], [tap("soil", "x", name="short")]):
            with self.assertRaises(BadInput):
                keep_taps(self.studio, self.visit.id, bad)
        with self.assertRaises(NotFound):
            keep_taps(self.studio, 99, [])

    def test_a_tap_of_another_session_is_refused_and_odd_clocks_do_no_harm(self):
        mine = {**tap("soil", "mix"), "at": "0001-01-01T00:00:00+14:00"}
        self.assertEqual(keep_taps(self.studio, self.visit.id, [mine]).kept, [mine["id"]])
        self.assertEqual(self.view().answers["soil"], "mix")
        other = begin(self.studio, self.tree(name="Other").id, "routine")
        told = keep_taps(self.studio, other.id, [mine])
        self.assertEqual((told.kept, told.refused[0]["field"]), ([], "taps"))

    def test_roots_lie_bare_from_lifting_to_filling(self):
        self.tap_field("done:lift", True, TODAY)
        self.assertIsNone(exposed_minutes(self.view()))
        self.tap_field("done:fill", True, TODAY + timedelta(minutes=25))
        self.assertEqual(exposed_minutes(self.view()), 25.0)
        self.tap_field("done:fill", False, TODAY + timedelta(minutes=26))
        self.assertNotIn("fill", self.view().done_at)

    def test_a_photo_of_a_step_is_kept_once(self):
        photo, _ = self.photo(self.here, seed=5)
        content = self.studio.photos.original(photo.digest).read_bytes()
        name = uuid.uuid4().hex
        first = keep_photo(self.studio, self.visit.id, name, "inspect", "a.jpg", content)
        again = keep_photo(self.studio, self.visit.id, name, "inspect", "a.jpg", content)
        self.assertEqual(first.id, again.id)
        self.assertEqual([step for step, _ in self.view().photos], ["inspect"])
        with self.assertRaises(BadInput):
            keep_photo(self.studio, self.visit.id, uuid.uuid4().hex, "haircut", "a.jpg", content)
        with self.assertRaises(BadInput):
            keep_photo(self.studio, self.visit.id, uuid.uuid4().hex, "lift", "a.jpg", b"words")

    def test_an_empty_visit_may_be_left_one_with_entries_not(self):
        self.assertEqual(leave(self.studio, self.visit.id), 1)
        self.visit = begin(self.studio, 1, "routine")
        self.tap(soil="mix")
        with self.assertRaises(BadInput):
            leave(self.studio, self.visit.id)


class DecidingTest(VisitCase):
    def setUp(self):
        super().setUp()
        self.tap(bud_stage="buds swelling", ball_depth_before=80)

    def test_the_after_picture_is_the_same_marks_measured_without_the_cut_roots(self):
        self.tap_field("root:A", {"action": "remove"})
        self.tap_field("root:C", {"action": "remove"})
        told = self.told()
        state = open_desk(self.studio, 1)
        marks = {
            **state.marks,
            "roots": [r for r in state.marks["roots"] if r["label"] not in "AC"],
        }
        figures, *_ = evaluate(self.studio, state.photo, marks)
        self.assertEqual(told.after["radiality"], figures["radiality"])
        self.assertEqual(told.after["spread"], figures["spread"])
        self.assertEqual(told.before["radiality"], state.figures["radiality"])

    def test_findings_change_the_advice_and_the_share(self):
        told = self.told()
        label = next(one for one, advice in told.advice.items() if advice.action == "keep")
        self.tap_field(f"seen:{label}", {"condition": "dead"})
        advice = self.told().advice[label]
        self.assertEqual((advice.action, advice.share), ("remove", 0.0))
        self.tap_field(f"seen:{label}", {"feeds": ["apex"], "height": "above"})
        self.assertEqual(self.told().advice[label].held_back[0].code, "only_feeder")
        self.assertEqual(self.told().stems, ["apex"])

    def test_the_slice_needs_the_depth_and_counts(self):
        self.tap(slice_mm=20)
        self.assertAlmostEqual(self.told().verdict.share_decided, 0.25)
        self.tap(ball_depth_before=None)
        self.assertIn("depth", self.told().problem)

    def test_a_dormant_tree_before_its_window_is_an_edge_only_under_shelter(self):
        early = effects_on(self.studio, self.here).early
        save_practice(self.studio, {"dormant": "swelling"})
        self.assertEqual(effects_on(self.studio, self.here).early, 0.0)
        self.assertGreater(early, 0.0)

    def test_a_tree_may_be_worked_otherwise_than_the_studio(self):
        steady = self.told().verdict.budget
        take_preset(self.studio, "gentle")
        gentle = self.told().verdict.budget
        save_tree_practice(self.studio, 1, {"budget": "bold", "wounds": ""})
        bold = self.told().verdict.budget
        self.assertLess(gentle, steady)
        self.assertLess(steady, bold)
        self.assertEqual(get_tree(self.studio, 1).practice, {"budget": "bold"})


class ClosingTest(VisitCase):
    def setUp(self):
        super().setUp()
        self.tap(bud_stage="buds swelling", ball_depth_before=80, slice_mm=20, old_soil=[7, 8])
        self.tap_field("root:B", {"action": "halve"})
        self.tap_field("root:A", {"action": "remove", "why": "above the others"})

    def test_closing_writes_one_record_with_its_aftercare_and_unfinished_work(self):
        self.tap(offcuts_g=200, ball_g=600, next_when="spring 2028 if it filled the pot")
        session = close_visit(self.studio, self.visit.id)
        self.assertEqual(close_visit(self.studio, self.visit.id).id, session.id)
        self.assertEqual(len(sessions_of_tree(self.studio, 1)), 1)
        self.assertEqual(session.slice_mm, 20)
        done = {root["label"]: (root["action"], root["part"]) for root in session.roots}
        self.assertEqual(done, {"A": ("remove", 1.0), "B": ("shorten", 0.5)})
        self.assertEqual(session.details["decided"]["A"]["why"], "above the others")
        codes = [one["code"] for one in session.details["unfinished"]]
        self.assertEqual(
            [code for code in codes if code != "spared"], ["halved", "old_soil", "return"]
        )
        self.assertEqual(session.details["share_weighed"], 0.25)
        self.assertIn("shade", [task.code for task in tasks_of_session(self.studio, session.id)])
        told = keep_taps(self.studio, self.visit.id, [tap("soil", "late")])
        self.assertIn("closed", told.refused[0]["message"])
        self.assertEqual(open_visits(self.studio), [])

    def test_offcuts_kept_are_trees_with_their_parent(self):
        self.tap(offcuts_kept=2)
        close_visit(self.studio, self.visit.id)
        sheet = sheet_of(self.studio, 1)
        self.assertEqual([child.species_key for child in sheet.children], ["zelkova"] * 2)
        self.assertEqual(sheet_of(self.studio, sheet.children[0].id).parent.id, 1)

    def test_a_root_removed_is_gone_from_the_next_visit_and_what_was_left_stands_first(self):
        close_visit(self.studio, self.visit.id)
        self.visit = begin(self.studio, 1, "routine")
        self.assertNotIn("A", self.told().cases)
        self.assertEqual(self.view().old_soil_hours, (7, 8))
        self.tap(old_soil=[])
        self.assertEqual(self.view().old_soil_hours, ())
        texts = [one["text"] for one in self.view().last.details["unfinished"]]
        self.assertIn("Root B was halved: the rest next time.", texts)

    def test_weighing_corrects_the_next_estimates_of_this_tree(self):
        plain = self.told().verdict.share_decided
        self.tap(offcuts_g=900, ball_g=600)
        close_visit(self.studio, self.visit.id)
        self.visit = begin(self.studio, 1, "routine")
        self.tap(bud_stage="buds swelling", ball_depth_before=80, slice_mm=20)
        ratio = min(2.5, 0.6 / plain)
        self.assertAlmostEqual(self.told().verdict.share_decided, min(1, 0.25 * ratio), 3)

    def test_what_cannot_be_recorded_is_said_and_nothing_is_lost(self):
        self.tap(slice_mm=90)
        with self.assertRaises(BadInput) as refused:
            close_visit(self.studio, self.visit.id)
        self.assertEqual(refused.exception.field, "slice_mm")
        self.assertEqual(sessions_of_tree(self.studio, 1), [])
        self.assertEqual(self.view().answers["slice_mm"], 90.0)


class WateringTest(VisitCase):
    def test_the_rhythm_and_its_warnings(self):
        for day in (1, 3, 3, 7, 9):
            self.studio.clock = lambda day=day: datetime(2026, 7, day, 8, tzinfo=UTC)
            water(self.studio, 1)
        rhythm = rhythm_of(self.studio, 1)
        self.assertEqual((rhythm.times, rhythm.days_between), (4, 2.0))
        self.assertEqual(rhythm.last.day, 9)
        self.assertEqual(rhythm.warnings, [])
        values = {**self.entered(), "foreign_soil": "nursery peat", "water_dish": True}
        edit_tree(self.studio, 1, TreeForm.model_validate(values), self.here.version)
        peat, dish = rhythm_of(self.studio, 1).warnings
        self.assertIn("nursery peat", peat)
        self.assertIn("water dish", dish)

    def entered(self):
        return {name: getattr(self.here, name) for name in TreeForm.model_fields}


class CorrectionTest(VisitCase):
    def recorded(self):
        self.tap(bud_stage="buds swelling", ball_depth_before=80, slice_mm=20, soil="wrong mix")
        self.tap_field("root:A", {"action": "remove", "why": "above the others"})
        return close_visit(self.studio, self.visit.id)

    def test_a_record_is_put_right_and_reckoned_anew(self):
        session = self.recorded()
        tick(self.studio, tasks_of_session(self.studio, session.id)[0].id)
        form = form_of_session(session)
        self.assertEqual(form_of_session(session).slice_mm, 20)
        fewer = form.model_copy(update={"slice_mm": 0.0, "soil": "own mix", "roots": []})
        right = correct_session(self.studio, session.id, fewer)
        self.assertEqual((right.soil, right.share_computed, right.roots), ("own mix", 0.0, []))
        self.assertEqual(right.details["decided"]["A"]["why"], "above the others")
        tasks = tasks_of_session(self.studio, session.id)
        self.assertEqual(sum(task.done_at is not None for task in tasks), 1)
        self.assertNotIn("wound", [task.code for task in tasks if task.done_at is None])
        self.visit = begin(self.studio, 1, "routine")
        self.assertIn("A", self.told().cases)

    def test_the_same_form_again_changes_nothing(self):
        session = self.recorded()
        again = correct_session(self.studio, session.id, form_of_session(session))
        for name in ("roots", "share_computed", "budget", "slice_mm", "details", "ball_after"):
            self.assertEqual(getattr(again, name), getattr(session, name), name)

    def test_what_cannot_be_is_refused_and_the_record_stays(self):
        session = self.recorded()
        wrong = form_of_session(session).model_copy(update={"slice_mm": 500.0})
        with self.assertRaises(BadInput):
            correct_session(self.studio, session.id, wrong)
        self.assertEqual(sessions_of_tree(self.studio, 1)[0].slice_mm, 20)
        with self.assertRaises(NotFound):
            correct_session(self.studio, 99, form_of_session(session))


class TimingTest(VisitCase):
    def close(self, kind):
        self.visit = begin(self.studio, 1, kind)
        self.tap_field("done:place", True)
        return close_visit(self.studio, self.visit.id)

    def test_records_say_years_delays_and_rhythm(self):
        leave(self.studio, self.visit.id)
        self.studio.clock = lambda: TODAY - timedelta(days=1100)
        self.close("routine")
        self.studio.clock = lambda: TODAY
        self.close("slip-pot")
        self.close("top-up")
        evidence, found = is_it_time(self.studio, 1, {"roots_at_holes": True})
        self.assertEqual(evidence.delays, 2)
        self.assertAlmostEqual(evidence.years_since, 3.01, 1)
        self.assertEqual(found.verdict, "repot_next")
        self.assertIn("row", found.lesser[0].refused)
