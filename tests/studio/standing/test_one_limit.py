"""One limit: every place that says what a tree may lose asks the same function, and it knows what
the tree answered, what the yard noted and that it recovers."""

import re
from datetime import UTC, date, datetime

from mirvo.core.almanac.practice import practice_of
from mirvo.core.care import Surroundings, Worked, aftercare
from mirvo.core.limits.care import AnswerFields
from mirvo.core.limits.sessions import SessionFields
from mirvo.core.rootwork import session_limits
from mirvo.core.rootwork.budget import BudgetedTree, strain, treated_as_cutting
from mirvo.core.season.growth import Growth
from mirvo.core.season.weather import DayWeather, degrees
from mirvo.records.models import CareTask, RootSession
from mirvo.studio.almanac.practice_effects import effects_of
from mirvo.studio.records.answers import put_answer
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.standing.seasons import OpenedFields, note_opened
from mirvo.studio.standing.species import all_species
from mirvo.studio.standing.standing import standing_of
from mirvo.text.care import care_title
from mirvo.text.formats import date_range
from mirvo.web.app import create_app
from tests.client import TestClient
from tests.studio_case import StudioCase

WINTER, SPRING = date(2026, 12, 10), date(2027, 3, 28)


class OneLimitTest(StudioCase):
    def on(self, day):
        self.studio.clock = lambda: datetime(day.year, day.month, day.day, 9, tzinfo=UTC)

    def stands(self):
        return self.read(standing_of, 1, self.studio.today)

    def species(self):
        return next(one for one in all_species(self.yard()) if one.key == "zelkova")

    def test_the_practice_table_says_what_the_sheet_says(self):
        self.tree(acquired_on=date(2015, 1, 1), age_class="old", strength="strong")
        done = record_session(self.studio, 1, SessionFields(done_on=date(2024, 3, 20)))
        put_answer(self.studio, done.id, AnswerFields(leaf_lost_percent=80, dieback=True))
        for year in (2024, 2025, 2026):
            note_opened(self.studio, "zelkova", OpenedFields(opened_on=date(year, 3, 1)))
        self.on(WINTER)
        stands = self.stands()
        self.assertNotEqual(stands.budgeted.bearing_factor, 1.0)
        effects = effects_of(self.yard(), stands)
        self.assertEqual(effects.budget, stands.standing.window_limits.budget)
        said = f"{effects.budget * 100:.0f}%"
        pages = TestClient(create_app(self.studio))
        table = pages.get("/almanac/practice").text
        row = re.search(r'/trees/1/practice">.*?figure-small">([^<]*)<', table, re.S)
        self.assertEqual(" ".join(row[1].split()), said)
        for place in ("/trees/1", "/trees/1/practice"):
            self.assertIn(said, " ".join(pages.get(place).text.split()), place)

    def test_a_tree_bears_in_winter_what_it_bears_in_spring(self):
        tree = BudgetedTree("strong", "young", "seed", None, "usual")
        practice, species = practice_of({}), self.species()
        found = {
            season: session_limits(tree, species, practice, season, WINTER)
            for season in ("open", "edge", "shut")
        }
        self.assertEqual(len({limits.bearing for limits in found.values()}), 1)
        self.assertEqual(found["shut"].budget, 0.0)
        bearing = found["shut"].bearing
        self.assertGreater(bearing, 0.5)
        # A third of the root of a dormant tree under shelter makes no cutting of it.
        self.assertFalse(treated_as_cutting("routine", 0.35, bearing))
        self.assertTrue(treated_as_cutting("routine", bearing + 0.02, bearing))

    def test_a_crown_brought_down_to_match_is_in_what_it_bears(self):
        tree = BudgetedTree("strong", "young", "seed", None, "usual")
        practice, species = practice_of({"operations": "together"}), self.species()
        usual, matched = (
            session_limits(tree, species, practice, "open", SPRING, crown).bearing
            for crown in (0.0, 50.0)
        )
        self.assertEqual(matched > usual, species.top_work_together)

    def test_a_tree_dug_is_held_against_the_rule_of_digging(self):
        tree = BudgetedTree("fair", "old", "dug from a garden", WINTER, "usual")
        limits = session_limits(
            tree, self.species(), practice_of({}), "open", SPRING, kind="collection"
        )
        self.assertEqual((limits.budget, limits.bearing), (1.0, 1.0))
        self.assertAlmostEqual(strain(0.62, limits.bearing), 38.44)

    def test_while_it_recovers_nothing_more_may_go(self):
        self.tree(acquired_on=date(2015, 1, 1))
        self.on(SPRING)
        self.assertGreater(self.stands().standing.limits.budget, 0.2)
        form = SessionFields(
            done_on=SPRING, ball_depth_before=80, slice_mm=30, bud_stage="buds swelling"
        )
        record_session(self.studio, 1, form)
        stands = self.stands()
        self.assertTrue(stands.standing.season.workable)
        self.assertEqual(stands.standing.limits.budget, 0.0)
        self.assertEqual(stands.limits("routine").budget, 0.0)
        self.assertEqual(stands.limits("collection").budget, 1.0)
        with self.studio.reading() as db:
            # What was done that day is held against the limit it had before.
            self.assertGreater(db.query(RootSession).one().budget, 0.2)
        pages = TestClient(create_app(self.studio))
        for place in ("/", "/trees/1", "/trees/1/time"):
            self.assertIn('data-budget="0%"', pages.get(place).text, place)

    def test_the_window_named_is_the_one_the_advice_is_about(self):
        self.tree(acquired_on=date(2015, 1, 1), age_class="mature", strength="strong")
        record_session(self.studio, 1, SessionFields(done_on=date(2026, 3, 28)))
        self.on(WINTER)
        pages = TestClient(create_app(self.studio))
        soon, due = self.stands().standing.season.window, self.stands().standing.next_window
        self.assertLess(soon.start, due.start)
        for signs, window in (("", due), ("ball_lifting=1&roots_at_holes=1", soon)):
            text = pages.get(f"/trees/1/time?{signs}").text
            self.assertIn(f'data-window="{window.start}"', text)
            self.assertEqual(date_range(soon.start, soon.end) in text, window is soon)

    def test_a_night_has_one_figure(self):
        self.assertEqual([degrees(low) for low in (-0.4, 0.4, -0.6, -7.5)], ["0", "0", "-1", "-8"])
        nights = [
            DayWeather(date(2027, 4, day), low, 9.0)
            for day, low in ((1, -0.4), (2, -1.2), (3, 4.0))
        ]
        day = date(2027, 4, 1)
        around = Surroundings(Growth(False, day, day), forecast=tuple(nights))
        tasks = aftercare(Worked(day, "routine", "strong"), practice_of({}), around)
        [cold] = [care_title(task.code, task.values) for task in tasks if task.code == "cold"]
        self.assertIn("down to -1 °C, 2 nights", cold)


class JudgedShareTest(StudioCase):
    """What the keeper judged by eye counts; what is computed stands beside it."""

    def record(self, day=date(2026, 3, 20), **entered):
        form = SessionFields(done_on=day, ball_depth_before=80, slice_mm=5, **entered)
        return record_session(self.studio, 1, form)

    def test_it_is_shown_used_and_exported(self):
        self.tree(name="Elm", acquired_on=date(2015, 1, 1))
        done = self.record(share_judged=30)
        [session] = self.sessions_of(1)
        self.assertEqual((session.share, session.share_source), (0.3, "judged"))
        self.assertLess(session.share_computed, 0.2)
        pages = TestClient(create_app(self.studio))
        for place in ("/trees/1/sessions", f"/sessions/{done.id}"):
            self.assertIn("30%", pages.get(place).text, place)
        record = " ".join(pages.get(f"/sessions/{done.id}").text.split())
        self.assertIn("Fine roots removed, judged", record)
        self.assertIn("As computed", record)
        lines = pages.get("/exchange/sessions.csv").text.splitlines()
        row = dict(zip(lines[0].split(","), lines[1].split(","), strict=False))
        self.assertEqual(float(row["Share taken (%)"]), 30)
        self.assertEqual(float(row["Share judged (%)"]), 30)

    def test_far_more_than_it_bears_makes_a_cutting_of_it(self):
        self.tree(name="Elm", strength="weak", age_class="old", acquired_on=date(2015, 1, 1))
        self.record(self.studio.today, share_judged=80)
        tasks = self.read(lambda db: list(db.query(CareTask)))
        places = [task.values["needs"] for task in tasks if task.code == "place"]
        self.assertIn(["cover"], places)

    def test_the_scale_beats_the_eye(self):
        self.tree(name="Elm")
        self.record(share_judged=30, offcuts_g=200, ball_g=800)
        [session] = self.sessions_of(1)
        self.assertEqual((session.share, session.share_source), (0.2, "weighed"))
