"""The rhythm of watering, and what speaks against it."""

from datetime import UTC, datetime

from mirvo.core.limits.trees import TreeFields
from mirvo.studio.records.aftercare import rhythm_of, water
from mirvo.studio.yard.trees import edit_tree
from tests.studio.bench_session.bench_case import BenchCase


class WateringTest(BenchCase):
    def test_the_rhythm_and_its_warnings(self):
        for day in (1, 3, 3, 7, 9):
            self.studio.clock = lambda day=day: datetime(2026, 7, day, 8, tzinfo=UTC)
            water(self.studio, 1)
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
