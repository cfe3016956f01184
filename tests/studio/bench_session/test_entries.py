"""Entries at the bench: each kept once, wrong ones refused by name."""

import uuid
from datetime import timedelta

from sqlalchemy import select

from mirvo.core.errors import BadInput, NotFound
from mirvo.records.database import as_utc
from mirvo.records.models import BenchEntry
from mirvo.studio.bench_session.entered import MAX_WORDS
from mirvo.studio.bench_session.entries import keep_photo, save_entries
from mirvo.studio.bench_session.session import begin, bench_state, leave, running_sessions
from tests.studio.bench_session.bench_case import BenchCase, entry
from tests.studio_case import TODAY


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

    def test_what_comes_with_a_root_is_kept_as_far_as_mirvo_knows_it(self):
        why = "w" * (MAX_WORDS + 50)
        self.enter_field("root:A", {"action": "shorten", "part": 0.25, "why": why, "ink": "red"})
        self.enter_field("seen:A", {"feeders": 2, "feeds": [" front ", "", "s" * 60], "mood": 1})
        answers = self.state().answers
        kept = {"action": "shorten", "part": 0.25, "why": "w" * MAX_WORDS}
        self.assertEqual(answers["root:A"], kept)
        self.assertEqual(answers["seen:A"], {"feeders": 2, "feeds": ["front", "s" * 40]})
        self.enter_field("root:A", None)
        self.assertIsNone(self.state().answers["root:A"])
        self.assertEqual(self.state().decisions, {})

    def test_a_refusal_names_what_is_wrong_in_words(self):
        wrong = {
            "root:A": ({"action": "shorten", "part": 7}, "part must be at most 1"),
            "root:B": ("remove", "must be an object"),
            "seen:A": ({"condition": "tired"}, "condition must be"),
            "done:lift": ("yes", "must be true or false"),
            "waits:A": ("w" * (MAX_WORDS + 1), "letters long at most"),
        }
        entries = [entry(field, value) for field, (value, _) in wrong.items()]
        refused = save_entries(self.studio, self.bench.id, entries).refused
        self.assertEqual([one.field for one in refused], list(wrong))
        for one, (_, sentence) in zip(refused, wrong.values(), strict=True):
            self.assertIn(sentence, one.message)

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


class ClockTest(BenchCase):
    """A device's clock is trusted for how long ago, never for what time it is."""

    def order(self, *sent):
        """Slices entered, each (mm, device's time, device's time of sending), and what stands."""
        for slice_mm, entered, handed_over in sent:
            one = entry("slice_mm", slice_mm, TODAY + timedelta(hours=entered))
            at = (TODAY + timedelta(hours=handed_over)).isoformat()
            save_entries(self.studio, self.bench.id, [one], at)
        return self.read(bench_state, self.bench.id).answers["slice_mm"]

    def setUp(self):
        super().setUp()
        self.studio.clock = lambda: TODAY + timedelta(hours=5)

    def test_a_clock_turned_back_does_not_hide_what_was_entered_last(self):
        self.assertEqual(self.order((10, 4, 4), (20, -30, -30)), 20)

    def test_a_clock_far_ahead_does_not_outlast_what_is_entered_after_it(self):
        self.assertEqual(self.order((10, 900, 900), (20, 5, 5)), 20)

    def test_what_waited_on_a_device_keeps_its_place_in_time(self):
        self.assertEqual(self.order((10, 4, 4), (20, 1, 5)), 10)

    def test_nothing_is_entered_before_its_session_or_after_it_is_here(self):
        self.order((10, -900, 5), (20, 900, 5))
        with self.studio.reading() as db:
            times = [row.entered_at for row in db.scalars(select(BenchEntry))]
        self.assertEqual(min(times), as_utc(TODAY))
        self.assertEqual(max(times), as_utc(TODAY + timedelta(hours=5)))
