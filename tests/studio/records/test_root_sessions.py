"""Sessions as recorded, and what follows from them for bench, weather and calendar."""

from datetime import date

import icalendar

from mirvo.core.almanac import species_by_key
from mirvo.core.errors import BadInput, NotFound
from mirvo.core.limits.base import checked
from mirvo.core.limits.sessions import RootDone, SessionFields
from mirvo.core.limits.trees import TreeFields
from mirvo.studio.ground.settings import YardFields, save_yard
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.records.aftercare import tick
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.standing.weather import expected_bud_swell
from mirvo.studio.yard.bench import bench, move_tree
from mirvo.studio.yard.calendar import calendar_of, drop_secret, entries_of, new_secret
from mirvo.studio.yard.trees import edit_tree
from tests.studio_case import TODAY, StudioCase


class SessionsTest(StudioCase):
    def setUp(self):
        super().setUp()
        self.tree_row = self.tree(container="wide training pot")
        photo, marks = self.photo(self.tree_row, taken_on=date(2025, 3, 20))
        self.figures = save_marks(self.studio, photo.id, marks, 0).found.top

    def simulate_weather(self, **changes):
        form = YardFields(name=self.yard().name, simulated_weather=True, **changes)
        save_yard(self.studio, form)

    def record(self, **changes):
        values = {
            "done_on": date(2025, 3, 28),
            "bud_stage": "buds swelling",
            "ball_depth_before": 90,
            "slice_mm": 30,
            "woody_depth_mm": 55,
            **changes,
        }
        return record_session(
            self.studio, self.tree_row.id, checked(SessionFields, values, self.studio.today)
        )

    def test_share_is_computed_from_slice_and_roots(self):
        session = self.record(roots=[RootDone(label="A", action="remove")])
        by_width = {r.label: r.width_mm for r in self.figures.roots}
        feeders = {r.label: r.feeders for r in self.figures.roots}
        weights = {label: w * feeders[label] for label, w in by_width.items()}
        root = 0.4 * weights["A"] / sum(weights.values())
        below = 0.6 * 30 / 90
        self.assertAlmostEqual(session.share_computed, 1 - (1 - 0.0825) * (1 - (root + below)), 3)
        self.assertAlmostEqual(session.budget, 0.5)
        self.assertEqual(session.ball_depth_after, 60)

    def test_a_removed_root_no_longer_stands(self):
        self.record(roots=[RootDone(label="A", action="remove")])
        self.assertNotIn("A", [root.label for root in self.sheet_of(self.tree_row.id).base.roots])

    def test_what_cannot_be_is_refused_and_nothing_is_kept(self):
        for field, change in (
            ("done_on", {"done_on": date(2027, 3, 1)}),
            ("slice_mm", {"slice_mm": 90}),
            ("ball_depth_after", {"ball_depth_after": 120}),
            ("ball_depth_before", {"ball_depth_before": None}),
            ("roots", {"roots": [RootDone(label="Z", action="remove")]}),
            ("kind", {"kind": "haircut"}),
        ):
            with self.subTest(field=field), self.assertRaises(BadInput) as said:
                self.record(**change)
            self.assertEqual(said.exception.field, field)
        self.assertEqual(self.sessions_of(self.tree_row.id), ())

    def test_emergency_and_collection_have_their_own_budgets(self):
        self.assertEqual(self.record(kind="emergency", slice_mm=0).budget, 0)
        self.assertEqual(self.record(kind="collection").budget, 1)

    def test_out_of_season_is_said(self):
        self.assertEqual(self.record(done_on=date(2025, 7, 20), bud_stage="").budget, 0)

    def test_cold_nights_concern_worked_and_tender_trees_but_not_those_under_glass(self):
        self.assertEqual(self.read(bench, self.studio.today).frost, [])
        self.simulate_weather()
        self.studio.clock = lambda: TODAY.replace(month=2, day=10)
        tender = self.tree(name="Glass gardenia", species_key="gardenia")
        names = {one.tree.name: one for one in self.read(bench, self.studio.today).frost}
        self.assertIn("nights above 15", names["Glass gardenia"].why)
        values = {name: getattr(tender, name) for name in TreeFields.model_fields}
        housed = TreeFields.model_validate({**values, "under_glass": True})
        edit_tree(self.studio, tender.id, housed, tender.version)
        self.assertNotIn(
            "Glass gardenia", [one.tree.name for one in self.read(bench, self.studio.today).frost]
        )
        self.record(done_on=date(2026, 2, 1), bud_stage="buds swelling", slice_mm=0)
        worked = [
            one
            for one in self.read(bench, self.studio.today).frost
            if one.tree.id == self.tree_row.id
        ]
        self.assertIn("worked on 1 February", worked[0].why)
        self.assertTrue(all(night.low_c <= 1 for night in worked[0].nights))

    def test_buds_are_expected_before_the_last_frost_in_either_hemisphere(self):
        yard = self.yard()
        # Weather nobody measured is not made up.
        self.assertIsNone(expected_bud_swell(yard, species_by_key("zelkova"), 2027))
        yard.simulated_weather = True
        north = expected_bud_swell(yard, species_by_key("zelkova"), 2027)
        self.assertTrue(date(2027, 3, 1) < north < date(2027, 4, 25), north)
        yard.last_frost = "09-20"
        south = expected_bud_swell(yard, species_by_key("zelkova"), 2027)
        self.assertTrue(date(2027, 8, 1) < south < date(2027, 9, 25), south)
        self.assertIsNone(expected_bud_swell(yard, species_by_key("gardenia"), 2027))

    def test_the_calendar_holds_windows_and_aftercare_behind_a_secret(self):
        self.record(done_on=date(2026, 11, 10), bud_stage="", slice_mm=0)
        secret = new_secret(self.studio)
        found = icalendar.Calendar.from_ical(self.read(calendar_of, self.studio, secret)).walk(
            "VEVENT"
        )
        titles = [str(event["SUMMARY"]) for event in found]
        self.assertIn(f"{self.tree_row.name}: window for root work", titles)
        self.assertIn(f"{self.tree_row.name}: Keep it free of frost.", titles)
        for wrong in ("", "guess", new_secret(self.studio) + "x", secret):
            with self.assertRaises(NotFound):
                self.read(calendar_of, self.studio, wrong)
        drop_secret(self.studio)
        with self.assertRaises(NotFound):
            self.read(calendar_of, self.studio, "")

    def test_windows_of_the_calendar_fit_the_southern_year_too(self):
        save = YardFields(name="South", last_frost="09-20")
        save_yard(self.studio, save)
        [window] = [
            one for one in self.read(entries_of, self.studio.today) if one.key.startswith("window")
        ]
        self.assertIn(window.first.month, (7, 8, 9))

    def test_a_window_over_new_year_and_one_over_a_leap_day_stand_in_the_calendar(self):
        self.studio.clock = lambda: TODAY.replace(year=2027, month=12, day=1)
        self.tree(name="Glass gardenia", species_key="gardenia")
        for last_frost, first, after in (
            ("11-10", date(2027, 12, 8), date(2028, 2, 3)),
            ("01-20", date(2028, 2, 17), date(2028, 4, 14)),
        ):
            save_yard(self.studio, YardFields(name="Elsewhere", last_frost=last_frost))
            content = self.read(calendar_of, self.studio, new_secret(self.studio))
            events = icalendar.Calendar.from_ical(content).walk("VEVENT")
            [event] = [one for one in events if "gardenia" in str(one["SUMMARY"])]
            self.assertEqual((event.decoded("dtstart"), event.decoded("dtend")), (first, after))

    def test_the_weeks_hold_what_is_soon_and_a_tree_is_moved_within_its_window(self):
        [week] = self.read(bench, self.studio.today).weeks
        [row] = week.trees
        [lane] = self.read(bench, self.studio.today).lanes
        offered = lane.weeks
        self.assertEqual((row.tree.id, week.room), (self.tree_row.id, 6))
        move_tree(self.studio, self.tree_row.id, offered[0])
        [moved] = self.read(bench, self.studio.today).weeks
        self.assertEqual(moved.monday, offered[0])
        with self.assertRaises(BadInput):
            move_tree(self.studio, self.tree_row.id, date(2027, 8, 2))
        move_tree(self.studio, self.tree_row.id, None)
        self.assertEqual(self.read(bench, self.studio.today).weeks[0].monday, week.monday)

    def test_the_bench_shows_aftercare_and_what_is_due(self):
        self.simulate_weather()
        self.assertEqual(
            [lane.row.tree.id for lane in self.read(bench, self.studio.today).lanes if lane.week],
            [self.tree_row.id],
        )
        self.record(done_on=date(2026, 11, 10), bud_stage="", slice_mm=0)
        due = self.read(bench, self.studio.today).care
        self.assertEqual({one.tree_id for one in due}, {self.tree_row.id})
        # The tree is bare until April: for now there is nothing to do but keep the frost away.
        self.assertEqual([(one.code, one.since) for one in due], [("place", date(2026, 11, 10))])
        self.assertEqual(due[0].title, "Keep it free of frost.")
        tick(self.studio, due[0].id)
        self.assertEqual(self.read(bench, self.studio.today).care, [])
        tick(self.studio, due[0].id, done=False)
        self.assertEqual(len(self.read(bench, self.studio.today).care), 1)
