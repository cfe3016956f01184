"""Aftercare as it moves with the season, and the rhythm of watering."""

from datetime import UTC, date, datetime

from mirvo.core.limits.base import checked
from mirvo.core.limits.care import AnswerFields
from mirvo.core.limits.sessions import SessionFields
from mirvo.core.limits.trees import TreeFields
from mirvo.studio.ground.settings import YardFields, save_yard
from mirvo.studio.records.aftercare import (
    by_week,
    open_care,
    replan_yard,
    set_task,
    tasks_of_session,
    tick,
)
from mirvo.studio.records.answers import answers_seen, put_answer
from mirvo.studio.records.corrections import correct_session
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.records.watering import note_watering, rhythm_of
from mirvo.studio.standing.standing import standing_of
from mirvo.studio.yard.trees import edit_tree, see_buds
from tests.studio.bench_session.bench_case import BenchCase
from tests.studio_case import StudioCase


class SeasonOfATreeTest(StudioCase):
    """A zelkova worked on 5 December; its buds usually move on 16 March, its leaves on 20 April."""

    def setUp(self):
        super().setUp()
        self.on(2026, 12, 5)
        self.form = {"kind": "routine", "done_on": date(2026, 12, 5), "ball_depth_before": 90}
        self.here = self.tree(species_key="zelkova")
        self.session = record_session(self.studio, self.here.id, self.checked())

    def on(self, *day):
        self.studio.clock = lambda: datetime(*day, 9, tzinfo=UTC)

    def checked(self, **more):
        return checked(SessionFields, {**self.form, **more}, self.studio.today)

    def tasks(self):
        return self.read(tasks_of_session, self.session.id)

    def due(self, code):
        return [task.due for task in self.tasks() if task.code == code]

    def test_it_moves_with_buds_and_shoots(self):
        self.assertEqual(self.due("feed"), [date(2027, 5, 20)])
        self.assertEqual(self.due("buds"), [date(2027, 3, 23)])
        self.assertTrue(all(task.about for task in self.tasks() if task.anchor == "growth"))
        self.on(2027, 3, 6)
        see_buds(self.studio, self.here.id, "buds swelling")
        # Ten days before the usual, and nobody needs to look for them any more.
        self.assertEqual((self.due("feed"), self.due("buds")), ([date(2027, 5, 10)], []))
        self.on(2027, 4, 14)
        put_answer(self.studio, self.session.id, AnswerFields(), shoots_today=True)
        self.assertEqual(self.due("feed"), [date(2027, 5, 14)])
        self.assertFalse(any(task.about for task in self.tasks()))

    def test_shoots_in_april_are_not_late(self):
        self.on(2027, 4, 14)
        seen = AnswerFields(leaf_lost_percent=0)
        put_answer(self.studio, self.session.id, seen, shoots_today=True)
        # 130 days after the session, but 29 after its buds should have moved.
        self.assertEqual(self.read(answers_seen, self.session).answer, "good")
        self.assertEqual(
            self.read(standing_of, self.here.id, self.studio.today).answers, {1: "good"}
        )

    def test_what_is_ticked_stays_ticked_and_nothing_comes_twice(self):
        ticked = self.tasks()[0]
        tick(self.studio, ticked.id)
        before = {(task.code, task.step): task.id for task in self.tasks()}
        correct_session(self.studio, self.session.id, self.checked(slice_mm=0, found="much moss"))
        self.on(2027, 3, 6)
        see_buds(self.studio, self.here.id, "buds swelling")
        after = {(task.code, task.step): task.id for task in self.tasks()}
        # Leaves now come before the last frost; the look at the buds was ticked, and stays.
        self.assertEqual(set(before) ^ set(after), {("place", "shade"), ("place", "frost+shade")})
        stayed = set(before) & set(after)
        self.assertEqual([before[key] for key in stayed], [after[key] for key in stayed])
        self.assertIsNotNone(next(task for task in self.tasks() if task.id == ticked.id).done_at)

    def test_another_frost_and_glass_move_it(self):
        [frost, *_] = [task for task in self.tasks() if task.code == "place"]
        self.assertEqual(frost.values["needs"], ["frost"])
        save_yard(self.studio, YardFields(name="Saltgate Yard", last_frost="05-10"))
        replan_yard(self.studio)
        self.assertEqual(self.due("buds"), [date(2027, 4, 12)])
        values = {name: getattr(self.here, name) for name in TreeFields.model_fields}
        form = TreeFields.model_validate({**values, "under_glass": True})
        edit_tree(self.studio, self.here.id, form, self.here.version)
        needs = [task.values["needs"] for task in self.tasks() if task.code == "place"]
        self.assertEqual(needs, [["shade"]])

    def test_alike_tasks_of_a_week_are_one_line(self):
        other = self.tree(name="Quay zelkova", species_key="zelkova")
        record_session(self.studio, other.id, self.checked())
        set_task(self.studio, other.id, "Look at the wire", date(2026, 12, 16))
        dues = self.read(open_care, self.studio.today, date(2027, 5, 1))
        now, *weeks = by_week(dues, self.studio.today)
        [line] = now.lines
        self.assertEqual((now.monday, line.title), (None, "Keep it free of frost."))
        self.assertEqual({due.tree_id for due in line.dues}, {self.here.id, other.id})
        self.assertEqual(weeks[0].monday, date(2026, 12, 14))
        self.assertEqual(weeks[0].lines[0].title, "Look at the wire")


class WateringTest(BenchCase):
    def test_the_rhythm_and_its_warnings(self):
        for day in (1, 3, 3, 7, 9):
            self.studio.clock = lambda day=day: datetime(2026, 7, day, 8, tzinfo=UTC)
            note_watering(self.studio, 1)
        rhythm = self.read(rhythm_of, 1)
        self.assertEqual((rhythm.times, rhythm.days_between), (4, 2.0))
        self.assertEqual(rhythm.last.day, 9)
        self.assertEqual(rhythm.warnings, [])
        values = {**self.entered(), "foreign_soil": "nursery peat", "water_dish": True}
        edit_tree(self.studio, 1, TreeFields.model_validate(values), self.here.version)
        peat, dish = self.read(rhythm_of, 1).warnings
        self.assertIn("nursery peat", peat)
        self.assertIn("water dish", dish)

    def entered(self):
        return {name: getattr(self.here, name) for name in TreeFields.model_fields}
