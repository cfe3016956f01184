"""The demo yard: whole, true to its photos, and made only once."""

import shutil
import tempfile
import unittest
from pathlib import Path

from sqlalchemy import select

from mirvo.demo.load import load_demo
from mirvo.records.database import reading
from mirvo.records.models import Measurement, Photo, Plan, Session
from mirvo.standins.base import base_from_json
from mirvo.standins.turntable import side_figures
from mirvo.studio.context import Studio
from mirvo.studio.deciding import deciding
from mirvo.studio.desk import evaluate
from mirvo.studio.photos import truth_of
from mirvo.studio.plans import planned_and_done
from mirvo.studio.sessions import measured_roots
from mirvo.studio.taps import keep_taps
from mirvo.studio.trees import list_trees
from mirvo.studio.visits import begin, visit_view


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

    def rows(self, query):
        with reading(self.studio.engine) as unit:
            return unit.execute(query).all()

    def test_made_once(self):
        self.assertTrue(self.made)
        self.assertFalse(load_demo(self.folder))
        self.assertFalse((self.folder.parent / "demo.making").exists())

    def test_at_least_four_trees_with_six_years_of_sessions(self):
        spans = {}
        for tree, day in self.rows(select(Session.tree_id, Session.done_on)):
            spans.setdefault(tree, []).append(day.year)
        long = [years for years in spans.values() if max(years) - min(years) >= 6]
        self.assertGreaterEqual(len(long), 4)
        self.assertEqual(len(list_trees(self.studio)), 8)

    def test_side_views_are_measured_too(self):
        query = select(Photo, Measurement).join(Measurement).where(Measurement.view == "side")
        found = self.rows(query)
        self.assertEqual(len(found), 8)
        for photo, measurement in found:
            base = base_from_json(truth_of(self.studio, photo)["base"])
            known = side_figures(base, measurement.marks["turntable_deg"])["flare_ratio"]
            value = measurement.figures["flare_ratio"]["value"]
            self.assertLess(abs(value / known - 1), 0.07)

    def test_every_photo_was_measured_and_comes_near_its_truth(self):
        found = self.rows(select(Photo, Measurement).join(Measurement))
        self.assertEqual(len(found), len(self.rows(select(Photo.id))))
        for photo, measurement in found:
            if measurement.view != "top":
                continue
            with self.subTest(photo=photo.file_name):
                known = truth_of(self.studio, photo)["figures"]
                value = measurement.figures["trunk_diameter_mm"]["value"]
                self.assertLess(abs(value / known["trunk_diameter_mm"] - 1), 0.03)
                spread = measurement.figures["spread"]["flare"]["mean_mm"]["value"]
                self.assertLess(abs(spread / known["flare_mean_mm"] - 1), 0.03)
                self.assertEqual(len(measurement.figures["roots"]), len(known["roots"]))

    def test_after_pictures_equal_measuring_without_the_cut_roots(self):
        for row in list_trees(self.studio):
            with reading(self.studio.engine) as unit:
                measured, roots = measured_roots(unit, row.tree.id)
            with self.subTest(tree=row.tree.name):
                labels = [root["label"] for root in roots][:2]
                visit = begin(self.studio, row.tree.id, "routine")
                decided = {"action": "remove"}
                names = [f"{visit.id:04}-{label}-tap" for label in labels]
                taps = [
                    {"id": name, "field": f"root:{label}", "value": decided}
                    for name, label in zip(names, labels, strict=True)
                ]
                self.assertEqual(keep_taps(self.studio, visit.id, taps).kept, names)
                told = deciding(self.studio, visit_view(self.studio, visit.id))
                photo = self.rows(select(Photo).where(Photo.id == measured.photo_id))[0][0]
                standing = {root["label"] for root in roots} - set(labels)
                left = [one for one in measured.marks["roots"] if one["label"] in standing]
                figures, *_ = evaluate(self.studio, photo, {**measured.marks, "roots": left})
                self.assertEqual(told.after["radiality"], figures["radiality"])
                self.assertEqual(told.after["spread"], figures["spread"])

    def test_plans_are_there_and_one_session_went_over_its_budget(self):
        self.assertEqual(len(self.rows(select(Plan.id))), 7 + 3)  # three made in earlier years
        for row in list_trees(self.studio):
            beside = planned_and_done(self.studio, row.tree.id)
            planned = row.tree.name in ("Harbour zelkova", "Long beech", "Tide larch")
            self.assertEqual(
                [bool(one.step or one.differences) for one in beside], [True] * planned
            )
        over = self.rows(
            select(Session.id).where(
                Session.share_computed > Session.budget, Session.kind == "routine"
            )
        )
        self.assertEqual(len(over), 1)
