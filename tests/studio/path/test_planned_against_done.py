"""Planned against done on the tree's own page."""

from datetime import date, timedelta

from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.path.planned_against_done import planned_against_done
from tests.studio.path.test_path import PathCase
from tests.studio_case import TODAY


class PlannedAgainstDoneTest(PathCase):
    def compared(self):
        return self.read(planned_against_done, 1)

    def test_a_tree_without_plan_and_weighing_has_nothing_to_compare(self):
        self.assertFalse(self.compared())

    def test_a_measurement_stands_beside_what_was_forecast_for_it(self):
        self.record()
        self.target()
        path = self.planned(1).result.path_of("steady")
        self.studio.clock = lambda: TODAY + timedelta(days=420)
        photo, marks = self.photo(self.load_tree(1), seed=3, taken_on=date(2027, 10, 1))
        save_marks(self.studio, photo.id, marks, 0)
        [one] = self.compared().measured
        self.assertEqual(one.forecast, next(f for f in path.forecast if f.year == 2027))
        # The same photo a year on: it has not grown at all, and the forecast said it would.
        self.assertEqual(one.measured, self.sheet_of(1).base.measured.spread.flare.ratio)
        self.assertEqual(
            one.within, one.measured.value + one.measured.plus_minus >= one.forecast.low
        )

    def test_weighed_stands_beside_computed_and_corrects_what_follows(self):
        session = self.record(offcuts_g=300, ball_g=600)
        compared = self.compared()
        self.assertEqual([one.id for one in compared.sessions], [session.id])
        expected = session.share_weighed / session.share_uncorrected
        self.assertAlmostEqual(compared.correction, expected, 6)
