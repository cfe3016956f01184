"""Drawings are to scale: shapes are read back and measured."""

import re
import unittest
from dataclasses import replace
from datetime import date, timedelta
from math import atan2, cos, degrees, hypot, radians, sin

import numpy as np
from sqlalchemy import select

from mirvo.core.lengths import INCHES
from mirvo.core.limits.sessions import SessionFields
from mirvo.core.limits.targets import TargetFields
from mirvo.core.measure.figure import Figure
from mirvo.core.plan.records import PlannedPath
from mirvo.core.rootwork.cuts import RootCase
from mirvo.core.rootwork.root_path import along_mm, path_length_mm
from mirvo.records.models import Measurement, Plan, RootSession
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.measuring.flat_photo import AROUND_BASE
from mirvo.studio.path.target import hold_year, set_target
from mirvo.studio.records.record import record_of
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.yard.bench import Bench, BenchWeek
from mirvo.web.app import create_app
from mirvo.web.drawings.ball import draw_ball
from mirvo.web.drawings.filmstrip import draw_filmstrip
from mirvo.web.drawings.record import draw_record_section, draw_record_wheel
from mirvo.web.drawings.ribbon import WIDTH_PX, season_ribbon
from mirvo.web.drawings.scene import Scene, nice_scale
from mirvo.web.drawings.sheet import (
    CSS_PX_PER_MM,
    Stratum,
    add_section,
    draw_sheet,
    draw_strip,
    ground_of,
)
from mirvo.web.drawings.supply import draw_supply
from mirvo.web.drawings.tradeoff import draw_tradeoff
from mirvo.web.drawings.wheel import arc, draw_cuts, draw_wheel, tapered
from mirvo.web.drawings.year import WEEK_PX, draw_head
from mirvo.web.drawings.years import years_chart, years_charts
from mirvo.web.lengths import read_in
from mirvo.web.templating import formatted, percent, signed, whole
from mirvo.web.wording import plus_minus
from tests.client import TestClient
from tests.studio_case import StudioCase


def of_role(scene, role):
    return [shape for shape in scene.shapes if shape.role == role]


def points(shape):
    return [
        tuple(map(float, pair))
        for pair in re.findall(r"(-?[\d.]+) (-?[\d.]+)", shape.attributes["d"])
    ]


class BenchYearTest(unittest.TestCase):
    """How full the weeks are, drawn over the year at the bench."""

    def head(self, *trees):
        monday = date(2027, 3, 1)
        weeks = [
            BenchWeek(monday + timedelta(weeks=number), [None] * count, 6, max(0, count - 6))
            for number, count in enumerate(trees)
        ]
        frosty = [0.0] * 52
        return draw_head(monday, frosty, "04-20", Bench(monday, [], [], [], [], weeks, []))

    def test_a_dot_a_tree_where_each_has_room(self):
        scene = self.head(3, 4)
        self.assertEqual(len(of_role(scene, "load")), 7)
        self.assertTrue(all(shape.name == "circle" for shape in of_role(scene, "load")))

    def test_a_fuller_week_is_a_bar_within_its_own_week(self):
        scene = self.head(3, 6, 0, 60)
        bars, over = of_role(scene, "load"), of_role(scene, "load-over")
        heights = [float(bar.attributes["height"]) for bar in [*bars, *over]]
        self.assertAlmostEqual(heights[0] / heights[1], 0.5, places=2)
        self.assertEqual(heights[1], heights[2])
        for number, bar in ((0, bars[0]), (1, bars[1]), (3, over[0])):
            x, width = (float(bar.attributes[name]) for name in ("x", "width"))
            self.assertGreaterEqual(x, number * WEEK_PX - 0.3)
            self.assertLessEqual(x + width, (number + 1) * WEEK_PX + 0.3)


class RecordTest(StudioCase):
    """A session's record: the base it was worked on, what went, the ball before and after."""

    def setUp(self):
        super().setUp()
        self.row = self.tree(container="wide training pot")
        photo, marks = self.photo(self.row, taken_on=date(2025, 3, 20))
        self.figures = save_marks(self.studio, photo.id, marks, 0).found.top

    def recorded(self, **changes):
        values = {
            "done_on": date(2025, 3, 28), "bud_stage": "buds swelling", "slice_mm": 30,
            "ball_length_before": 300, "ball_width_before": 200, "ball_depth_before": 90,
            "ball_length_after": 280, "ball_width_after": 180,
            "pot_length_mm": 320, "pot_depth_mm": 80,
            "roots": [{"label": "A", "action": "remove"}],
            **changes,
        }  # fmt: skip
        session = record_session(self.studio, self.row.id, SessionFields.model_validate(values))
        with self.studio.reading() as db:
            return record_of(db, db.get(RootSession, session.id), self.row)

    def test_what_went_is_hatched_on_the_base_as_it_was(self):
        record = self.recorded()
        self.assertEqual(record.cut, {"A": 1.0})
        labels = [root.label for root in record.base.record.roots]
        self.assertEqual(labels, [root.label for root in self.figures.roots])
        scene = draw_record_wheel(record)
        self.assertEqual(len(of_role(scene, "root-cut")), 1)
        self.assertEqual(len(of_role(scene, "root")), len(self.figures.roots) - 1)
        self.assertIn("what went hatched: A", scene.title)

    def test_both_balls_and_the_pot_are_to_one_scale(self):
        scene = draw_record_section(self.recorded())
        before, after = (
            (float(shape.attributes["width"]), float(shape.attributes["height"]))
            for shape in of_role(scene, "soil")
        )
        scale = before[0] / 300
        self.assertAlmostEqual(before[1] / scale, 90, delta=0.5)
        self.assertAlmostEqual(after[0] / scale, 280, delta=0.5)
        self.assertAlmostEqual(after[1] / scale, 60, delta=0.5)
        [pot], [cut] = of_role(scene, "pot"), of_role(scene, "root-cut")
        (left, _), _, (right, _), _ = points(pot)
        self.assertAlmostEqual((right - left) / scale, 320, delta=0.5)
        tops = [y for _, y in points(cut)]
        self.assertAlmostEqual((max(tops) - min(tops)) / scale, 30, delta=0.5)
        self.assertIn("300 × 90 mm before, 280 × 60 mm after", scene.description)

    def test_planned_and_done_differ_where_the_path_says_so(self):
        number = self.recorded().session.id
        step = planned().steps[0].model_copy(update={"slice_mm": 28.5, "fault_parts": {"C": 1.0}})
        with self.studio.writing() as db:
            db.get(RootSession, number).planned = step
        with self.studio.reading() as db:
            pairs = record_of(db, db.get(RootSession, number), self.row).pairs
        otherwise = {pair.name for pair in pairs if pair.otherwise}
        # A slice 1.5 mm off is as planned; another year, root and container are not.
        self.assertNotIn("Off the underside", otherwise)
        self.assertLessEqual({"Year", "Roots cut", "Into"}, otherwise)

    def test_what_is_not_known_is_not_drawn(self):
        record = self.recorded(
            ball_length_before=None, ball_length_after=None, pot_length_mm=None,
            done_on=date(2025, 3, 1), roots=[],
        )  # fmt: skip
        self.assertIsNone(draw_record_section(record))
        # It was measured only after this session.
        self.assertIsNone(draw_record_wheel(record))
        client = TestClient(create_app(self.studio))
        page = client.get(f"/sessions/{record.session.id}")
        self.assertEqual(page.status_code, 200)
        self.assertNotIn("record-wheel", page.text)


def planned(**changes):
    """A path of two sessions, as the planner gives one."""
    step = {
        "share": 0.2, "budget": 0.4, "strain": 25.0, "container": "board in a wide pot",
        "woody_depth_mm": (40.0, 40.0),
    }  # fmt: skip
    end = {
        "spread_ratio": 2.0, "low": 1.8, "high": 2.2, "woody_depth_mm": 40.0,
        "largest_gap_deg": 80.0, "container": "final pot",
    }  # fmt: skip
    values = {
        "school": "steady", "reached_year": 2032, "likely_year": 2034,
        "steps": [
            {**step, "year": 2027, "slice_mm": 30.0, "faults": ["C"],
             "ball_depth_mm": (90.0, 60.0)},
            {**step, "year": 2030, "slice_mm": 20.0, "ball_depth_mm": (60.0, 40.0)},
        ],
        "forecast": [
            {**end, "year": year, "spread_mm": flare, "trunk_diameter_mm": 44.0,
             "ball_depth_mm": 40.0}
            for year, flare in ((2027, 80.0), (2030, 90.0), (2032, 100.0))
        ],
        "tradeoff": [
            {"year": 2032, "sessions": 2, "toll": 84.0, "worst_strain": 30.0, "chance": 0.5},
            {"year": 2034, "sessions": 1, "toll": 62.0, "worst_strain": 24.0, "chance": 0.8},
        ],
        **changes,
    }  # fmt: skip
    return PlannedPath.model_validate(values)


class PathDrawingsTest(StudioCase):
    def test_the_filmstrip_shows_each_session_to_one_scale(self):
        row = self.tree(container="wide training pot")
        sheet = self.sheet_of(row.id)
        scene = draw_filmstrip(sheet, planned())
        balls = [float(shape.attributes["height"]) for shape in of_role(scene, "soil")]
        # Two sessions and the arrival; nothing is known of today's ball.
        self.assertEqual(len(balls), 3)
        scale = balls[0] / 60
        self.assertAlmostEqual(balls[1] / scale, 40, delta=0.5)
        flares = [np.ptp([x for x, _ in points(shape)]) for shape in of_role(scene, "stem")]
        for flare, known in zip(flares, (80, 90, 100), strict=True):
            self.assertAlmostEqual(flare / scale, known, delta=0.5)
        taken = [np.ptp([y for _, y in points(shape)]) for shape in of_role(scene, "root-cut")]
        for height, known in zip(taken, (30, 20), strict=True):
            self.assertAlmostEqual(height / scale, known, delta=0.5)
        said = [shape.text for shape in scene.shapes if shape.text]
        self.assertIn("cut C", said)
        self.assertIn("end of 2032", said)

    def test_a_path_of_nothing_is_no_film(self):
        sheet = self.sheet_of(self.tree().id)
        self.assertIsNone(draw_filmstrip(sheet, planned(steps=[], forecast=[], reached_year=None)))

    def test_the_curve_falls_with_the_toll_and_discs_grow_with_sessions(self):
        scene = draw_tradeoff(planned(), "/trees/1/path", 2034)
        discs = [*of_role(scene, "session-disc"), *of_role(scene, "session-open")]
        (x1, y1, r1), (x2, y2, r2) = (
            tuple(float(disc.attributes[name]) for name in ("cx", "cy", "r")) for disc in discs
        )
        self.assertLess(x1, x2)
        self.assertGreater(r1, r2)
        zero = next(shape for shape in scene.shapes if shape.text == "0").attributes["y"]
        floor = float(zero) - 4
        self.assertAlmostEqual((floor - y2) / (floor - y1), 62 / 84, places=2)
        [likely] = of_role(scene, "target-line")
        self.assertAlmostEqual(points(likely)[0][0], x2, places=1)
        [ring] = of_role(scene, "shown-ring")
        self.assertEqual(float(ring.attributes["cx"]), x2)
        links = [shape.link for shape in of_role(scene, "touch")]
        self.assertEqual([link.chosen for link in links], [False, True])
        self.assertIn("arriving=2034", links[1].href)
        self.assertIsNone(draw_tradeoff(planned(tradeoff=[]), "/trees/1/path", None))


class DrawnTree(StudioCase):
    def setUp(self):
        super().setUp()
        self.tree_row = self.tree(container="wide training pot")
        photo, marks = self.photo(self.tree_row, taken_on=date(2025, 3, 20))
        self.figures = save_marks(self.studio, photo.id, marks, 0).found.top
        form = SessionFields(
            done_on=date(2025, 3, 28), bud_stage="buds swelling", ball_depth_before=90,
            slice_mm=30, woody_depth_mm=50, pot_length_mm=300, pot_depth_mm=80,
        )  # fmt: skip
        record_session(self.studio, self.tree_row.id, form)
        ratio = self.figures.spread.flare.ratio.value + 0.3
        target = TargetFields(spread_ratio=ratio, largest_gap_deg=120, pot_depth_mm=60)
        set_target(self.studio, self.tree_row.id, target)
        self.planned(self.tree_row.id)
        self.sheet = self.sheet_of(self.tree_row.id)


class OldPlanTest(DrawnTree):
    def test_a_plan_from_before_years_could_be_held_is_still_shown(self):
        with self.studio.writing() as db:
            for plan in db.scalars(select(Plan)):
                plan.case = plan.case.model_copy(update={"holds": ()})
        hold_year(self.studio, self.tree_row.id, 2029, "travelling")
        page = TestClient(create_app(self.studio)).get(f"/trees/{self.tree_row.id}/path")
        self.assertEqual(page.status_code, 200)


class CutsTest(DrawnTree):
    def test_a_root_is_hatched_from_its_cut_on_with_a_knob_at_the_cut(self):
        label = self.figures.roots[0].label
        scene = draw_cuts(self.figures, self.figures, {label: 0.25}, 400.0, (6,))
        self.assertEqual(len(of_role(scene, "root-cut")), 1)
        self.assertEqual(len(of_role(scene, "old-soil")), 1)
        [knob] = of_role(scene, "knob")
        way = [tuple(map(float, p.split(","))) for p in knob.attributes["data-way"].split()]
        at = (float(knob.attributes["cx"]), float(knob.attributes["cy"]))
        self.assertAlmostEqual(along_mm(way, at) / path_length_mm(way), 0.75, 2)

    def test_a_removed_root_has_no_knob_and_no_error_bars(self):
        label = self.figures.roots[0].label
        after = self.figures.model_copy(update={"roots": self.figures.roots[1:]})
        scene = draw_cuts(self.figures, after, {label: 1.0}, 400.0)
        self.assertEqual(of_role(scene, "knob"), [])
        self.assertEqual(len(of_role(scene, "plus-minus-mark")), 6 * len(after.roots))

    def test_the_ball_is_drawn_to_scale_with_what_goes(self):
        answers = {"ball_length_before": 300.0, "ball_depth_before": 60.0, "slice_mm": 15.0}
        scene = draw_ball(answers, 380.0)
        [soil], [cut] = of_role(scene, "soil"), of_role(scene, "root-cut")
        width, height = (float(soil.attributes[key]) for key in ("width", "height"))
        self.assertAlmostEqual(width / height, 5.0, 1)
        self.assertAlmostEqual(float(cut.attributes["height"]) / height, 0.25, 2)
        self.assertIsNone(draw_ball({}, 380.0))

    def test_the_supply_map_says_what_the_cuts_would_starve(self):
        cases = {
            "A": RootCase("A", 0.0, 20.0, [(0, 1), (0, 2)], feeds=("trunk", "left branch")),
            "B": RootCase("B", 90.0, 8.0, [(1, 0), (2, 0)], feeds=("trunk",)),
        }
        scene = draw_supply(cases, ["left branch", "trunk"], {"A": 1.0})
        self.assertEqual(scene.description, "left branch fed by nothing; trunk fed by B")
        roles = [shape.role for shape in scene.shapes if shape.name == "path"]
        self.assertEqual(roles, ["supply-cut line-9", "supply-cut line-9", "supply-line line-4"])
        self.assertIsNone(draw_supply({}, [], {}))


class WheelTest(DrawnTree):
    def test_the_plus_minus_of_azimuth_and_reach_are_drawn_to_scale(self):
        first = self.figures.roots[0]
        scene = draw_wheel(self.figures, 400.0)
        drawn = of_role(scene, "plus-minus-mark")
        self.assertEqual(len(drawn), 6 * len(self.figures.roots))
        ends = re.search(r"M([\d.]+) ([\d.]+) A.* ([\d.]+) ([\d.]+)$", drawn[0].attributes["d"])
        ax, ay, bx, by = (float(value) - 200 for value in ends.groups())
        swept = (degrees(atan2(bx, -by)) - degrees(atan2(ax, -ay))) % 360
        self.assertAlmostEqual(swept, 2 * first.azimuth_deg.plus_minus, delta=0.15)
        (cx, cy), (dx, dy) = points(drawn[3])
        scale = (200 - 26) / self.figures.frame_mm
        wanted = 2 * first.reach_mm.plus_minus * scale
        self.assertAlmostEqual(hypot(dx - cx, dy - cy), wanted, delta=0.2)

    def test_rings_and_roots_share_one_scale(self):
        scene = draw_wheel(self.figures, 400.0)
        trunk = self.figures.trunk_diameter_mm.value
        radii = [float(ring.attributes["r"]) for ring in of_role(scene, "ring")]
        scale = (200 - 26) / self.figures.frame_mm
        for times, radius in enumerate(radii, start=1):
            self.assertAlmostEqual(radius, times * trunk / 2 * scale, 0)
        for root, drawn in zip(self.figures.roots, of_role(scene, "root"), strict=True):
            reach = max(hypot(x - 200, y - 200) for x, y in points(drawn))
            wanted = max(hypot(x, y) for x, y in root.path_mm) * scale
            self.assertLess(abs(reach - wanted), root.width_mm * scale)

    def test_the_rim_is_covered_or_open_all_round(self):
        scene = draw_wheel(self.figures, 400.0)
        arcs = self.figures.radiality.open_arcs
        self.assertEqual(len(of_role(scene, "rim-open")), len(arcs))
        self.assertEqual(len(of_role(scene, "rim-covered")), max(1, len(arcs)))
        self.assertEqual(len(of_role(scene, "gap-words")), len(arcs))

    def test_the_degrees_of_a_gap_stand_clear_of_the_cut_root_in_it(self):
        # Where the words would stand: 0.74 of the rim, less what the letter keeps from the tip.
        reach = (0.74 * 174.0 - 10.0) / (174.0 / self.figures.frame_mm)
        for root in self.figures.roots:
            way = root.azimuth_deg.value
            tip = (reach * sin(radians(way)), reach * cos(radians(way)))
            gone = root.model_copy(update={"path_mm": ((0.0, 0.0), tip)})
            left = tuple(other for other in self.figures.roots if other is not root)
            before = self.figures.model_copy(update={"roots": (*left, gone)})
            arcs = ((way - 30.0, way + 30.0),)
            open_there = self.figures.radiality.model_copy(update={"open_arcs": arcs})
            after = self.figures.model_copy(update={"roots": left, "radiality": open_there})
            scene = draw_cuts(before, after, {gone.label: 1.0}, 400.0)
            [words] = of_role(scene, "gap-words")
            [letter] = of_role(scene, "root-label-cut")
            apart = [float(words.attributes[key]) - float(letter.attributes[key]) for key in "xy"]
            self.assertGreater(hypot(*apart), 20.0)

    def test_four_hours_are_written_with_six_below(self):
        scene = draw_wheel(self.figures, 400.0)
        hours = {shape.text: shape.attributes for shape in of_role(scene, "hour")}
        self.assertEqual(set(hours), {"3", "6", "9", "12"})
        self.assertGreater(float(hours["6"]["y"]), float(hours["12"]["y"]))
        self.assertGreater(float(hours["3"]["x"]), float(hours["9"]["x"]))

    def test_words_say_what_is_drawn(self):
        scene = draw_wheel(self.figures, 400.0)
        self.assertIn(f"{len(self.figures.roots)} roots", scene.description)

    def test_a_base_without_roots_is_one_open_round(self):
        open_round = self.figures.radiality.model_copy(update={"open_arcs": ((0.0, 360.0),)})
        bare = self.figures.model_copy(update={"roots": (), "radiality": open_round})
        scene = draw_wheel(bare, 400.0)
        self.assertEqual(of_role(scene, "rim-covered"), [])
        self.assertEqual(len(of_role(scene, "rim-open")), 1)

    def test_tapered_root(self):
        root = self.figures.roots[0].model_copy(
            update={
                "path_mm": ((0, 0), (0, 10), (0, 20)),
                "base_width_mm": Figure(6.0, 0.1),
                "end_width_mm": 2.0,
            }
        )
        outline = tapered(root)
        widths = [abs(outline[i][0] - outline[-1 - i][0]) for i in range(3)]
        self.assertEqual(widths, [6.0, 4.0, 2.0])

    def test_arc_over_north_is_drawn_the_short_way(self):
        self.assertIn(" 0 0 1 ", arc((0, 0), 10, 350, 10))
        self.assertIn(" 0 1 1 ", arc((0, 0), 10, 10, 350))


class SheetTest(DrawnTree):
    def test_depths_and_pot_are_to_the_scale_in_the_title_strip(self):
        scene = draw_sheet(self.sheet)
        [said] = [s.text for s in scene.shapes if s.text.startswith("1 : ")]
        scale = CSS_PX_PER_MM / float(said.removeprefix("1 : "))
        [pot] = of_role(scene, "pot")
        (left, _), (_, floor), (right, _), _ = points(pot)
        self.assertLess(abs((right - left) / scale - 300), 12)
        [soil] = of_role(scene, "soil-line")
        ground = points(soil)[0][1]
        self.assertLess(abs((floor - ground) / scale - 80), 4)
        level = points(of_role(scene, "stratum")[0])[0][1]
        self.assertLess(abs((level - ground) / scale - 60), 3)
        bar = points(of_role(scene, "bar")[0])
        self.assertLess(abs((bar[2][0] - bar[1][0]) / scale - 50), 2)

    def test_a_strip_is_to_one_scale_whatever_was_drawn_before(self):
        row = self.sheet.dated[0]
        wide = [
            root.model_copy(update={"path_mm": tuple((3 * x, 3 * y) for x, y in root.path_mm)})
            for root in row.top.roots
        ]
        large = Measurement(id=99, measured_on=row.measured_on)
        large.top = row.top.model_copy(update={"roots": tuple(wide)})
        before = draw_strip(replace(self.sheet, dated=(row,)))[row.id]
        beside = draw_strip(replace(self.sheet, dated=(row, large)))[row.id]
        across = [
            np.ptp(points(of_role(scene, "trunk")[0]), axis=0)[0] for scene in (before, beside)
        ]
        self.assertLess(across[1], 0.9 * across[0])

    def test_planned_levels_are_dashed_and_named(self):
        steps = self.sheet.path.steps
        planned = [shape.text for shape in of_role(draw_sheet(self.sheet), "planned-words")]
        self.assertTrue(planned)
        self.assertIn(str(steps[-1].year), " ".join(planned))
        self.assertIn("show pot", " ".join(planned))

    def test_labels_of_close_levels_do_not_overlap(self):
        scene = draw_sheet(self.sheet)
        words = of_role(scene, "done-words") + of_role(scene, "planned-words")
        heights = sorted(float(shape.attributes["y"]) for shape in words)
        gaps = [b - a for a, b in zip(heights, heights[1:], strict=False)]
        self.assertTrue(all(gap >= 14 for gap in gaps), gaps)

    def test_nothing_is_drawn_that_is_not_known(self):
        self.assertIsNone(draw_sheet(self.sheet_of(self.tree(name="Bare", trunk_mm=None).id)))
        trunk = draw_sheet(self.sheet_of(self.tree(name="Trunk", trunk_mm=40).id))
        pot = draw_sheet(self.sheet_of(self.tree(name="Pot", trunk_mm=None, pot_depth_mm=60).id))
        for scene, stems, pots in ((trunk, 1, 0), (pot, 0, 1)):
            self.assertEqual(of_role(scene, "root"), [])
            self.assertEqual(len(of_role(scene, "stem")), stems)
            self.assertEqual(len(of_role(scene, "pot")), pots)

    def test_a_former_ball_lies_within_the_outline_of_its_own_pot(self):
        ground = ground_of(self.sheet, None)
        deep = Stratum(2019, ground.pot_depth_mm + 40, "", False, (200, ground.pot_depth_mm + 50))
        scene = Scene("k", 400, 400, "t")
        add_section(scene, replace(ground, strata=[deep]), 200, 50, 1.0)
        [ghost] = of_role(scene, "pot-ghost")
        (left, _), (_, floor), (right, _), _ = points(ghost)
        self.assertEqual((right - left, floor), (200, 50 + ground.pot_depth_mm + 50))
        (start, level), _ = points(of_role(scene, "stratum")[0])
        self.assertGreater(start, left)
        self.assertLess(level, floor)

    def test_a_photo_lies_under_the_plan_to_its_scale(self):
        self.assertEqual(of_role(draw_sheet(self.sheet), "plan-photo"), [])
        scene = draw_sheet(self.sheet, "both")
        [photo] = of_role(scene, "plan-photo")
        [said] = [s.text for s in scene.shapes if s.text.startswith("1 : ")]
        scale = CSS_PX_PER_MM / float(said.removeprefix("1 : "))
        wide = 2 * AROUND_BASE * self.sheet.base.record.frame_mm * scale
        self.assertLess(abs(float(photo.attributes["width"]) / wide - 1), 0.03)
        self.assertEqual(scene.mode, "over-both")

    def test_the_years_are_small_and_to_one_scale(self):
        strip = draw_strip(self.sheet)
        self.assertEqual(list(strip), [row.id for row in self.sheet.dated])
        self.assertTrue(all(of_role(scene, "root") for scene in strip.values()))

    def test_years_show_measure_error_bar_target_and_band(self):
        scene = years_chart(self.sheet)
        for role, count in (
            ("measured-point", 1),
            ("error-bar", 3),
            ("target-line", 1),
            ("band", 1),
        ):
            self.assertEqual(len(of_role(scene, role)), count, role)

    def test_curves_share_their_years_and_say_their_units(self):
        charts = {chart.title.split(",")[0]: chart for chart in years_charts(self.sheet)}
        radiality, depth = (
            next(chart for name, chart in charts.items() if name.startswith(start))
            for start in ("Radiality", "Ball depth")
        )
        self.assertEqual(len(charts), 5)
        self.assertEqual(len(of_role(radiality, "error-bar")), 3)
        self.assertEqual(len(of_role(depth, "error-bar")), 0)
        self.assertIn("mm", depth.title)
        discs = {tuple(disc.attributes["cx"] for disc in of_role(chart, "session-disc"))
                 for chart in charts.values()}  # fmt: skip
        self.assertEqual(len(discs), 1)

    def test_the_depth_of_the_ball_has_round_inches_beside_its_axis(self):
        with read_in(INCHES):
            charts = years_charts(self.sheet)
        depth = next(c for c in charts if c.title.startswith("Ball"))
        self.assertIn(", in over", depth.title)
        said = [words.text for words in of_role(depth, "small")]
        values = [float(text) for text in said if re.fullmatch(r"\d+\.\d", text)]
        self.assertGreaterEqual(len(values), 3)
        self.assertTrue(all(round(value * 10) == round(value * 10, 6) for value in values))
        self.assertLess(max(values), 12)

    def test_a_difference_of_nothing_has_no_sign(self):
        self.assertEqual(
            [whole(-0.3), whole(2.6), percent(-0.001), percent(0.256)], ["0", "3", "0%", "26%"]
        )
        said = [signed(-0.3), signed(0.04, 1), signed(-0.06, 1), signed(2.6)]
        self.assertEqual(said, ["0", "0.0", "-0.1", "+3"])
        plain = [formatted("%.0f", -0.0), formatted("%.*f", 2, -0.004), formatted("%.1f", -10.0)]
        self.assertEqual(plain, ["0", "0.00", "-10.0"])

    def test_no_measured_figure_is_said_to_be_exact(self):
        said = [plus_minus(Figure(44.0, off)) for off in (0.0, 0.47, 0.6, 2.4)]
        self.assertEqual(said, ["0", "0.5", "1", "2"])
        self.assertEqual(plus_minus(Figure(1.6, 0.004), 2), "0.004")

    def test_ribbon_marks_just_the_weeks_of_the_window(self):
        scene = season_ribbon(self.sheet)
        weeks = of_role(scene, "week-open")
        window = self.sheet.window
        self.assertAlmostEqual(len(weeks), (window.end - window.start).days / 7, delta=1.5)
        # The ribbon begins today.
        starts = (window.start - self.sheet.today).days // 7
        self.assertAlmostEqual(float(weeks[0].attributes["x"]), starts * WIDTH_PX / 52, 0)
        self.assertEqual(len(of_role(scene, "today")), 1)


class SceneTest(DrawnTree):
    def test_scale_is_the_largest_readable_one_that_fits(self):
        self.assertEqual(nice_scale(300, 600), 2.0)
        self.assertEqual(nice_scale(300, 599), 1.9)
        self.assertAlmostEqual(nice_scale(3000, 600), 0.2)

    def test_shapes_keep_their_order(self):
        scene = Scene("k", 10, 10, "t")
        scene.line((0, 0), (1, 1), "a")
        scene.rect((0, 0), (-3, 4), "b")
        self.assertEqual([shape.role for shape in scene.shapes], ["a", "b"])
        self.assertEqual(scene.shapes[1].attributes["width"], "0.0")
