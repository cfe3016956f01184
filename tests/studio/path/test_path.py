"""A tree's target, what is fixed by hand, its plans, and planned against done."""

import re
from datetime import date, timedelta

from sqlalchemy import select

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.limits.sessions import RootDone, SessionFields
from mirvo.core.limits.targets import TargetFields
from mirvo.core.plan.default_target import default_target
from mirvo.core.season import Outlook
from mirvo.records.models import Plan
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.path.path import plan_path
from mirvo.studio.path.plans import name_plan, planned_and_done, plans_of, take_up, work_out_levers
from mirvo.studio.path.target import (
    choose_containers,
    choose_gap_methods,
    hold_year,
    holds_of,
    regrowth_of,
    release_year,
    set_regrowth,
    set_target,
)
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.shelf.materials import season_list
from mirvo.studio.standing.seasons import OpenedFields, note_opened
from mirvo.studio.standing.standing import missed, standing_of
from mirvo.web.app import create_app
from mirvo.web.wording import short_day
from tests.client import TestClient
from tests.studio_case import TODAY, StudioCase


class PathCase(StudioCase):
    def prepare(self):
        tree = self.tree(container="wide training pot", height_mm=430)
        photo, marks = self.photo(tree, taken_on=date(2025, 3, 20))
        save_marks(self.studio, photo.id, marks, 0)

    @property
    def figures(self):
        return self.sheet_of(1).base.record

    def record(self, **changes):
        values = {
            "done_on": date(2025, 3, 28), "bud_stage": "buds swelling", "ball_depth_before": 90,
            "slice_mm": 30, "woody_depth_mm": 55, **changes,
        }  # fmt: skip
        return record_session(self.studio, 1, SessionFields.model_validate(values))

    def target(self, **changes):
        ratio = self.figures.spread.flare.ratio.value + 0.3
        values = {"spread_ratio": ratio, "largest_gap_deg": 100, "pot_depth_mm": 60, **changes}
        return set_target(self.studio, 1, TargetFields.model_validate(values))

    def steady(self):
        return self.planned(1).result.path_of("steady")

    def at(self, **time):
        self.studio.clock = lambda: TODAY + timedelta(**time)


class PlannedCase(PathCase):
    """A tree worked once, with a target and its paths planned, once for all tests of a class."""

    def prepare(self):
        super().prepare()
        self.record()
        self.target()
        self.planned(1)


class WindowTest(PathCase):
    """The path names the windows every other page names."""

    def windows(self):
        text = TestClient(create_app(self.studio)).get("/trees/1/path").text
        return re.findall(r"Window (.*?) to (.*?), best", " ".join(text.split()))

    def test_its_steps_know_what_the_yard_noted(self):
        self.target()
        usual = self.planned_windows()
        for year in (2024, 2025, 2026):
            opened = date(year, 2, 20)
            note_opened(self.studio, "zelkova", OpenedFields(opened_on=opened))
        noted = self.planned_windows()
        self.assertNotEqual(noted[0], usual[0])

    def planned_windows(self):
        plan_path(self.studio, 1)
        found = self.windows()
        window = self.sheet_of(1).window
        self.assertEqual(found[0], (short_day(window.start), short_day(window.end)))
        return found

    def test_leaves_out_end_the_window_of_their_year(self):
        self.target()
        self.record(done_on=date(2022, 3, 20))
        steps = self.steady().steps
        outlook = Outlook(buds="leaves out", seen_on=date(steps[0].year, 4, 1))
        day = date(steps[0].year, 4, 2)
        [plan] = self.read(lambda db: list(db.scalars(select(Plan))))
        stands = self.read(standing_of, 1, self.studio.today)
        self.assertTrue(missed(plan, stands.species, self.yard(), outlook, day))
        self.assertFalse(missed(plan, stands.species, self.yard(), Outlook(), day))


class TargetTest(PathCase):
    def test_a_tree_is_planned_before_its_first_session_and_the_guess_is_said(self):
        self.target()
        view = self.planned(1)
        self.assertIsNone(view.missing)
        self.assertIn("guess", view.guessed)
        self.assertTrue(view.result.path_of("steady").steps)

    def test_a_plan_is_made_kept_and_made_anew_when_records_change(self):
        self.target()
        self.record()
        first = self.planned(1)
        self.assertFalse(self.sheet_of(1).path_outdated)
        self.at(minutes=5)
        self.assertEqual([path.school for path in first.result.paths], ["gentle", "steady", "bold"])
        self.assertEqual(self.path_view(1).result, first.result)
        self.record(done_on=date(2026, 3, 28), ball_depth_before=60, slice_mm=10)
        self.assertTrue(self.path_view(1).stale)
        self.assertTrue(self.sheet_of(1).path_outdated)
        second = self.planned(1)
        self.assertEqual(second.case.state.last_session_year, 2026)

    def test_a_target_in_the_past_is_refused(self):
        with self.assertRaises(BadInput) as said:
            self.target(year=2020)
        self.assertEqual(said.exception.field, "year")

    def test_a_first_target_comes_with_its_reasons(self):
        offered = default_target(self.figures)
        now = self.figures.spread.flare.ratio.value
        self.assertGreaterEqual(offered.spread_ratio, max(2.0, round(now + 0.25, 1)))
        trunk = self.figures.trunk_diameter_mm.value
        self.assertEqual(offered.pot_depth_mm, max(40, round(trunk)))
        self.assertEqual(len(offered.reasons), 3)
        self.assertEqual(default_target(None).reasons, ())

    def test_a_first_target_is_for_what_is_measured(self):
        self.assertEqual(default_target(self.figures).basis, "flare")
        spread = self.figures.spread.model_copy(update={"flare": None})
        without = self.figures.model_copy(update={"spread": spread})
        self.assertEqual(default_target(without).basis, "roots")


class FixedByHandTest(PlannedCase):
    def test_a_held_year_gets_no_session_and_is_freed_again(self):
        year = self.steady().steps[0].year
        hold_year(self.studio, 1, year, "travelling")
        held = self.planned(1)
        for path in held.result.paths:
            self.assertNotIn(year, [step.year for step in path.steps])
        old = self.read(plans_of, 1)[1]
        self.assertEqual((old.case.holds, held.case.holds[0].year), ((), year))
        [hold] = self.read(holds_of, 1)
        self.assertEqual((hold.year, hold.why, hold.allow), (year, "travelling", "none"))
        self.target()
        self.assertEqual(self.read(holds_of, 1)[0].year, year)
        release_year(self.studio, 1, year)
        self.assertEqual(self.steady().steps[0].year, year)

    def test_a_repot_owed_and_the_show_pot_by_a_year(self):
        self.target(spread_ratio=self.figures.spread.flare.ratio.value + 0.45)
        free = self.steady()
        year = next(y for y in range(2027, 2040) if y not in [step.year for step in free.steps])
        self.assertLess(year, free.reached_year)
        hold_year(self.studio, 1, year, "demonstration", "session")
        self.assertIn(year, [step.year for step in self.steady().steps])
        release_year(self.studio, 1, year)
        hold_year(self.studio, 1, 2032, "exhibition", "final pot")
        stands = {one.year: one.container for one in self.steady().forecast}
        self.assertEqual(stands[2032], "final pot")
        hold_year(self.studio, 1, 2034, "a later one", "final pot")
        holds = self.read(holds_of, 1)
        self.assertEqual([one.year for one in holds], [2034])

    def test_what_makes_no_sense_is_refused(self):
        for year, allow in ((1999, "none"), (2030, "whatever"), (2300, "session")):
            with self.assertRaises(BadInput):
                hold_year(self.studio, 1, year, "", allow)
        for names in (["bucket"], ["final pot"], []):
            with self.assertRaises(BadInput):
                choose_containers(self.studio, 1, names)
        with self.assertRaises(BadInput):
            choose_gap_methods(self.studio, 1, {("A", "B"): "glue"})
        with self.assertRaises(BadInput):
            choose_gap_methods(self.studio, 1, {("A" * 40, "B"): "graft"})
        with self.assertRaises(BadInput):
            set_regrowth(self.studio, 1, {"A": 0})
        with self.assertRaises(BadInput):
            set_regrowth(self.studio, 1, {"A" * 40: 3})
        self.assertEqual(self.read(regrowth_of, 1), {})

    def test_only_containers_at_hand_are_planned_with(self):
        choose_containers(self.studio, 1, ["usual pot"])
        # What it stands in is at hand too.
        at_hand = {"wide training pot", "usual pot", "final pot"}
        self.assertEqual(self.planned(1).case.containers, ("usual pot", "final pot"))
        self.assertLessEqual({step.container for step in self.steady().steps}, at_hand)

    def test_a_container_is_as_deep_as_it_was_measured(self):
        usual = self.planned(1).case
        self.assertEqual(usual.container_depths_mm, {})
        choose_containers(
            self.studio, 1, ["basket", "usual pot"], {"basket": "48", "usual pot": ""}
        )
        self.assertEqual(self.planned(1).case.container_depths_mm, {"basket": 48})
        for step in self.steady().steps:
            if step.container == "basket":
                # The rim stays free.
                self.assertLessEqual(step.ball_depth_mm[1], 48)
        # Taken up from a proposal nothing is said of depths.
        choose_containers(self.studio, 1, ["basket", "ground"])
        self.assertEqual(self.planned(1).case.container_depths_mm, {"basket": 48})
        for wrong in ("deep", "nan", "-3", "99999"):
            with self.assertRaises(BadInput):
                choose_containers(self.studio, 1, ["basket"], {"basket": wrong})

    def test_growth_since_the_measurement_is_reckoned_in_and_said(self):
        trunk = self.figures.trunk_diameter_mm.value
        view = self.planned(1)
        rate = view.growth.trunk.mm_per_year
        # Measured in spring 2025 it shows the growth of 2024; the plan begins after 2026.
        grown = view.case.state.trunk_diameter_mm - trunk
        self.assertAlmostEqual(grown, 2 * 0.85 * rate, places=6)
        self.assertIn("2 seasons", view.guessed)

    def test_a_session_is_held_against_the_year_it_was_planned_for(self):
        self.planned(1)
        step = self.steady().steps[0]
        self.at(days=5)
        session = record_session(
            self.studio,
            1,
            SessionFields(done_on=date(2026, 11, 27), slice_mm=5, ball_depth_before=70),
        )
        self.assertGreater(step.year, 2026)
        self.assertEqual(session.planned.year, step.year)
        [first, *_] = self.read(planned_and_done, 1)
        self.assertIn(
            f"Planned for {step.year}, done in 2026.", [one.text for one in first.differences]
        )
        # Potting on only delays a full session, so it stands for none.
        delay = SessionFields(kind="slip-pot", done_on=date(2026, 11, 28))
        self.at(days=6)
        self.assertIsNone(record_session(self.studio, 1, delay).planned)

    def test_a_gap_is_closed_the_way_that_was_chosen(self):
        self.target(largest_gap_deg=40)
        gaps = self.planned(1).case.gaps
        self.assertEqual({gap.method for gap in gaps}, {"graft"})
        choose_gap_methods(self.studio, 1, {gaps[0].sides: "fork"})
        again = self.planned(1).case.gaps
        self.assertEqual(again[0].method, "fork")
        self.assertEqual({gap.method for gap in again[1:]} or {"graft"}, {"graft"})


class PlansTest(PathCase):
    def setUp(self):
        super().setUp()
        self.record()
        self.target()
        self.planned(1)

    def test_a_plan_is_kept_under_its_name_and_taken_up_again(self):
        first = self.read(plans_of, 1)[0]
        name_plan(self.studio, first.id, "  The slow way ")
        self.at(hours=1)
        self.target(pot_depth_mm=80)
        hold_year(self.studio, 1, 2030, "moving house")
        self.planned(1)
        newest, *_, kept = self.read(plans_of, 1)
        self.assertEqual((kept.name, newest.case.target.pot_depth_mm), ("The slow way", 80))
        with self.assertRaises(BadInput):
            name_plan(self.studio, newest.id, "The slow way")
        take_up(self.studio, kept.id)
        again = self.planned(1)
        self.assertEqual(again.case.target, kept.case.target)
        self.assertEqual(self.read(holds_of, 1), ())
        self.assertEqual(again.result.paths, kept.result.paths)
        with self.assertRaises(NotFound):
            take_up(self.studio, 999)

    def test_named_plans_stay_however_many_follow(self):
        first = self.read(plans_of, 1)[0]
        name_plan(self.studio, first.id, "first")
        for depth in range(61, 76):
            self.target(pot_depth_mm=depth)
            self.planned(1)
        kept = self.read(plans_of, 1)
        self.assertEqual(kept[-1].name, "first")
        self.assertEqual(kept[0].case.target.pot_depth_mm, 75)
        with self.studio.reading() as db:  # a day of dragging leaves no more than a dozen
            self.assertEqual(len(list(db.scalars(select(Plan.id).where(Plan.name == "")))), 12)

    def test_levers_are_worked_out_once_and_kept(self):
        found = work_out_levers(self.studio, 1, "steady")
        self.assertTrue(all(one.gained_years > 0 for one in found if one.reached_year))
        with self.studio.reading() as db:
            [plan] = db.scalars(select(Plan))
        self.assertEqual(plan.result.path_of("steady").forward, found)
        self.assertEqual(self.planned(1).result.paths, plan.result.paths)

    def test_a_session_stands_beside_its_plan_and_what_it_did_to_the_year(self):
        planned = self.steady().steps[0]
        self.studio.clock = lambda: TODAY.replace(year=planned.year, month=4, day=1)
        ball = planned.ball_depth_mm[0]
        self.record(
            done_on=self.studio.today, ball_depth_before=ball, slice_mm=planned.slice_mm + 5,
            container_after="usual pot", roots=[RootDone(label="A", action="remove")],
        )  # fmt: skip
        [one] = self.read(planned_and_done, 1)
        self.assertEqual(one.step.year, planned.year)
        self.assertIn("slice", [difference.code for difference in one.differences])
        self.assertIsNone(one.reached_after)
        self.at(days=600)
        self.planned(1)
        [one] = self.read(planned_and_done, 1)
        self.assertEqual(one.reached_after, self.steady().reached_year)

    def test_the_season_list_adds_up_what_each_tree_needs(self):
        hold_year(self.studio, 1, 2027, "", "session")
        self.planned(1)
        season = self.read(season_list, self.studio.today)
        [one] = season.trees
        self.assertEqual((one.row.tree.id, one.step.year), (1, 2027))
        self.assertIn("soil", [item.name for item in one.items])
        self.assertEqual({item.name for item in one.items}, {i.name for i in season.together})
        hold_year(self.studio, 1, 2027, "", "none")
        self.planned(1)
        self.assertEqual(self.read(season_list, self.studio.today).together, [])
