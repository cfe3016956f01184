"""The demo yard: whole, true to its photos, and made only once."""

import shutil
import tempfile
import unittest
from datetime import UTC, datetime
from pathlib import Path

from sqlalchemy import select

from mirvo.core.almanac.practice import preset
from mirvo.demo.load import load_demo
from mirvo.records.models import (
    BenchSession,
    CareTask,
    Measurement,
    Photo,
    Plan,
    RootSession,
    TreeAnswer,
)
from mirvo.studio.bench_session.cut_review import cut_review
from mirvo.studio.bench_session.entries import save_entries
from mirvo.studio.bench_session.session import begin, bench_state
from mirvo.studio.ground.context import Studio
from mirvo.studio.measuring.desk import evaluate
from mirvo.studio.path.plans import planned_and_done
from mirvo.studio.photos.photo_queries import load_photo
from mirvo.studio.photos.simulated import truth_of
from mirvo.studio.standing.practice import save_practice
from mirvo.studio.standing.tree_list import list_trees
from mirvo.studio.standing.tree_queries import measured_base


class YardTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        work = Path(tempfile.mkdtemp())
        cls.addClassCleanup(shutil.rmtree, work)
        cls.folder = work / "demo"
        (work / "demo.making").mkdir()  # as left by a start that was broken off
        cls.made = load_demo(cls.folder)
        cls.studio = Studio(cls.folder)
        cls.addClassCleanup(cls.studio.close)

    def read(self, query, *args):
        with self.studio.reading() as db:
            return query(db, *args)

    def list_trees(self):
        return self.read(list_trees, self.studio.today)

    def rows(self, query):
        with self.studio.reading() as db:
            return db.execute(query).all()

    def drop(self, bench):
        """Take a session off the bench, whatever was entered in it."""
        with self.studio.writing() as db:
            db.delete(db.get(BenchSession, bench.id))

    def test_made_once(self):
        self.assertTrue(self.made)
        self.assertFalse(load_demo(self.folder))
        self.assertFalse((self.folder.parent / "demo.making").exists())

    def test_at_least_four_trees_with_six_years_of_sessions(self):
        spans = {}
        for tree, day in self.rows(select(RootSession.tree_id, RootSession.done_on)):
            spans.setdefault(tree, []).append(day.year)
        long = [years for years in spans.values() if max(years) - min(years) >= 6]
        self.assertGreaterEqual(len(long), 4)
        self.assertEqual(len(self.list_trees()), 8)

    def test_side_views_are_measured_too(self):
        query = select(Photo, Measurement).join(Measurement).where(Measurement.view == "side")
        found = self.rows(query)
        self.assertEqual(len(found), 8)
        for photo, measurement in found:
            known = truth_of(self.studio, photo)["figures"]["flare_ratio"]
            value = measurement.side.flare_ratio.value
            self.assertLess(abs(value / known - 1), 0.07)

    def test_every_photo_was_measured_and_comes_near_its_truth(self):
        found = self.rows(select(Photo, Measurement).join(Measurement))
        to_measure = select(Photo.id).where(Photo.kind.in_(("top", "side")))
        self.assertEqual(len(found), len(self.rows(to_measure)))
        for photo, measurement in found:
            if measurement.view != "top":
                continue
            with self.subTest(photo=photo.file_name):
                known = truth_of(self.studio, photo)["figures"]
                value = measurement.top.trunk_diameter_mm.value
                self.assertLess(abs(value / known["trunk_diameter_mm"] - 1), 0.03)
                spread = measurement.top.spread.flare.mean_mm.value
                self.assertLess(abs(spread / known["flare_mean_mm"] - 1), 0.03)
                self.assertEqual(len(measurement.top.roots), len(known["roots"]))

    def test_cuts_have_photos_and_answers_of_the_trees(self):
        photos = self.rows(
            select(Photo.kind, Photo.session_id).where(Photo.session_id.is_not(None))
        )
        self.assertEqual({kind for kind, _ in photos}, {"after", "follow-up"})
        answered = {row.session_id for (row,) in self.rows(select(TreeAnswer))}
        followed = {session for kind, session in photos if kind == "follow-up"}
        self.assertGreaterEqual(len(followed), 10)
        self.assertLessEqual(followed, answered)

    def test_after_pictures_equal_measuring_without_the_cut_roots(self):
        for row in self.list_trees():
            base = self.read(measured_base, row.tree.id)
            with self.subTest(tree=row.tree.name):
                labels = [root.label for root in base.roots][:2]
                bench = begin(self.studio, row.tree.id, "routine")
                names = [f"{bench.id:04}-{label}-entry" for label in labels]
                entries = [
                    {"id": name, "field": f"root:{label}", "value": {"action": "remove"}}
                    for name, label in zip(names, labels, strict=True)
                ]
                self.assertEqual(save_entries(self.studio, bench.id, entries).kept, names)
                with self.studio.reading() as db:
                    review = cut_review(db, self.studio, bench_state(db, bench.id))
                    photo = load_photo(db, base.measurement.photo_id)
                    standing = {root.label for root in base.roots} - set(labels)
                    marks = base.measurement.top_marks
                    left = tuple(root for root in marks.roots if root.label in standing)
                    without = marks.model_copy(update={"roots": left})
                    measured = evaluate(db, self.studio, photo, without).top
                self.assertEqual(review.after.radiality, measured.radiality)
                self.assertEqual(review.after.spread, measured.spread)
                self.drop(bench)

    def test_plans_are_there_and_one_session_went_over_its_budget(self):
        self.assertEqual(len(self.rows(select(Plan.id))), 7 + 3)  # three made in earlier years
        for row in self.list_trees():
            beside = self.read(planned_and_done, row.tree.id)
            planned = row.tree.name in ("Harbour zelkova", "Long beech", "Tide larch")
            self.assertEqual(
                [bool(one.step or one.differences) for one in beside], [True] * planned
            )
        over = self.rows(
            select(RootSession.id).where(
                RootSession.share_computed > RootSession.budget, RootSession.kind == "routine"
            )
        )
        self.assertEqual(len(over), 1)

    def advised(self, school):
        """What the adviser says of each tree's roots on a day of spring, by the tree's name."""
        save_practice(self.studio, preset(school))
        found = {}
        for row in self.list_trees():
            bench = begin(self.studio, row.tree.id, "routine")
            with self.studio.reading() as db:
                review = cut_review(db, self.studio, bench_state(db, bench.id))
            if review.review is not None:
                found[row.tree.name] = review.review.advice
            self.drop(bench)
        return found

    def test_there_is_much_to_decide_and_the_schools_differ(self):
        now, self.studio.clock = self.studio.clock, lambda: datetime(2027, 3, 12, 9, tzinfo=UTC)
        try:
            steady, gentle = self.advised("steady"), self.advised("gentle")
        finally:
            save_practice(self.studio, preset("steady"))
            self.studio.clock = now
        asked = {
            tree: {
                reason.code for advice in roots for reason in (*advice.reasons, *advice.held_back)
            }
            for tree, roots in steady.items()
        }
        self.assertGreaterEqual(sum(bool(codes) for codes in asked.values()), 4)
        every = set[str]().union(*asked.values())
        wanted = {"crossing", "circling", "above_plane", "below_plane", "oversized", "only_feeder"}
        self.assertLessEqual(wanted | {"graft_first", "no_feeders"}, every)
        other = [
            tree
            for tree, roots in steady.items()
            if [advice.action for advice in roots] != [advice.action for advice in gentle[tree]]
        ]
        self.assertTrue(other)

    def test_a_graft_is_due_and_a_layer_is_ready(self):
        plans = [plan for (plan,) in self.rows(select(Plan)) if plan.result is not None]
        self.assertTrue(any(plan.result.path_of("steady").steps[0].grafts for plan in plans))
        tasks = self.rows(select(CareTask.code, CareTask.done_at))
        self.assertIn(("layer-separate", None), tasks)
