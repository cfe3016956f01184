"""Figures measured by hand: kept by day, drawn beside those of photos, put back from the heap."""

from datetime import date

from mirvo.core.errors import BadInput
from mirvo.core.lengths import INCHES
from mirvo.core.limits.base import checked
from mirvo.core.limits.measuring import HandFields
from mirvo.studio.exchange.tables_out import table_of
from mirvo.studio.measuring.by_hand import add_by_hand, by_hand, odd_trunks
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.standing.tree_queries import load_tree
from mirvo.studio.yard.compost import lay_on_heap, put_back
from mirvo.studio.yard.sheet import sheet_of
from mirvo.web.app import create_app
from mirvo.web.drawings.years import spread_curve, trunk_curve
from mirvo.web.lengths import read_in
from tests.client import TestClient
from tests.studio_case import StudioCase


class ByHandTest(StudioCase):
    def add(self, day, **figures):
        said = {f"{name}_mm": value for name, value in figures.items()}
        add_by_hand(self.studio, 1, HandFields(measured_on=day, **said))

    def setUp(self):
        super().setUp()
        self.tree()

    def kept(self):
        rows = self.read(by_hand, 1)
        return [(row.measured_on.year, row.trunk_mm, row.spread_mm) for row in rows]

    def test_a_day_is_kept_once_and_what_it_says_more_is_added(self):
        self.add(date(2015, 5, 1), trunk=22)
        self.add(date(2012, 5, 1), trunk=16, spread=20)
        self.add(date(2015, 5, 1), spread=30)
        self.assertEqual(self.kept(), [(2012, 16, 20), (2015, 22, 30)])
        for wrong in (
            {"measured_on": date(2999, 1, 1), "trunk_mm": 9},
            {"measured_on": "2015-05-01"},
        ):
            with self.assertRaises(BadInput):
                add_by_hand(self.studio, 1, checked(HandFields, wrong, self.studio.today))

    def test_the_portrait_takes_the_newest_but_never_what_is_older_than_itself(self):
        self.add(date(2015, 5, 1), trunk=22)
        self.add(date(2012, 5, 1), trunk=16)
        self.assertEqual(self.read(load_tree, 1).trunk_mm, 22)
        with self.studio.writing() as db:
            load_tree(db, 1).trunk_mm = 40
        self.add(date(2018, 5, 1), trunk=27)
        self.assertEqual(self.read(load_tree, 1).trunk_mm, 40)
        self.add(self.studio.today, trunk=41)
        self.assertEqual(self.read(load_tree, 1).trunk_mm, 41)

    def test_a_trunk_that_would_have_shrunk_is_asked_about(self):
        self.add(date(2012, 5, 1), trunk=40)
        self.add(date(2015, 5, 1), trunk=22)
        self.add(date(2018, 5, 1), trunk=45)
        self.add(date(2021, 5, 1), spread=90)
        photos = [(date(2014, 3, 1), 42.0), (date(2018, 5, 1), 60.0)]
        odd = odd_trunks(self.read(by_hand, 1), photos)
        said = [(one.day.year, one.other_mm, one.less) for one in odd]
        self.assertEqual(said, [(2015, 42.0, True), (2018, 60.0, True)])
        odd = odd_trunks(self.read(by_hand, 1), [(date(2014, 3, 1), 30.0)])
        self.assertEqual([(one.day.year, one.less) for one in odd], [(2012, False), (2015, True)])

    def test_it_stands_before_what_photos_gave(self):
        photo, marks = self.photo(self.read(load_tree, 1), taken_on=date(2026, 2, 1))
        save_marks(self.studio, photo.id, marks, 0)
        self.add(date(2015, 5, 1), trunk=20, spread=30)
        sheet = self.read(sheet_of, 1, self.studio.today)
        ratio, measured = spread_curve(sheet, None).seen
        self.assertEqual((ratio.value, ratio.plus_minus, ratio.by_hand), (1.5, None, True))
        self.assertFalse(measured.by_hand)
        self.assertEqual(trunk_curve(sheet).seen[0].value, 20)
        with read_in(INCHES):
            self.assertAlmostEqual(trunk_curve(sheet).seen[0].value, 20 / 25.4)
        rows = self.read(table_of, "measurements", self.studio.today).rows
        self.assertEqual(rows[0][2:4], ["hand", 20.0])

    def test_what_is_taken_out_lies_on_the_heap(self):
        self.add(date(2015, 5, 1), trunk=22)
        self.assertIn("by hand", lay_on_heap(self.studio, "figures", 1).name)
        self.assertEqual(self.kept(), [])
        put_back(self.studio, "figures", 1)
        self.assertEqual(self.kept(), [(2015, 22, None)])
        # Measured again while the former lies there: the day is one row still.
        lay_on_heap(self.studio, "figures", 1)
        self.add(date(2015, 5, 1), spread=31)
        self.assertEqual(self.kept(), [(2015, None, 31)])

    def test_its_page_takes_it_and_says_what_is_wrong(self):
        pages = TestClient(create_app(self.studio))
        sent = {"measured_on": "1 may 2015", "trunk_mm": "22 mm", "spread_mm": "3 cm"}
        shown = pages.post("/trees/1/by-hand", data=sent).text
        self.assertEqual(self.kept(), [(2015, 22, 30)])
        self.assertIn("hand-point", shown)
        refused = pages.post("/trees/1/by-hand", data={"measured_on": "2 may 2015"})
        self.assertEqual(refused.status_code, 422)
        self.assertIn("trunk_mm-error", refused.text)
        laid = pages.post("/compost/figures/1")
        self.assertIn("What was measured by hand", laid.text)
