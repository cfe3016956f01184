"""The list of trees: found, tagged, ordered, a page at a time."""

from datetime import date

from mirvo.core.errors import BadInput
from mirvo.core.limits.targets import TargetFields
from mirvo.core.limits.trees import TreeFields
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.path.target import set_target
from mirvo.studio.records.answers import DeathFields, say_died
from mirvo.studio.standing.tree_list import ORDERS, find_trees
from mirvo.studio.yard.bench import bench, move_tree
from mirvo.studio.yard.trees import say_strength
from mirvo.text.advice import headline
from mirvo.web.drawings.year import planned
from tests.studio_case import StudioCase


class TreeListTest(StudioCase):
    def found(self, **asked):
        with self.studio.reading() as db:
            return find_trees(db, self.studio.today, **asked)

    def names(self, **asked):
        return [row.tree.name for row in self.found(**asked).rows]

    def test_words_and_tags_find_a_tree(self):
        self.tree(name="Ferry zelkova", tags="Show, shohin ,show")
        self.tree(name="Mole pine", species_key="scots-pine", tags="show")
        self.tree(name="Quay beech", species_key="european-beech")
        found = self.found(tag="show")
        self.assertEqual([row.tree.name for row in found.rows], ["Ferry zelkova", "Mole pine"])
        self.assertEqual(found.tags, {"shohin": 1, "show": 2})
        self.assertEqual(self.names(words="SHOHIN"), ["Ferry zelkova"])
        self.assertEqual(self.names(words="scots"), ["Mole pine"])
        self.assertEqual(self.found(words="no such").rows, [])

    def test_too_many_tags_are_refused(self):
        for tags in (",".join(f"tag {n}" for n in range(13)), "x" * 31):
            with self.assertRaises(BadInput) as said:
                TreeFields.model_validate({"name": "A", "species_key": "zelkova", "tags": tags})
            self.assertEqual(said.exception.field, "tags")

    def test_every_order_and_what_is_not_known_last(self):
        measured = self.tree(name="Measured")
        self.tree(name="Bare")
        photo, marks = self.photo(measured)
        save_marks(self.studio, photo.id, marks, 0)
        form = TargetFields(spread_ratio=9.0, largest_gap_deg=60, pot_depth_mm=40, basis="roots")
        set_target(self.studio, measured.id, form)
        for order in ("gap", "radiality", "trunk", "spread"):
            with self.subTest(order=order):
                self.assertEqual(self.names(order=order), ["Measured", "Bare"])
        row = self.found(order="gap").rows[0]
        self.assertAlmostEqual(row.to_target, 9.0 - row.measured.spread.roots.ratio.value)
        self.assertEqual(self.names(order="name"), ["Bare", "Measured"])
        self.assertEqual(self.names(order="name", backward=True), ["Measured", "Bare"])
        for order in (*ORDERS, "no such order"):
            self.assertEqual(len(self.names(order=order)), 2)


class YearAtTheBenchTest(StudioCase):
    def bench(self):
        return self.read(bench, self.studio.today)

    def test_lanes_hold_every_living_tree_what_is_due_first(self):
        self.tree(name="Ferry zelkova", acquired_on=date(2020, 3, 1))
        dead = self.tree(name="Old quince")
        say_died(self.studio, dead.id, DeathFields(died_on=self.studio.today))
        found = self.bench()
        self.assertEqual([lane.row.tree.name for lane in found.lanes], ["Ferry zelkova"])
        [lane] = found.lanes
        self.assertEqual(found.wanted, int(lane.week is not None))
        self.assertEqual([row.tree.name for row in found.unmeasured], ["Ferry zelkova"])

    def test_a_tree_is_moved_within_its_window_and_let_go_again(self):
        self.tree(acquired_on=date(2020, 3, 1))
        [lane] = self.bench().lanes
        self.assertIn(lane.week, lane.weeks)
        other = next(week for week in lane.weeks if week != lane.week)
        move_tree(self.studio, lane.row.tree.id, other)
        self.assertEqual(self.bench().lanes[0].week, other)
        with self.assertRaises(BadInput):
            move_tree(self.studio, lane.row.tree.id, self.studio.today)
        move_tree(self.studio, lane.row.tree.id, None)
        self.assertEqual(self.bench().lanes[0].week, lane.week)

    def test_a_lane_says_what_the_verdict_says(self):
        measured = self.tree(acquired_on=date(2020, 3, 1))
        photo, marks = self.photo(measured)
        save_marks(self.studio, photo.id, marks, 0)
        form = TargetFields(spread_ratio=3.0, largest_gap_deg=90, pot_depth_mm=40, basis="roots")
        set_target(self.studio, measured.id, form)
        self.planned(measured.id)
        for strength in ("strong", "weak"):
            say_strength(self.studio, measured.id, strength)
            for lane in self.bench().lanes:
                with self.subTest(strength=strength, verdict=lane.row.verdict.kind):
                    repots = lane.row.verdict.kind in ("repot_now", "repot_next")
                    self.assertTrue(lane.step is None or repots)
                    if not repots:
                        self.assertEqual(planned(lane), headline(lane.row.verdict))
